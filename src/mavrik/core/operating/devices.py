"""Devices of a circuit document as elements of a network, where more than one user of the solver needs the same."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.catalogue.sources import internal_resistance_factor, output_limit_a
from mavrik.core.circuit import Alternator, Battery, Circuit, Converter

NO_LIMIT_A = 1e9

LEAST_INNER_OHM = 1e-7
"""No bank of any size has less; a document that says so would cost the arithmetic its digits."""


def battery_units(circuit: Circuit, battery: Battery) -> int:
    """Units of 12 V in series: as entered, or as the system's voltage has it.

    circuit, battery: a document and a battery of it
    """
    return battery.series or circuit.system_voltage_v // 12


def inner_ohm(battery: Battery) -> float:
    """Internal resistance of one unit of 12 V of a battery, as cold and as old as it is [ohm].

    battery: the document's
    Source: `mavrik.core.catalogue.sources.internal_resistance_factor`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> battery = front_battery(12).battery
    >>> round(inner_ohm(battery.model_copy(update={"temperature_c": -18.0})) / inner_ohm(battery), 2)
    1.52
    """
    return max(battery.internal_mohm / 1000, LEAST_INNER_OHM) * internal_resistance_factor(battery.temperature_c, battery.age)


def unit_output_a(unit: Alternator, shaft_rpm: float | NDArray[np.float64], unit_c: float) -> NDArray[np.float64]:
    """The most an alternator of a circuit can give, by its curve, its rating and its kind [A].

    unit: the document's; shaft_rpm: one or many [1/min]; unit_c: of the unit [degC]
    Source: `mavrik.core.catalogue.sources.output_limit_a`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> round(float(unit_output_a(front_battery(12).alternator, 6000, 25)))
    90
    """
    return output_limit_a(unit.rated_a, shaft_rpm, unit_c, unit.curve, unit.kind == "permanent_magnet")


def converter_element(converter: Converter) -> net.Converter:
    """A DC-DC charger as an element.

    converter: the document's; without an input limit of its own it has none
    """
    return net.Converter(
        converter.id,
        converter.in_node,
        converter.ground_node,
        converter.out_node,
        converter.ground_node,
        converter.set_point_v,
        converter.limit_a,
        converter.efficiency,
        converter.input_cut_off_v,
        converter.input_limit_a or NO_LIMIT_A,
    )
