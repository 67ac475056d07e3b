"""Nothing broken is never said to be surer than the readings are: what they would look the same with is named, and what would show it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.findings import BranchVerdict, Findings, judge
from mavrik.core.findings.changes import Change, What
from mavrik.core.findings.documents import NotShown
from mavrik.core.findings.faults import NOTHING, fault_table
from mavrik.core.findings.inference import Candidate, infer
from mavrik.core.findings.next_reading import look_ahead
from mavrik.core.findings.not_shown import WORTH_A_WORD, in_one_line, likeliest_fine, not_ruled_out
from mavrik.core.procedures import observations, procedure, standing
from mavrik.standin.vehicle import HiddenVehicle
from tests.build import runs_of
from tests.core.test_more_faults import MADE, hidden


def short_feed() -> Circuit:
    """A car of which nothing misses a limit: its feed is short for its size."""
    car = MADE["front"]
    return car.model_copy(
        update={"branches": tuple(b.model_copy(update={"length_m": 0.8}) if b.id == "charge_cable" else b for b in car.branches)}
    )


CAR = short_feed()


def found(cause: str = NOTHING, flat: float = 0.0, without: tuple[str, ...] = (), ahead: bool = True) -> Findings:
    """What is found on that car with everything read but the points that begin with some words.

    flat: how much less than its document says the battery is charged, as a share
    """
    base = hidden(CAR, cause)
    made = replace(base, changes=(*base.changes, *((Change(What.CHARGE, CAR.battery.id, -flat),) if flat else ())))
    vehicle = HiddenVehicle(CAR, made, np.random.default_rng(3))
    read = {k: v for k, v in vehicle.everything().items() if not k.startswith(without)} if without else vehicle.everything()
    return judge(CAR, runs_of(vehicle, read), ahead=ahead)


def test_a_vehicle_that_was_read_whole_has_nothing_left_to_say() -> None:
    findings = found()
    assert findings.nothing_broken > 0.9 and findings.not_shown == ()
    assert findings.headline.verdict is BranchVerdict.PASS and findings.headline.text.startswith("Sound")


def test_what_nobody_tested_is_named_with_the_test_that_shows_it() -> None:
    findings = found(without=("drain_a",))
    named = {f.cause: f for f in findings.not_shown}
    drain = named["drain:battery"]
    assert drain.shown_by == f"This test shows it: {procedure('drain').title.lower()}."
    assert (
        WORTH_A_WORD < drain.probability == pytest.approx(next(c.probability for c in findings.causes if c.cause == drain.cause))
    )
    line = findings.headline
    assert line.verdict is BranchVerdict.PASS and line.text.startswith("What was read is sound")
    assert line.why[0].startswith("Not ruled out, what was read would look the same: ") and "(" in line.why[0]
    assert drain.label[1:] in line.why[0] and line.why[0].endswith(drain.shown_by)


def test_a_flat_battery_may_be_sulphated_and_its_own_advice_says_what_to_do() -> None:
    """No test of the list shows it, and charging it for the tests does not either: it takes a night."""
    findings = found(flat=0.4)
    (flat,) = [f for f in findings.not_shown if f.cause == "sulphated:battery"]
    assert findings.nothing_broken > 0.9 and flat.shown_by.startswith("Charge it slowly for a night")
    assert findings.headline.text.startswith("Nothing broken: ") and findings.headline.why[0].startswith("Not ruled out")


def test_with_something_broken_what_is_open_is_told_by_the_causes() -> None:
    findings = found(cause="worn_brushes:alternator", without=("drain_a", "noticed"))
    assert findings.nothing_broken < 0.1 and findings.not_shown == ()


def test_a_draft_names_it_too_and_looks_for_nothing() -> None:
    """What is typed is judged without looking ahead."""
    findings = found(without=("drain_a",), ahead=False)
    assert (
        findings.nothing_broken > 0.5
        and "drain:battery" in {f.cause for f in findings.not_shown}
        and {f.shown_by for f in findings.not_shown} == {""}
    )
    assert findings.headline.why[0].endswith(").")


def test_where_no_test_is_left_its_own_advice_says_what_to_do() -> None:
    vehicle = HiddenVehicle(CAR, hidden(CAR, NOTHING), np.random.default_rng(3))
    read = {k: v for k, v in vehicle.everything().items() if not k.startswith("drain_a")}
    posterior = infer(CAR, observations(CAR, standing(runs_of(vehicle, read), ())))
    ahead = look_ahead(posterior, frozenset(o.point.id for o in posterior.evidence), {}, procedures=())
    assert ahead.tests == ahead.actions == () and ahead.deciding is None
    assert ahead.shown_by == {"drain:battery": fault_table().faults["drain"].advice}


@pytest.mark.parametrize(("beside", "named"), [(0.0, False), (0.1, False), (0.7, True)])
def test_where_more_hangs_on_it_than_is_listed_a_fault_is_held_against_that(beside: float, named: bool) -> None:
    """The readings speak of a drain where more on it explains them and a drain does not, although nothing broken explains them no better.

    beside: with more on it, what a drain is lowered by
    """
    vehicle = HiddenVehicle(CAR, hidden(CAR, NOTHING), np.random.default_rng(3))
    read = {k: v for k, v in vehicle.everything().items() if not k.startswith("noticed")}
    posterior = infer(CAR, observations(CAR, standing(runs_of(vehicle, read), ())))
    drain, load = "drain:battery", "unlisted_load:battery"
    one = {c.causes: c for c in posterior.candidates if c.causes in ((NOTHING,), (drain,), (load,))}

    def of(causes: tuple[str, ...], raised: float) -> Candidate:
        """A set that the readings raise by a factor."""
        fits = [one[c,].fitted for c in causes]
        assert all(f is not None for f in fits)
        log_prior = sum(f.trial.log_prior for f in fits if f is not None)
        fitted = replace(fits[0], trial=replace(fits[0].trial, log_prior=log_prior))  # type: ignore[type-var]
        return replace(one[causes[0],], causes=causes, probability=float(np.exp(log_prior)) * raised, fitted=fitted)

    sets = [of((NOTHING,), 0.01), of((drain,), 0.01), of((load,), 1.0), *([of((drain, load), beside)] if beside else [])]
    total = sum(c.probability for c in sets)
    ranked = sorted((replace(c, probability=c.probability / total) for c in sets), key=lambda c: -c.probability)
    assert likeliest_fine(replace(posterior, candidates=tuple(ranked))).causes == (load,)
    unseen = not_ruled_out(replace(posterior, candidates=tuple(ranked)))
    assert [(u.cause, u.likeliest.causes) for u in unseen] == ([(drain, (drain, load))] if named else [])


def test_of_many_the_likeliest_are_named_and_the_rest_counted() -> None:
    faults = [NotShown(f"drain:b{k}", f"Drain at Bank {k}", 0.05, "Do this.") for k in range(5)]
    (line,) = in_one_line(faults)
    assert line == (
        "Not ruled out, what was read would look the same: drain at Bank 0 (5%), drain at Bank 1 (5%), drain at Bank 2 (5%) and 2 more. "
        "Do this."
    )
    assert in_one_line([]) == ()
    # What shows one of them alone is not said of all.
    assert "Do this" not in in_one_line([*faults, replace(faults[0], shown_by="Do that.")])[0]
