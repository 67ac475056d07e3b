"""`mavrik plan` and its format, without a database."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget
from mavrik.exchange.bundle import read_bundle
from mavrik.exchange.plan_json import plan_bundle, plan_schema
from tests.cli import run_cli
from tests.exchange.test_formats import ROOT, as_bytes, bundle_document

EXAMPLE = ROOT / "docs" / "formats" / "example.mavrik.json"


def test_plan_prints_what_the_core_says() -> None:
    done = run_cli("plan", str(EXAMPLE), "--target", "150")
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    jsonschema.validate(made, plan_schema(), jsonschema.Draft202012Validator)
    bundle = read_bundle(EXAMPLE.read_bytes())
    circuit = next(c.document for c in bundle.circuits if c.role == "as_found")
    again = propose(circuit, SizingTarget.model_validate(made["proposal"]["target"]))
    assert made["proposal"] == again.model_dump(mode="json") and made["proposal"]["target"]["target_current_a"] == 150
    assert made["use"]["planned"] is not None and made["use"]["now"]["headline"]


def test_loads_pulley_and_use_of_the_job_are_in_it() -> None:
    document = bundle_document()
    document["job"]["loads_to_add"] = [{"label": "Kiln fan", "current_a": 33}]
    document["documents"] = [
        {"kind": "drive", "document": {"alternator_id": "alt", "crank_mm": 150, "now_mm": 60, "new_mm": 50}},
        {"kind": "use", "document": {"scenes": [{"label": "Yard", "engine_rpm": 900, "hours_a_day": 1}]}},
    ]
    made = plan_bundle(read_bundle(as_bytes(document)))
    assert made.proposal.target.target_current_a == 133 and made.drive is not None and made.drive.ratio_new == 3
    assert [s.label for s in made.use.now.scenes] == ["Yard"] and made.use.planned_by == "a unit of 133 A and a pulley of 50 mm"


@pytest.mark.parametrize(("words", "message"), [(("--target", "0"), "above 0"), (("--target", "1900"), "would")])
def test_no_plan_is_exit_2_and_one_line(words: tuple[str, ...], message: str) -> None:
    done = run_cli("plan", str(EXAMPLE), *words)
    assert done.returncode == 2 and done.stdout == b"" and message in done.stderr.decode()
    assert "Traceback" not in done.stderr.decode() and len(done.stderr.decode().strip().splitlines()) == 1


def test_a_file_that_is_none_is_exit_2(tmp_path: Path) -> None:
    bad = tmp_path / "x.json"
    bad.write_text("{}")
    assert run_cli("plan", str(bad)).returncode == 2
