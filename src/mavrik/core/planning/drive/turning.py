"""How fast a unit has to turn for what is wanted of it."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Alternator
from mavrik.core.operating.devices import unit_output_a


def slowest_shaft_rpm(unit: Alternator, current_a: float) -> float | None:
    """The slowest shaft at which a hot unit gives a current [1/min]; None where none does.

    unit: the alternator; current_a: wanted of it [A]
    Source: `unit_output_a`, solved for the speed by Brent's method.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> unit = front_battery(12).alternator
    >>> slowest_shaft_rpm(unit, 2 * unit.rated_a) is None
    True
    """
    hot = source_table().hot_c
    every = np.linspace(0.0, 20_000.0, 2001)
    gives = unit_output_a(unit, every, hot)
    enough = np.flatnonzero(gives >= current_a)
    if not len(enough):
        return None
    first = int(enough[0])
    if first == 0 or gives[first] == current_a:
        return float(every[first])
    return float(brentq(lambda rpm: float(unit_output_a(unit, rpm, hot)) - current_a, every[first - 1], every[first]))
