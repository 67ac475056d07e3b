"""Bundles, CSV, the sheet and the command line."""

import csv
import importlib
import io
import json
import pkgutil
import re
from dataclasses import replace
from datetime import UTC, datetime
from enum import Enum
from html import unescape
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import parquet
from pydantic import BaseModel

import mavrik
from mavrik.core.findings import BranchVerdict
from mavrik.core.procedures import PROCEDURES
from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import BundleError, bundle_schema, read_bundle, write_bundle
from mavrik.exchange.findings_json import findings_of_bundle, findings_schema
from mavrik.exchange.readings_table import COLUMNS, readings_csv, readings_parquet
from mavrik.exchange.sheet import render_pdf, render_sheet
from tests.build import drop_run, simple_circuit, simple_document
from tests.cli import run_cli, start_cli

ROOT = Path(__file__).resolve().parents[2]
DOCS = ROOT / "docs/formats"


def bundle_document(**changes: Any) -> dict[str, Any]:
    run = drop_run(simple_circuit(), 100, feed=0.121, fuse=0.053, home=0.150, feed_v=0.174, return_v=0.150)
    return {
        "format": "mavrik-job",
        "version": 3,
        "customer": {"name": "Somebody Invented"},
        "vehicle": {"description": "A cart", "kind": "car", "system_voltage_v": 12},
        "job": {"number": "X-1", "complaint": "Does not charge", "purposes": ["find_fault"]},
        "circuits": [{"id": 1, "role": "as_found", "revision": 1, "document": simple_document()}],
        "runs": [{"circuit_id": 1, "run": run.model_dump(mode="json")}],
        **changes,
    }


def as_bytes(document: object) -> bytes:
    return json.dumps(document).encode()


def test_a_bundle_comes_back_as_it_went_out() -> None:
    bundle = read_bundle(as_bytes(bundle_document()))
    assert read_bundle(write_bundle(bundle)) == bundle


def test_the_published_schemas_hold_for_what_is_written() -> None:
    bundle = read_bundle(as_bytes(bundle_document()))
    jsonschema.validate(json.loads(write_bundle(bundle)), bundle_schema(), jsonschema.Draft202012Validator)
    answer = json.loads(findings_of_bundle(bundle).model_dump_json())
    jsonschema.validate(answer, findings_schema(), jsonschema.Draft202012Validator)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(bundle_document(version=7), bundle_schema(), jsonschema.Draft202012Validator)


def broken(change: str) -> bytes:
    document = bundle_document()
    circuit = document["circuits"][0]["document"]
    match change:
        case "format":
            document["format"] = "other"
        case "version":
            document["version"] = 9
        case "length":
            circuit["branches"][0]["length_m"] = -2
        case "size":
            circuit["branches"][0]["size"] = "34 mm2"
        case "stray":
            circuit["branches"][0]["to_node"] = "nowhere"
        case "dangling run":
            document["runs"][0]["circuit_id"] = 5
        case "extra":
            document["surprise"] = 1
        case "unknown branch":
            document["runs"][0]["run"]["readings"][1] = {"point": "drop_v:ghost", "value": 0.1}
        case "twice":
            document["runs"][0]["run"]["readings"] *= 2
        case "volts":
            document["runs"][0]["run"]["readings"][1]["value"] = 121
        case "procedure":
            document["runs"][0]["run"]["procedure"] = "guess"
        case "corrects what is to come":
            document["runs"][0]["supersedes"] = 1
        case "same ids":
            document["circuits"] *= 2
    return as_bytes(document)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("format", "not a Mavrik job bundle"), ("version", "version 9"), ("length", "length_m"), ("size", "34 mm2"), ("stray", "no node 'nowhere'"),
        ("dangling run", "circuit 5"), ("extra", "surprise"), ("unknown branch", "ghost"), ("twice", "twice"), ("volts", "volts"), ("procedure", "no procedure"), ("corrects what is to come", "not before it"), ("same ids", "same id"),
    ],
)  # fmt: skip
def test_a_broken_bundle_says_what_is_wrong(change: str, words: str) -> None:
    with pytest.raises(BundleError, match=words):
        read_bundle(broken(change))


@pytest.mark.parametrize(
    "data",
    [b"", b"\xff\xfe\x00", b"[]", b"null", b"{", b'{"format": "mavrik-job", "version": NaN}', b"[" * 100_000, b"x" * 5_000_001],
)
def test_junk_is_not_a_bundle(data: bytes) -> None:
    with pytest.raises(BundleError):
        read_bundle(data)


