"""`mavrik solve` and its formats, without a database."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from mavrik.core.circuit.layouts import LAYOUTS
from mavrik.core.operating import State
from mavrik.exchange.bundle import read_bundle, write_bundle
from mavrik.exchange.operating_json import operating_point_schema, read_state, solve_bundle, state_schema
from tests.cli import run_cli
from tests.exchange.test_formats import ROOT, as_bytes, bundle_document

EXAMPLE = ROOT / "docs" / "formats" / "example.mavrik.json"


@pytest.mark.long(but=6)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
def test_every_layout_goes_out_and_in_and_is_solved(layout: object, tmp_path: Path) -> None:
    document = bundle_document()
    document["circuits"] = [{"id": 1, "role": "as_found", "revision": 1, "document": layout.build(12).model_dump(mode="json")}]  # type: ignore[attr-defined]
    document["runs"] = []
    bundle = read_bundle(as_bytes(document))
    assert read_bundle(write_bundle(bundle)) == bundle
    made = json.loads(solve_bundle(bundle, State()).model_dump_json())
    jsonschema.validate(made, operating_point_schema(), jsonschema.Draft202012Validator)
    assert {b["branch_id"] for b in made["point"]["branches"]} == {
        b["id"] for b in document["circuits"][0]["document"]["branches"]
    }


def test_a_circuit_of_version_1_is_read_as_the_newest() -> None:
    document = json.loads(EXAMPLE.read_bytes())
    for version in document["circuits"]:
        version["document"]["schema_version"] = 1
    assert {c.document.schema_version for c in read_bundle(as_bytes(document)).circuits} == {2}


def test_solve_prints_json_and_writes_a_netlist(tmp_path: Path) -> None:
    state, netlist = tmp_path / "state.json", tmp_path / "out.cir"
    state.write_text(json.dumps({"engine_rpm": 800, "warmed_up": True}))
    jsonschema.validate(json.loads(state.read_text()), state_schema(), jsonschema.Draft202012Validator)
    done = run_cli("solve", str(EXAMPLE), "--state", str(state), "--spice", str(netlist))
    assert done.returncode == 0, done.stderr
    point = json.loads(done.stdout)["point"]
    assert point["state"]["engine_rpm"] == 800
    assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.01)
    assert netlist.read_text().startswith("* Mavrik:") and ".op" in netlist.read_text()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "not JSON"),
        ("[]", "cannot be taken"),
        ('{"engine_rpm": -5}', "engine_rpm"),
        ('{"engine_rpm": 1e400}', "engine_rpm"),
        ('{"speed": 5}', "speed"),
        ('{"loads_on": {"ghost": true}}', "ghost"),
        ('{"fault": {"from_node": "x", "to_node": "y"}}', "no node"),
        ("\xff\xfe", "not JSON"),
    ],
)
def test_a_bad_state_is_exit_2_and_one_line(tmp_path: Path, text: str, words: str) -> None:
    state = tmp_path / "state.json"
    state.write_bytes(text.encode("latin-1"))
    done = run_cli("solve", str(EXAMPLE), "--state", str(state))
    assert done.returncode == 2 and done.stdout == b""
    message = done.stderr.decode()
    assert words in message and "Traceback" not in message and len(message.strip().splitlines()) == 1


def test_solve_help_says_every_field() -> None:
    text = run_cli("solve", "--help").stdout.decode()
    answer = solve_bundle(read_bundle(EXAMPLE.read_bytes()), State()).model_dump()
    fuse = answer["protection"]["protectors"][0]
    for part in (
        answer,
        answer["point"],
        answer["point"]["branches"][0],
        answer["point"]["devices"][0],
        answer["gains"]["branches"][0],
        fuse,
    ):
        answer = {**answer, **part}
    for name in [*answer, *(c["name"] for c in fuse["checks"]), *State.model_fields]:
        assert name in text, name


def test_a_state_may_be_empty() -> None:
    assert read_state(b"{}") == State()
