"""A very large circuit: so many causes are weighed as there is time for, those that the readings pull at first."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.editing import insert_after
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.effort import TooMuchWorkError, allowed
from mavrik.core.findings import extent, inference, judge, sampling
from mavrik.core.findings.fit import Fit
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.measuring.readings import Run
from mavrik.core.procedures import observations, standing
from tests.build import drops_with

BAD = "long_feed"
FURTHER = 14


@cache
def long_car() -> Circuit:
    """A car whose feed has many parts, one after the other, each with its own name."""
    circuit = build_layout("competition_car", 12)
    for _ in range(FURTHER):
        circuit, _ = insert_after(circuit, BAD, "cable")
    return circuit.model_copy(
        update={"branches": tuple(b.model_copy(update={"label": f"{b.label} {k}"}) for k, b in enumerate(circuit.branches))}
    )


@cache
def read() -> Run:
    """Every drop, one lead having 6 mohm too much."""
    return drops_with(long_car(), 80, {BAD: 0.006})


def test_the_bad_lead_is_among_the_few_that_are_weighed(monkeypatch: pytest.MonkeyPatch) -> None:
    everything = judge(long_car(), [read()], ahead=False)
    assert everything.not_weighed == ()
    monkeypatch.setattr(extent, "FIT_WORK", 1.0)
    few = judge(long_car(), [read()], ahead=False)
    every = {b.branch_id: b for b in few.branches}
    assert len(few.not_weighed) == len(every) - extent.LEAST_BRANCHES
    assert every[BAD].label not in few.not_weighed
    assert (
        (few.headline.element, few.causes[0].element) == (BAD, BAD) == (everything.headline.element, everything.causes[0].element)
    )
    for b in everything.branches:
        assert every[b.branch_id].verdict is b.verdict, b.label


def test_a_second_fault_on_a_lead_that_was_left_out_is_found_beside_the_first(monkeypatch: pytest.MonkeyPatch) -> None:
    car = long_car()
    monkeypatch.setattr(extent, "FIT_WORK", 1.0)
    monkeypatch.setattr(extent, "LEAST_BRANCHES", 1)
    findings = judge(car, [drops_with(car, 80, {BAD: 0.006, "engine_ground": 0.0045})], ahead=False)
    assert {"Long feed", "Engine ground"} <= {label.rsplit(" ", 1)[0] for label in findings.together} or {
        c.element for c in findings.causes[:2]
    } == {BAD, "engine_ground"}


def test_what_a_judgement_takes_is_counted_and_can_be_refused() -> None:
    with pytest.raises(TooMuchWorkError), allowed(1000.0):
        judge(long_car(), [read()], ahead=False)


def test_draws_are_the_same_a_few_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    whole = judge(long_car(), [read()], ahead=False)
    monkeypatch.setattr(sampling, "MOST_DRAWN", 1)
    apart = judge(long_car(), [read()], ahead=False)
    for mine, its in zip(apart.causes, whole.causes, strict=True):
        assert mine.cause == its.cause and mine.probability == pytest.approx(its.probability, abs=1e-6)


def test_readings_along_the_lines_are_those_that_the_jacobian_is_of() -> None:
    """Each column of the Jacobian against the readings a little further on."""
    car = build_layout("competition_car", 12)
    evidence = tuple(observations(car, standing([drops_with(car, 80, {BAD: 0.006})], ())))
    problem = FitProblem.of(car, inference.BenchModel(car), evidence)
    suspect = next(h for h in hypotheses(car) if h.causes == (f"resistance:{BAD}",))
    fit = Fit(problem, [Trial(suspect.causes, suspect, 0.0)])
    only = np.zeros(1, dtype=np.int64)
    fit.solve(only)
    seen, jacobian = fit.lines(only)
    assert fit.seen(only) == pytest.approx(seen)
    for k in range(fit.now.shape[1]):
        step = 1e-6 * max(float(fit.width[0, k]), 1e-3)
        fit.now[0, k] += step
        assert (fit.seen(only) - seen)[0] / step == pytest.approx(jacobian[0, :, k], rel=1e-3, abs=1e-5)
        fit.now[0, k] -= step