@pytest.mark.long
@given(st.data())
@settings(max_examples=150)
def test_a_bundle_with_one_value_replaced_is_read_or_refused_never_a_crash(data: st.DataObject) -> None:
    document = bundle_document()
    places: list[tuple[Any, Any]] = []

    def walk(value: Any) -> None:
        items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
        for key, inner in items:
            places.append((value, key))
            walk(inner)

    walk(document)
    holder, key = data.draw(st.sampled_from(places))
    holder[key] = data.draw(
        st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=8) | st.just([]) | st.just({})
    )
    try:
        bundle = read_bundle(as_bytes(document))
    except BundleError as error:
        assert str(error)
    else:
        if bundle.circuits:
            findings_of_bundle(bundle)


def test_readings_as_csv() -> None:
    circuit = simple_circuit()
    run = drop_run(circuit, 100, feed=0.121).model_copy(update={"measured_by": "=HYPERLINK(1)"})
    rows = list(csv.DictReader(io.StringIO(readings_csv([(circuit, run), (circuit, run)], [0]))))
    assert tuple(rows[0]) == COLUMNS
    assert (rows[1]["quantity"], rows[1]["element"], rows[1]["red_probe"]) == ("voltage_drop", "Feed", "Stud")
    assert (float(rows[1]["value"]), rows[1]["unit"], rows[1]["output_current_a"]) == (0.121, "V", "100.0")
    assert (float(rows[0]["value"]), rows[0]["unit"], rows[0]["instrument"]) == (100, "A", "Test clamp")
    assert [r["stands"] for r in rows] == ["corrected", "corrected", "yes", "yes"]
    assert rows[0]["measured_by"].startswith("'=")  # no formula reaches a spreadsheet
    typed = parquet.read_table(io.BytesIO(readings_parquet([(circuit, run), (circuit, run)], [0]))).to_pylist()
    assert [r["value"] for r in typed] == [float(r["value"]) for r in rows] and tuple(typed[0]) == COLUMNS
    assert typed[0]["measured_by"] == "=HYPERLINK(1)" and typed[0]["engine_speed_rpm"] == float(rows[0]["engine_speed_rpm"])


def test_the_sheet_says_everything_and_runs_nothing() -> None:
    document = bundle_document()
    document["customer"]["name"] = "<script>alert(1)</script>"
    document["circuits"][0]["document"]["branches"][2]["label"] = '"><img src=http://example.invalid/x>'
    page = render_sheet(read_bundle(as_bytes(document)), "A Shop", datetime(2026, 1, 2, tzinfo=UTC))
    assert "<script" not in page and "<img" not in page
    for words in ("150 mV", "0.1 V for a ground lead", "± ", "Test meter", "Technician", "negative first", "JCGM 106"):
        assert words in page or words.lower() in page.lower()
    assert render_pdf(page).startswith(b"%PDF-")


def test_the_sheet_says_each_rule_and_each_reason_once() -> None:
    """Of a hundred branches that are judged by one rule the rule would fill pages."""
    bundle = read_bundle((DOCS / "example.mavrik.json").read_bytes())
    findings = findings_of_bundle(bundle).findings
    page = unescape(render_sheet(bundle, "A Shop", datetime(2026, 1, 2, tzinfo=UTC), findings=findings))
    judged = [j for t in findings.tests for j in t.judgements]
    rules = re.search(r"Rules and their sources: (.*?)</p>", page, re.S)
    assert rules is not None and judged
    listed = dict(re.findall(r"<b>\[(\d+)\]</b> (.*?)(?:; (?=<b>)|\.$)", rules[1]))
    rows = re.findall(r"<tr><td>(.*?)</tr>", page[page.index("<h2>Branch") : rules.start()], re.S)
    of = {r.point: r.label for t in findings.tests for r in t.readings}
    for j in judged:
        numbers = {
            listed[n] for row in rows if row.startswith((of[j.point], j.label)) for n in re.findall(r"\[(\d+)\]</td>", row)
        }
        assert f"{j.limit} ({j.source})" in numbers, j.label
    # What was read along one branch stands in the table of branches, and there alone.
    along = [b for b in findings.branches if b.measured_drop_v is not None]
    assert along and f"{len(along)} branches were read from end to end" in page
    assert all(sum(row.startswith(f"{b.label}<") and " mV" in row for row in rows) == 0 for b in along)
    assert all(f"{b.measured_drop_v * 1000:.0f} ± " in page for b in along if b.measured_drop_v is not None)
    assert len(set(listed.values())) == len(listed)
    bad = [b for b in findings.branches if b.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED)]
    assert bad and all(page[page.index("<h2>Branch") :].count(b.reason) == 1 for b in bad)
    assert "-0.00" not in page


