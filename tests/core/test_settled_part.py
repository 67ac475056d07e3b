"""Which part is bad, where the readings do not tell which of several kinds of fault it has."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.faults import UNLISTED_KIND, fault_table
from mavrik.core.findings.hypotheses import both
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults
from tests.build import judged, runs_of

PROBABLY = fault_table().probably


def judged_with(vehicle: str, *causes: str, seed: int = 1) -> Findings:
    """What is found with everything read on a vehicle with one fault, or two."""
    hidden = {h.causes[0]: h for h in hidden_faults(VEHICLES[vehicle]) if len(h.causes) == 1}
    first, *more = (hidden[c] for c in causes)
    car = HiddenVehicle(VEHICLES[vehicle], both(first, more[0]) if more else first, np.random.default_rng(seed))
    return judged(car.circuit, *runs_of(car, car.everything()))


@pytest.mark.long(but=1)
@pytest.mark.parametrize("seed", [1, 2])
def test_a_unit_is_said_to_be_bad_where_its_phase_or_its_diode_is(seed: int) -> None:
    """Whichever it is, the unit comes out: that nobody can say which must not hide it, nor what hangs on it besides."""
    findings = judged_with("front", "unlisted_load:battery", "phase_lost:alternator", seed=seed)
    part = findings.settled_part
    assert part is not None and part.element == "alternator" and part.probability > 0.95
    assert part.causes[:2] == ("phase_lost:alternator", "diode_open:alternator")
    by_cause = {c.cause: c.probability for c in findings.causes}
    assert max(by_cause[c] for c in part.causes if c in by_cause) < PROBABLY < by_cause["unlisted_load:battery"]
    assert sum(by_cause.get(c, 0.0) for c in part.causes) >= part.probability - 0.02
    line = findings.headline
    assert (line.verdict, line.element) == (BranchVerdict.FAIL, "alternator") and line.text.startswith(
        "Alternator is bad inside: "
    )
    assert "one phase lost in Alternator" in line.why[0] and "one diode open in Alternator" in line.why[0]
    assert line.next_step == part.advice


def test_a_cause_that_is_settled_is_said_and_not_its_part() -> None:
    findings = judged_with("front", "diode_shorted:alternator", seed=2)
    first = next(c for c in findings.causes if c.kind != UNLISTED_KIND)
    assert first.cause == "diode_shorted:alternator" and first.probability >= PROBABLY
    assert findings.settled_part is None and "is bad inside" not in findings.headline.text


def test_what_is_broken_is_said_before_what_hangs_on_it_unlisted() -> None:
    findings = judged_with("car", "unlisted_load:battery", "diode_shorted:alternator", seed=2)
    assert (
        findings.headline.text == "Two causes explain it best: One diode shorted in Alternator; More hangs on it than is listed."
    )
    assert findings.headline.element == "alternator"


def test_what_hangs_on_it_unlisted_is_said_where_nothing_is_broken() -> None:
    findings = judged_with("front", "unlisted_load:battery", seed=5)
    assert findings.settled_part is None and findings.headline.text.startswith("More hangs on it than is listed")


def test_every_part_is_one_that_some_faults_have_in_common() -> None:
    table = fault_table()
    shared = [f.part for f in table.faults.values() if f.part]
    assert set(shared) == set(table.parts) and all(shared.count(p) > 1 for p in table.parts)
