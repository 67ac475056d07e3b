"""A limit that sound parts do not meet is a budget and no fault: what the one judgement says of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.changes import Change, What
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.procedures import complete_run
from mavrik.standin.vehicle import HiddenVehicle
from tests.build import judged, runs_of
from tests.core.test_more_faults import MADE, hidden


def read_with(name: str, cause: str, *more: Run, without: tuple[str, ...] = (), **amounts: float) -> Findings:
    vehicle = HiddenVehicle(MADE[name], hidden(MADE[name], cause, **amounts), np.random.default_rng(3))
    read = {k: v for k, v in vehicle.everything().items() if not k.startswith(without)} if without else vehicle.everything()
    return judged(vehicle.circuit, *runs_of(vehicle, read), *more)


def test_a_budget_that_does_not_close_is_said_before_the_limit_it_misses() -> None:
    """With everything on at idle the battery lies under 12.9 V, which is "not charging" by the rule, and every part is whole."""
    findings = read_with("both grounds", "unlisted_load:battery", more_load_a=25.0)
    line = findings.headline
    assert findings.nothing_broken > 0.9 and line.text.startswith("Nothing broken: ") and "a budget, not a fault" in line.text
    assert line.verdict is BranchVerdict.FAIL and "Not charging" in line.text and line.next_step.startswith("Plan for it")
    assert any(w.startswith("Limit: ") for w in line.why) and not line.element
    # What was read, not what the document lets expect.
    given = next(c.magnitude for c in findings.causes if c.cause == "none:")
    net = sum(r.value for t in findings.tests for r in t.readings if r.point.startswith("net_a_idle:"))
    assert net < -20 and f"the batteries give {-net:.0f} A" in given
    # What a part may have is not said of what is whole.
    assert not [w for w in line.why if "wiring" in w or "regulator" in w]


def test_what_is_listed_and_what_is_not_are_one_answer_to_whether_anything_is_broken() -> None:
    """Where no clamp says what the unit gives neither of the two is probable by itself, and both send nobody to mend anything."""
    findings = read_with("front", "unlisted_load:battery", without=("idle_a:", "consumers_a:", "net_v_"))
    both = {c.cause: c.probability for c in findings.causes if c.cause in ("none:", "unlisted_load:battery")}
    assert max(both.values()) < 0.9 < findings.nothing_broken <= sum(both.values()) + 1e-9
    assert findings.headline.text.startswith("Nothing broken: ")
    assert any(w.startswith("More hangs on it than is listed, perhaps") for w in findings.headline.why)


def test_a_voltage_that_is_too_high_is_no_budget() -> None:
    """The regulator does what its document says, and that is too much for a battery and for lamps."""
    car = MADE["both grounds"]
    units = tuple(a.model_copy(update={"set_point_v": 15.3}) for a in car.alternators)
    vehicle = HiddenVehicle(car.model_copy(update={"alternators": units}), hypotheses(car)[0], np.random.default_rng(3))
    findings = judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything()))
    assert findings.nothing_broken > 0.9 and findings.headline.verdict is BranchVerdict.FAIL
    text = findings.headline.text
    assert (
        not text.startswith("Nothing broken") and "a budget" not in text and "By all readings together nothing is broken" in text
    )


def test_a_flat_battery_is_said_and_that_nothing_is_broken() -> None:
    """A battery that rests at 12.1 V misses its limit; all else says that everything is whole."""
    flat = replace(hypotheses(MADE["front"])[0], changes=(Change(What.CHARGE, "battery", -0.4),))
    vehicle = HiddenVehicle(MADE["front"], flat, np.random.default_rng(3))
    line = judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything())).headline
    assert line.text.startswith("Nothing broken: ") and "at rest" in line.text and line.next_step.startswith("Charge it")
    assert line.verdict is BranchVerdict.FAIL and "not settled" not in line.text.lower()


def test_thin_cables_are_said_to_be_whole() -> None:
    """Every part is as new, and the feed is too long for its size."""
    car = MADE["front"]
    longer = tuple(b.model_copy(update={"length_m": 6.0}) if b.id == "charge_cable" else b for b in car.branches)
    vehicle = HiddenVehicle(car.model_copy(update={"branches": longer}), hypotheses(car)[0], np.random.default_rng(3))
    findings = judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything()))
    line = findings.headline
    assert findings.nothing_broken > 0.9 and line.text.startswith("Nothing broken: ") and "at the rated" in line.text
    assert line.verdict is BranchVerdict.FAIL and "Plan a larger size" in line.next_step


@pytest.mark.long
def test_what_another_unit_carries_is_not_carried_to_the_rated_output_of_the_first() -> None:
    """A sound vehicle whose units share the work: its second unit's leads are no failures, and its link has lost no probe."""
    bank = MADE["bank"]
    vehicle = HiddenVehicle(bank, hypotheses(bank)[0], np.random.default_rng(5))
    findings = judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything()))
    assert not [b.label for b in findings.branches if b.verdict is BranchVerdict.CHECK_PROBES]
    beside = [b for b in findings.branches if not b.on_ring and b.judged_drop_v is not None]
    assert len(bank.alternators) > 1 and beside
    for b in beside:
        assert b.judged_drop_v is not None and abs(b.judged_drop_v) < 2.5 * abs(b.rated_drop_v) + 0.05, b


def test_what_no_fault_of_the_catalogue_says_stays_a_failure() -> None:
    """A case that runs hot is judged by its own rule: that all else is whole does not excuse it."""
    run = Run(
        procedure="temperature",
        readings=(Reading(point="case_c:alternator", value=120.0), Reading(point="case_later_c:alternator", value=128.0)),
    )
    findings = read_with("both grounds", "unlisted_load:battery", complete_run(MADE["both grounds"], run), more_load_a=25.0)
    line = findings.headline
    assert (
        findings.nothing_broken > 0.9 and not line.text.startswith("Nothing broken") and "Nothing else is broken: " in line.text
    )
    assert line.verdict is BranchVerdict.FAIL and "°C" in line.text


@pytest.mark.long(but=1)
@pytest.mark.parametrize("cause", ["worn_brushes:alternator", "open:charge_fuse"])
def test_with_a_fault_something_is_broken(cause: str) -> None:
    assert read_with("both grounds", cause).nothing_broken < 0.1