def test_what_is_to_be_done_with_many_branches_is_said_once() -> None:
    bundle = read_bundle((DOCS / "example.mavrik.json").read_bytes())
    findings = findings_of_bundle(bundle).findings
    some = [
        replace(b, verdict=BranchVerdict.FAIL, reason=f"Reason {b.branch_id}.", next_step="Clean it.") for b in findings.branches
    ]
    findings = findings.model_copy(update={"branches": (*some[:3], replace(some[3], next_step="Renew it."))})
    page = render_sheet(bundle, "A Shop", datetime(2026, 1, 2, tzinfo=UTC), findings=findings)
    assert page.count("Clean it.") == 1 and "For each of these 3: Clean it." in page
    assert re.search(rf'Reason {some[3].branch_id}\. <span class="why">Renew it\.', page)


def test_a_sheet_without_a_circuit_is_refused() -> None:
    with pytest.raises(ValueError, match="not described"):
        render_sheet(read_bundle(as_bytes(bundle_document(circuits=[], runs=[]))), "", datetime(2026, 1, 2, tzinfo=UTC))


def test_assess_prints_json_without_a_database(tmp_path: Path) -> None:
    file = tmp_path / "job.mavrik.json"
    file.write_bytes(as_bytes(bundle_document()))
    done = start_cli("assess", str(file))
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    home = next(b for b in answer["findings"]["branches"] if b["branch_id"] == "home")
    # 150 mV at 100 A over 0.554 mohm/m x 1 m + 2 lugs of 0.05 mohm, worked by hand.
    assert home["verdict"] == "fail"
    assert home["excess_ohm"] == pytest.approx(0.846e-3, rel=0.01)
    assert home["excess_low_ohm"] < 0.846e-3 < home["excess_high_ohm"] and home["probability"] > 0.9
    cause = answer["findings"]["causes"][0]
    assert (cause["kind"], cause["element"], cause["amount_unit"]) == ("resistance", "home", "Ω")
    fuse = next(b for b in answer["findings"]["branches"] if b["branch_id"] == "fuse")["fuse"]
    assert fuse["above_load"] and fuse["below_cable"]
    assert run_cli("assess", "-", data=file.read_bytes()).stdout == done.stdout
    bad = start_cli("assess", "-", data=b"{")
    assert bad.returncode == 2 and not bad.stdout and len(bad.stderr.splitlines()) == 1


@pytest.mark.parametrize("change", ["format", "length", "stray"])
def test_assess_refuses_a_bad_file_with_exit_2_and_one_line(tmp_path: Path, change: str) -> None:
    file = tmp_path / "bad.json"
    file.write_bytes(broken(change))
    done = run_cli("assess", str(file))
    assert done.returncode == 2
    assert done.stdout == b""
    assert done.stderr.startswith(b"mavrik: ") and b"Traceback" not in done.stderr


def test_assess_of_no_file_or_no_such_role_is_exit_2(tmp_path: Path) -> None:
    assert run_cli("assess", str(tmp_path / "none.json")).returncode == 2
    file = tmp_path / "job.json"
    file.write_bytes(as_bytes(bundle_document()))
    done = run_cli("assess", "--role", "proposal", str(file))
    assert done.returncode == 2 and b"no circuit" in done.stderr


def test_assess_help_says_every_field() -> None:
    text = run_cli("assess", "--help").stdout.decode()
    findings = findings_of_bundle(read_bundle(as_bytes(bundle_document()))).model_dump()
    judgement = findings["findings"]
    parts = (
        findings,
        judgement,
        *(judgement[k] for k in ("headline",)),
        *(judgement[k][0] for k in ("branches", "checks", "causes", "tests", "next_tests")),
    )
    for name in {n for part in parts for n in part}:
        assert name in text, name


