"""`mavrik build`, its format and its list to cut by, without a database."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import jsonschema

from mavrik.exchange.build_json import CUT_COLUMNS, build_schema
from tests.cli import run_cli
from tests.exchange.test_formats import ROOT

EXAMPLE = ROOT / "docs" / "formats" / "example.mavrik.json"


def to_make(folder: Path, label: str = "") -> Path:
    """The example as a job that is to make leads, nothing planned."""
    document = json.loads(EXAMPLE.read_text())
    document["job"]["purposes"] = ["make_leads"]
    document["circuits"] = [c for c in document["circuits"] if c["role"] == "as_found"]
    document["documents"] = []
    if label:
        document["circuits"][-1]["document"]["branches"][0]["label"] = label
    file = folder / "leads.mavrik.json"
    file.write_text(json.dumps(document))
    return file


def test_build_prints_leads_cable_and_steps(tmp_path: Path) -> None:
    done = run_cli("build", str(to_make(tmp_path)))
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    jsonschema.validate(made, build_schema(), jsonschema.Draft202012Validator)
    view = made["view"]
    assert {c["branch_id"] for c in view["cards"]} == set(made["book"]["anew"]) and view["next_step"].startswith("make:")
    cut = {c["branch_id"]: c["cut_mm"] for c in view["cards"] if c["cut_mm"]}
    assert {x["branch_id"] for c in view["cables"] for x in c["cuts"]} == set(cut)


def test_the_list_to_cut_by_has_every_piece_and_runs_nothing(tmp_path: Path) -> None:
    file = to_make(tmp_path, "=cmd|' /C calc'!A0")
    rows = list(csv.DictReader(io.StringIO(run_cli("build", str(file), "--csv").stdout.decode())))
    view = json.loads(run_cli("build", str(file)).stdout)["view"]
    assert tuple(rows[0]) == CUT_COLUMNS and len(rows) == sum(len(c["cuts"]) for c in view["cables"])
    assert rows[0]["lead"] and not any(cell.startswith("=") for row in rows for cell in row.values())
    per_cable = {
        c["size"]: sum(int(r["cut_mm"]) * int(r["pieces"]) for r in rows if r["cable"] == c["size"]) for c in view["cables"]
    }
    assert all(abs(per_cable[c["size"]] - c["total_mm"]) <= len(c["cuts"]) for c in view["cables"])


def test_what_cannot_be_built_is_said_in_one_line(tmp_path: Path) -> None:
    document = json.loads(to_make(tmp_path).read_text())
    bad = {"leads": [{"branch_id": "charge_cable", "to_end": {"stud": "M7"}}], "anew": ["charge_cable"]}
    document["documents"] = [{"kind": "build", "document": bad}]
    file = tmp_path / "bad.mavrik.json"
    file.write_text(json.dumps(document))
    done = run_cli("build", str(file))
    assert done.returncode == 2 and b"No stud 'M7'" in done.stderr and len(done.stderr.splitlines()) == 1
