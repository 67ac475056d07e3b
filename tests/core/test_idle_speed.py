"""The idle speed that was read is that of every idle: what a unit gives there hangs on it."""

from __future__ import annotations

import pytest

from mavrik.core.circuit.layouts import build_layout, front_battery
from mavrik.core.findings.inference import as_idling
from mavrik.core.findings.unknowns import MAGNET_IDLE_SPREAD, Unknowns, What
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.operating.bench_states import AT_IDLE, BenchState
from mavrik.core.procedures import Observation, observations, standing
from tests.build import CLAMP, METER, completed

CAR = front_battery(12)


def read(engine_rpm: float, noted: float | None = None) -> list[Observation]:
    runs = [
        Run(procedure="regulated", instruments=(METER,), readings=(Reading(point="regulated_v:idle", value=14.2, instrument="dmm"), Reading(point="regulated_v:fast", value=14.3, instrument="dmm"))),
        Run(procedure="idle_output", engine_rpm=noted, instruments=(CLAMP,), readings=(Reading(point="engine_rpm", value=engine_rpm), Reading(point="idle_a:alternator", value=30.0, instrument="clamp"))),
    ]  # fmt: skip
    return observations(CAR, standing([completed(CAR, r) for r in runs]))


def test_a_speed_that_was_read_once_is_that_of_every_idle() -> None:
    by_point = {o.point.id: o.setup for o in as_idling(read(920.0))}
    assert by_point["regulated_v:idle"].engine_rpm == 920.0 and by_point["idle_a:alternator"].engine_rpm == 920.0
    assert by_point["regulated_v:fast"].engine_rpm is None


def test_what_was_noted_beside_a_test_goes_before() -> None:
    by_point = {o.point.id: o.setup for o in as_idling(read(920.0, noted=1000.0))}
    assert by_point["idle_a:alternator"].engine_rpm == 1000.0 and by_point["regulated_v:idle"].engine_rpm == 920.0


@pytest.mark.parametrize("rpm", [0.0, 2000.0])
def test_what_is_no_idle_speed_says_nothing_of_it(rpm: float) -> None:
    assert all(o.setup.engine_rpm is None for o in as_idling(read(rpm)))


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