def test_the_sheet_is_printed_from_a_file(tmp_path: Path) -> None:
    file, pdf = tmp_path / "job.json", tmp_path / "sheet.pdf"
    file.write_bytes(as_bytes(bundle_document()))
    assert run_cli("sheet", str(file), str(pdf)).returncode == 0
    assert pdf.read_bytes().startswith(b"%PDF-")


def test_the_published_example_has_every_procedure_of_its_vehicle_and_finds_its_bad_ground() -> None:
    data = (ROOT / "docs" / "formats" / "example.mavrik.json").read_bytes()
    jsonschema.validate(json.loads(data), bundle_schema(), jsonschema.Draft202012Validator)
    bundle = read_bundle(data)
    made = {r.run.procedure for r in bundle.runs}
    circuit = bundle.circuits[0].document
    assert made == {p.name for p in PROCEDURES if p.points(circuit)}
    assert findings_of_bundle(bundle).findings.headline.element == "block_ground"


def test_a_bundle_of_version_1_is_read_as_the_newest() -> None:
    """Written by the first version of the program: nothing of it is lost, and it is judged as everything else is."""
    data = (ROOT / "tests" / "exchange" / "data" / "job.v1.mavrik.json").read_bytes()
    old = json.loads(data)
    bundle = read_bundle(data)
    assert (old["version"], bundle.version) == (1, 3)
    (run,) = (r.run for r in bundle.runs)
    test = old["tests"][0]["test"]
    output = run.reading(f"charge_a:{bundle.circuits[0].document.alternator.id}")
    assert output is not None and output.value == test["output_current_a"]
    assert len(run.readings) == len(test["readings"]) + 1
    for was in test["readings"]:
        if was["quantity"] == "branch_drop":
            now = run.reading(f"drop_v:{was['branch_id']}")
            assert now is not None and now.value == was["value"] and now.quantity == "voltage_drop"
    assert {m.id for m in run.instruments} == {test["voltmeter"]["id"], test["clamp"]["id"]}
    assert run.loads_on is None, "what it does not say stays unsaid"
    assert findings_of_bundle(bundle).findings.headline.element == "block_ground"
    assert read_bundle(write_bundle(bundle)) == bundle


def test_a_bundle_of_version_2_is_read_as_the_newest() -> None:
    """Written by the last program of version 2, one document of every kind: what has another name now holds the same."""
    data = (ROOT / "tests" / "exchange" / "data" / "job.v2.mavrik.json").read_bytes()
    old = json.loads(data)
    jsonschema.validate(old, json.loads((DOCS / "mavrik-job.v2.schema.json").read_text(encoding="utf-8")))
    bundle = read_bundle(data)
    assert (old["version"], bundle.version) == (2, 3) and {d.kind for d in bundle.documents} == set(DocumentKind)
    was = {d["kind"]: d["document"] for d in old["documents"]}
    now = {d.kind.value: d.document.model_dump(mode="json") for d in bundle.documents}
    assert now["drive"]["target_idle_a"] == was["drive"]["wanted_idle_a"] == 110
    assert now["quotation"]["accepted"]["recorded_by"] == was["quotation"]["accepted"]["told"] == "Tobin Ashgrove"
    for kind in ("quotation", "simulation", "worth"):
        assert was[kind]["asked"].items() <= now[kind]["request"].items()
    view, before = now["worth"]["view"], was["worth"]["view"]
    assert view["as_found_meets"] == before["found_meets"]
    figures = [(view["as_found"], before["found"])]
    for name in ("singles", "plans"):
        pairs = zip(view[name], before[name], strict=True)
        figures += [(new["figures"], earlier["figures"]) for new, earlier in pairs if earlier["figures"] is not None]
    assert len(figures) > 5
    for new, earlier in figures:
        assert (new["worst_net_ah"], new["worst_battery"]) == (earlier["short_ah"], earlier["short_of"])
    again = write_bundle(bundle)
    jsonschema.validate(json.loads(again), bundle_schema())
    assert read_bundle(again) == bundle


@pytest.mark.parametrize(
    "documents", [7, [7], [{"kind": "drive"}], [{"kind": ["drive"], "document": {}}], [{"kind": "worth", "document": 7}]]
)
def test_what_no_version_2_would_hold_is_refused_in_words(documents: object) -> None:
    with pytest.raises(BundleError):
        read_bundle(as_bytes(bundle_document(version=2, documents=documents)))


