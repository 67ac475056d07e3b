"""The engine speed that was noted beside a test: what the unit can give there is what it is held against."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core.findings import Findings
from mavrik.core.findings.faults import NOTHING
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState, Setup, state_of
from mavrik.core.procedures import complete_run, procedure
from mavrik.core.procedures.records import setups_of
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults
from tests.build import judged, runs_of

CAR = VEHICLES["front"]
ASKS_FOR_SPEED = ("full_output", "ripple")


def judged_with(cause: str, noted_rpm: float | None) -> Findings:
    """All tests on a vehicle of the stand-in; those that ask for speed alone with the engine speed that was noted beside them."""
    hidden = next(h for h in hidden_faults(CAR) if h.causes == (cause,))
    bench = HiddenVehicle(CAR, hidden, np.random.default_rng(5))
    # Idle and speed are both in these: what was noted is of neither, and what is read there says by itself how fast the engine ran.
    both = ("regulated_", "net_", "idle_a:", "consumers_a:")
    readings = {k: v for k, v in bench.everything().items() if not k.startswith(both)}
    runs = [
        r.model_copy(update={"engine_rpm": noted_rpm}) if r.procedure in ASKS_FOR_SPEED else r for r in runs_of(bench, readings)
    ]
    return judged(CAR, *runs, ahead=False)


def test_a_test_made_at_idle_by_its_own_note_condemns_no_unit() -> None:
    """The unit gives at idle what it should there; without the note it was the engine that was not held at speed, or weak brushes."""
    noted, unsaid = judged_with("slow_engine:", 800.0), judged_with("slow_engine:", None)
    assert noted.causes[0].cause == NOTHING
    assert unsaid.causes[0].cause != NOTHING
    judgement = next(j for t in noted.tests if t.procedure == "full_output" for j in t.judgements)
    assert (
        judgement.verdict is not Verdict.FAIL
        and "800 /min" in judgement.why
        and judgement.next_step.startswith("Hold the engine at 2000 /min")
    )


def test_a_weak_unit_at_the_speed_that_was_noted_is_no_engine_that_idled() -> None:
    findings = judged_with("worn_brushes:alternator", 2000.0)
    assert not [c for c in findings.causes if c.kind == "slow_engine"]
    assert [c for c in judged_with("worn_brushes:alternator", None).causes if c.kind == "slow_engine"]
    judgement = next(j for t in findings.tests if t.procedure == "full_output" for j in t.judgements)
    assert judgement.verdict is Verdict.FAIL and "/min" not in judgement.why


@pytest.mark.parametrize(
    ("name", "rpm", "known"),
    [("full_output", 1850.0, 1850.0), ("idle_output", 740.0, 740.0), ("regulated", 2000.0, None), ("full_output", 0.0, None)],
)
def test_a_speed_that_may_be_of_either_state_or_of_none_is_not_taken(name: str, rpm: float, known: float | None) -> None:
    point = next(p for p in procedure(name).points(CAR) if p.meter)
    run = complete_run(CAR, Run(procedure=name, engine_rpm=rpm, readings=(Reading(point=point.id, value=14.0),)))
    assert {s.engine_rpm for s in setups_of(CAR, run).values()} == {known}


def test_the_state_has_the_speed_that_was_noted() -> None:
    setup = Setup(BenchState.FULL_OUTPUT)
    assert state_of(setup, CAR).engine_rpm == 2000 and state_of(replace(setup, engine_rpm=1700.0), CAR).engine_rpm == 1700


def test_an_engine_too_slow_to_excite_the_unit_is_said() -> None:
    """Below its cut-in a unit gives nothing, and of nothing there is no share."""
    run = complete_run(
        CAR, Run(procedure="full_output", engine_rpm=300.0, readings=(Reading(point="output_a:alternator", value=5.0),))
    )
    judgement = next(j for t in judged(CAR, run).tests for j in t.judgements)
    assert judgement.why == "Nothing is to be expected of it at 300 /min." and judgement.next_step.startswith(
        "Hold the engine at 2000 /min"
    )
