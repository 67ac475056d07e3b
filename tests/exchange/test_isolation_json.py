"""`mavrik isolate` and its format, without a database."""

from __future__ import annotations

import json

import jsonschema
import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.isolation.documents import IsolationPurpose
from mavrik.core.isolation.topologies import TOPOLOGIES
from mavrik.exchange.bundle import read_bundle
from mavrik.exchange.isolation_json import isolate_bundle, isolation_schema
from tests.cli import run_cli
from tests.exchange.test_formats import ROOT, as_bytes, bundle_document

EXAMPLE = ROOT / "docs" / "formats" / "example.mavrik.json"


def test_isolate_prints_table_and_verdict() -> None:
    done = run_cli("isolate", str(EXAMPLE), "--purpose", "emergency")
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    jsonschema.validate(made, isolation_schema(), jsonschema.Draft202012Validator)
    ways = {w["topology"]: w for w in made["ways"]}
    circuit = next(c.document for c in read_bundle(EXAMPLE.read_bytes()).circuits if c.role == "as_found")
    assert list(ways) == [t.name for t in TOPOLOGIES if not t.not_here(circuit)]
    assert ways["positive"]["verdicts"][0]["does"] is False and ways["two_controls"]["verdicts"][0]["does"] is not False
    stopped = next(a for a in ways["positive"]["verdicts"][0]["answers"] if a["rule"] == "engine_stops")
    assert (
        stopped["outcome"] == "broken" and stopped["row"]["runs"] and stopped["row"]["off"] == ["Isolator"] and stopped["change"]
    )
    assert any("does NOT stop" in words for words in ways["positive"]["verdicts"][0]["owner"])


def test_one_way_with_every_row_and_what_cannot_be_had() -> None:
    bundle = read_bundle(EXAMPLE.read_bytes())
    made = isolate_bundle(bundle, IsolationPurpose.STORAGE, "two_controls", every_row=True)
    (way,) = made.ways
    assert len(way.rows) == 4 * 6 and {r.situation for r in way.rows} == {"off", "key_on", "cranking", "idle", "fast", "key_off"}
    with pytest.raises(ValueError, match="no topology 'hammer'"):
        isolate_bundle(bundle, IsolationPurpose.STORAGE, "hammer")
    with pytest.raises(ValueError, match="No winch is drawn"):
        isolate_bundle(bundle, IsolationPurpose.WINCH, "winch")
    with pytest.raises(ValueError, match="no circuit"):
        isolate_bundle(bundle.model_copy(update={"circuits": ()}), IsolationPurpose.STORAGE)
    done = run_cli("isolate", str(EXAMPLE), "--purpose", "fun")
    assert done.returncode == 2 and b"There is no purpose 'fun'" in done.stderr


def test_where_no_way_can_be_had_what_is_in_the_way_of_most_is_said() -> None:
    """Five batteries: that no switch is drawn is true of one way only, and helps nobody."""
    barge = build_layout("house_bank_diagonal", 12).model_dump(mode="json")
    bundle = read_bundle(
        as_bytes(bundle_document(circuits=[{"id": 1, "role": "as_found", "revision": 1, "document": barge}], runs=[]))
    )
    with pytest.raises(ValueError, match="draw one isolator in the bank's common lead"):
        isolate_bundle(bundle, IsolationPurpose.SERVICE)
    with pytest.raises(ValueError, match="No winch is drawn"):
        isolate_bundle(bundle, IsolationPurpose.SERVICE, "winch")