def test_runs_and_proposals_of_version_1_come_along() -> None:
    old = json.loads((ROOT / "tests" / "exchange" / "data" / "job.v1.mavrik.json").read_bytes())
    old["runs"] = [
        {
            "circuit_id": 1,
            "run": {
                "procedure": "rest",
                "readings": [{"ask": "rest_v:battery", "value": 12.4, "instrument": None}],
                "measured_by": "X",
            },
        }
    ]
    old["circuits"].append(
        {
            **old["circuits"][0],
            "id": 2,
            "role": "proposal",
            "proposal": {"target": {"target_current_a": 120}, "choices": [], "notes": ["n"]},
        }
    )
    old["job"]["loads_to_add"] = [{"label": "Heater", "current_a": 40}]
    bundle = read_bundle(as_bytes(old))
    assert [r.run.procedure for r in bundle.runs] == ["charging_drops", "rest"]
    assert bundle.runs[1].run.readings[0].point == "rest_v:battery"
    plan = bundle.plan_of(2)
    assert plan is not None and plan.target.target_current_a == 120 and plan.notes == ("n",)
    assert set(bundle.job.purposes) == {"find_fault", "more_load"}


def test_a_correction_in_a_bundle_takes_the_place_of_what_it_corrects() -> None:
    document = bundle_document()
    right = drop_run(simple_circuit(), 100, feed=0.121, fuse=0.053, home=0.065, feed_v=0.174, return_v=0.065)
    document["runs"].append({"circuit_id": 1, "run": right.model_dump(mode="json"), "supersedes": 1})
    bundle = read_bundle(as_bytes(document))
    assert findings_of_bundle(bundle).findings.headline.verdict == "pass"
    assert len(bundle.runs) == 2, "the first is kept"


def test_a_sheet_is_printed_while_its_program_is_replaced(monkeypatch: pytest.MonkeyPatch) -> None:
    """A template that changes on the disk is the next program's, and may ask for what this one does not have."""
    from jinja2 import FileSystemLoader, Template

    bundle, at = read_bundle(as_bytes(bundle_document())), datetime(2026, 3, 4, tzinfo=UTC)
    before = render_sheet(bundle, "A Shop", at)
    next_one = "{{ something_new.that_this_program_does_not_have }}", None, lambda: False
    monkeypatch.setattr(FileSystemLoader, "get_source", lambda *_: next_one)
    monkeypatch.setattr(Template, "is_up_to_date", False)
    assert render_sheet(bundle, "A Shop", at) == before


def test_fonts_are_set_up_once_however_many_sheets_are_printed(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each set-up stays in the memory of the process. Other threads have their own: what is below is for one at a time."""
    import threading

    from weasyprint.text import fonts

    made: list[int] = []
    usual = fonts.FontConfiguration

    class Counted(usual):  # type: ignore[misc, valid-type]
        def __init__(self) -> None:
            super().__init__()
            made.append(threading.get_ident())

    monkeypatch.setattr(fonts, "FontConfiguration", Counted)
    page = render_sheet(read_bundle(as_bytes(bundle_document())), "A Shop", datetime(2026, 3, 4, tzinfo=UTC))
    printed: list[bytes] = []

    def prints() -> None:
        printed.extend(render_pdf(page) for _ in range(3))

    for _ in range(2):
        thread = threading.Thread(target=prints)
        thread.start()
        thread.join()
    assert len(made) == 2 and len(printed) == 6
    # All in the sheet's own fonts: a print that had lost them would be another length.
    assert len({len(p) for p in printed}) == 1


def test_no_two_documents_of_the_api_go_by_one_name() -> None:
    """Of two classes by one name the published description would hold one, and say it of both."""
    published = set(json.loads((DOCS / "openapi.json").read_text(encoding="utf-8"))["components"]["schemas"])
    known: dict[str, set[str]] = {}
    for module in pkgutil.walk_packages(mavrik.__path__, "mavrik."):
        if "migrations" in module.name or module.name.endswith("__main__"):
            continue
        for name, what in vars(importlib.import_module(module.name)).items():
            own = isinstance(what, type) and what.__module__ == module.name and name in published
            if own and (issubclass(what, BaseModel | Enum) or hasattr(what, "__pydantic_validator__")):
                known.setdefault(name, set()).add(module.name)
    assert len(known) > 100
    assert {name: of for name, of in known.items() if len(of) > 1} == {}
