"""Proposals made side by side are those that each would be by itself, and one that fails spoils no other."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.planning.side_by_side import Sizing, finished, finished_together
from mavrik.core.planning.sizing import proposing
from mavrik.core.planning.targets import Proposal, SizingError, SizingTarget
from mavrik.core.protection.continuous import continuous_currents

ASKED = [("front_battery", 140.0), ("front_battery", 180.0), ("rear_battery", 150.0), ("boat_selector", 120.0)]


def sizing_of(layout: str, amps: float) -> Sizing[Proposal]:
    return proposing(build_layout(layout, 12), SizingTarget(target_current_a=amps))


def test_what_comes_of_several_is_what_comes_of_each() -> None:
    shares: list[float] = []
    together = finished_together([sizing_of(*a) for a in ASKED], (SizingError,), shares.append)
    assert together == [finished(sizing_of(*a)) for a in ASKED]
    assert shares == sorted(shares) and shares[0] == 0.0


def broken(circuit: Circuit) -> Sizing[dict[str, float]]:
    yield circuit
    return continuous_currents(circuit)


def test_one_that_cannot_be_computed_fails_alone() -> None:
    car = build_layout("front_battery", 12)
    away = car.model_copy(update={"nodes": car.nodes[:-1]})
    results = finished_together([broken(car), broken(away), broken(car)], (CircuitError, KeyError))
    assert results[0] == results[2] == continuous_currents(car)
    alone: object
    try:
        alone = finished(broken(away))
    except (CircuitError, KeyError) as error:
        alone = type(error)
    assert (type(results[1]) if isinstance(results[1], Exception) else results[1]) == alone


def test_what_nobody_expects_is_raised_and_a_stop_stops() -> None:
    def bad() -> Sizing[int]:
        raise RuntimeError("no")
        yield build_layout("front_battery", 12)

    with pytest.raises(RuntimeError):
        finished_together([bad()], (SizingError,))

    def stop(_: float) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        finished_together([sizing_of(*ASKED[0])], (SizingError,), stop)
