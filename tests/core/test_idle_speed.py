"""The idle speed that was read is that of every idle: what a unit gives there hangs on it."""

from __future__ import annotations

import pytest

from mavrik.core.circuit.layouts import build_layout, front_battery
from mavrik.core.findings.bench_model import BenchModel, planned
from mavrik.core.findings.day import Day, idle_speed
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.unknowns import MAGNET_IDLE_SPREAD, Unknowns, What
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.operating.bench_states import AT_IDLE, IDLE_RPM, BenchState, Setup
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.procedures import Observation, observations, procedure, standing
from mavrik.core.procedures.bench.full_output import HOT_C
from tests.build import CLAMP, METER, completed

CAR = front_battery(12)


def read(engine_rpm: float) -> list[Observation]:
    runs = [
        Run(procedure="regulated", instruments=(METER,), readings=(Reading(point="regulated_v:idle", value=14.2, instrument="dmm"), Reading(point="regulated_v:fast", value=14.3, instrument="dmm"))),
        Run(procedure="idle_output", instruments=(CLAMP,), readings=(Reading(point="engine_rpm", value=engine_rpm), Reading(point="idle_a:alternator", value=30.0, instrument="clamp"))),
    ]  # fmt: skip
    return observations(CAR, standing([completed(CAR, r) for r in runs]))


def at(model: BenchModel, state: BenchState, noted: float | None = None) -> float:
    return model.assembled(Setup(state, engine_rpm=noted)).state.engine_rpm


def test_a_speed_that_was_read_once_is_that_of_every_idle() -> None:
    assert idle_speed(read(920.0)) == 920.0
    model = BenchModel(CAR, Day(idle_rpm=920.0))
    assert {at(model, s) for s in AT_IDLE} == {920.0}
    assert at(model, BenchState.FAST) == at(BenchModel(CAR), BenchState.FAST)


def test_what_was_noted_beside_a_test_goes_before() -> None:
    model = BenchModel(CAR, Day(idle_rpm=920.0))
    assert at(model, BenchState.IDLE_LOADED, noted=1000.0) == 1000.0 and at(model, BenchState.IDLE) == 920.0


@pytest.mark.parametrize("rpm", [0.0, 2000.0])
def test_what_is_no_idle_speed_says_nothing_of_it(rpm: float) -> None:
    assert idle_speed(read(rpm)) == IDLE_RPM


def test_an_engine_that_was_not_held_at_speed_had_its_own_idle() -> None:
    """Where a test asks for 2000 /min and the engine idled, a unit has what it has at the idle speed that was read."""
    slow = next(h for h in hypotheses(CAR) if h.slow)
    placed = planned(tuple(p for p in procedure("full_output").points(CAR) if not p.own_rule))
    given = [
        float(BenchModel(CAR, Day(idle_rpm=rpm)).predict(placed, [hypotheses(CAR)[0], slow])[1, 0]) for rpm in (700.0, 900.0)
    ]
    fast = [unit_output_a(CAR.alternator, rpm * CAR.alternator.pulley_ratio, HOT_C) for rpm in (700.0, 900.0)]
    assert given[1] / given[0] == pytest.approx(float(fast[1] / fast[0]), rel=0.02)


def test_what_a_unit_gives_at_idle_is_evidence() -> None:
    points = {o.point.id: o.point for o in read(800.0)}
    assert not points["idle_a:alternator"].own_rule and points["idle_a:alternator"].state is BenchState.IDLE_LOADED
    assert BenchState.IDLE_LOADED in AT_IDLE


def test_a_magnet_stator_may_give_anything_at_idle_unless_its_curve_is_known() -> None:
    """Steep there, and begun anywhere between 600 and 1000 /min: common practice, no source."""
    bike = build_layout("motorcycle", 12)

    def width(circuit) -> float:  # type: ignore[no-untyped-def]
        u = Unknowns.of(circuit)
        return float(u.width[u.place[What.IDLE_SHARE, circuit.alternator.id]])

    assert width(bike) == MAGNET_IDLE_SPREAD > 2 * width(CAR)
    curve = [{"shaft_rpm": 800, "output_a": 8.0}, {"shaft_rpm": 5000, "output_a": 25.0}]
    unit = type(bike.alternator).model_validate({**bike.alternator.model_dump(), "curve": curve})
    assert width(bike.model_copy(update={"alternators": (unit,)})) == width(CAR)
