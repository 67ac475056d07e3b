"""Bundles, CSV, the sheet and the command line."""

import csv
import io
import json
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import parquet

from mavrik.core.measuring.measurement import Quantity
from mavrik.exchange.assessment_json import assess_bundle, assessment_schema
from mavrik.exchange.bundle import BundleError, bundle_schema, read_bundle, write_bundle
from mavrik.exchange.readings_table import COLUMNS, readings_csv, readings_parquet
from mavrik.exchange.sheet import render_pdf, render_sheet
from tests.build import drop_test, simple_circuit, simple_document

ROOT = Path(__file__).resolve().parents[2]


def bundle_document(**changes: Any) -> dict[str, Any]:
    test = drop_test(100, feed=0.121, fuse=0.053, home=0.150, feed_drop=0.174, return_drop=0.150)
    return {
        "format": "mavrik-job",
        "version": 1,
        "customer": {"name": "Somebody Invented"},
        "vehicle": {"description": "A cart", "kind": "car", "system_voltage_v": 12},
        "job": {"number": "X-1", "complaint": "Does not charge"},
        "circuits": [{"id": 1, "role": "as_found", "revision": 1, "document": simple_document()}],
        "tests": [{"circuit_id": 1, "test": test.model_dump(mode="json")}],
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
    said = json.loads(assess_bundle(bundle).model_dump_json())
    jsonschema.validate(said, assessment_schema(), jsonschema.Draft202012Validator)
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
        case "dangling test":
            document["tests"][0]["circuit_id"] = 5
        case "extra":
            document["surprise"] = 1
        case "unknown branch":
            document["tests"][0]["test"]["readings"][0]["branch_id"] = "ghost"
        case "twice":
            document["tests"][0]["test"]["readings"] *= 2
        case "volts":
            document["tests"][0]["test"]["readings"][0]["value"] = 121
        case "same ids":
            document["circuits"] *= 2
    return as_bytes(document)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("format", "not a Mavrik job bundle"), ("version", "version 9"), ("length", "length_m"), ("size", "34 mm2"), ("stray", "no node 'nowhere'"),
        ("dangling test", "circuit 5"), ("extra", "surprise"), ("unknown branch", "ghost"), ("twice", "twice"), ("volts", "millivolts"), ("same ids", "same id"),
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


@given(st.data())
@settings(max_examples=150, deadline=None)
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
            assess_bundle(bundle)


def test_readings_as_csv() -> None:
    test = drop_test(100, feed=0.121, home_amps=99.5).model_copy(update={"measured_by": "=HYPERLINK(1)"})
    rows = list(csv.DictReader(io.StringIO(readings_csv([(simple_circuit(), test)]))))
    assert tuple(rows[0]) == COLUMNS
    assert rows[0]["quantity"] == Quantity.BRANCH_DROP and rows[0]["branch"] == "Feed"
    assert (float(rows[0]["value"]), rows[0]["unit"]) == (0.121, "V")
    assert (float(rows[1]["value"]), rows[1]["unit"]) == (99.5, "A")
    assert rows[0]["measured_by"].startswith("'=")  # no formula reaches a spreadsheet
    typed = parquet.read_table(io.BytesIO(readings_parquet([(simple_circuit(), test)]))).to_pylist()
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


def test_a_sheet_without_a_circuit_is_refused() -> None:
    with pytest.raises(ValueError, match="not described"):
        render_sheet(read_bundle(as_bytes(bundle_document(circuits=[], tests=[]))), "", datetime(2026, 1, 2, tzinfo=UTC))


def run_cli(*words: str, data: bytes | None = None) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "mavrik.cli", *words], input=data, capture_output=True, check=False,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )  # fmt: skip


def test_assess_prints_json_without_a_database(tmp_path: Path) -> None:
    file = tmp_path / "job.mavrik.json"
    file.write_bytes(as_bytes(bundle_document()))
    done = run_cli("assess", str(file))
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    home = next(b for b in said["assessment"]["branches"] if b["branch_id"] == "home")
    # 150 mV at 100 A over 0.554 mohm/m x 1 m + 2 lugs of 0.05 mohm, worked by hand.
    assert home["verdict"] == "fail"
    assert home["excess_resistance_ohm"] == pytest.approx(0.846e-3)
    fuse = next(b for b in said["assessment"]["branches"] if b["branch_id"] == "fuse")["fuse"]
    assert fuse["above_load"] and fuse["below_cable"]
    assert run_cli("assess", "-", data=file.read_bytes()).stdout == done.stdout


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
    said = assess_bundle(read_bundle(as_bytes(bundle_document()))).model_dump()
    for name in [
        *said,
        *said["assessment"],
        *said["assessment"]["branches"][0],
        *said["assessment"]["headline"],
        *said["assessment"]["checks"][0],
    ]:
        assert name in text, name


def test_the_sheet_is_printed_from_a_file(tmp_path: Path) -> None:
    file, pdf = tmp_path / "job.json", tmp_path / "sheet.pdf"
    file.write_bytes(as_bytes(bundle_document()))
    assert run_cli("sheet", str(file), str(pdf)).returncode == 0
    assert pdf.read_bytes().startswith(b"%PDF-")


def test_the_published_example_is_sound_and_finds_its_bad_ground() -> None:
    data = (ROOT / "docs" / "formats" / "example.mavrik.json").read_bytes()
    jsonschema.validate(json.loads(data), bundle_schema(), jsonschema.Draft202012Validator)
    assert assess_bundle(read_bundle(data)).assessment.headline.branch_id == "block_ground"
