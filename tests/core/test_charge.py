"""How charged batteries were, and how fast those take a charge that nobody read at rest."""

from __future__ import annotations

import math

import numpy as np
import pytest

from mavrik.core.circuit.layouts import front_battery
from mavrik.core.findings.charge import slowing
from mavrik.core.network import EmfSource
from mavrik.core.operating import State, elements_of


@pytest.mark.parametrize("chemistry, mohm", [("flooded", 250.0), ("lifepo4", 15.0)])
def test_an_unread_battery_takes_a_charge_as_the_network_has_it(chemistry: str, mohm: float) -> None:
    """Cool, old and nearly empty, where its internal resistance is all that is left of its charging resistance."""
    car = front_battery(12)
    worn = {"chemistry": chemistry, "temperature_c": 15.0, "age": 1.0, "internal_mohm": mohm, "state_of_charge": 0.6}
    battery = type(car.battery).model_validate({**car.battery.model_dump(), **worn})
    car = car.model_copy(update={"batteries": (battery,)})

    def at_charge(level: float) -> EmfSource:
        elements = elements_of(car, State(state_of_charge={battery.id: level}))
        return next(e for e in elements if isinstance(e, EmfSource))

    volts, slower = slowing(car, battery)
    now = at_charge(0.6)
    for level in (0.02, 0.1, 0.3, 0.6, 0.95):
        there = at_charge(level)
        assert there.charging_ohm is not None and now.charging_ohm is not None
        expected = math.log(there.charging_ohm / now.charging_ohm)
        assert float(np.interp(there.volt - now.volt, volts, slower)) == pytest.approx(expected, abs=0.01)
