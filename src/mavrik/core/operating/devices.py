"""Devices of a circuit document as elements of a network, where more than one user of the solver needs the same."""

from __future__ import annotations

from mavrik.core import network as net
from mavrik.core.circuit import Battery, Circuit, Converter

NO_LIMIT_A = 1e9


def battery_units(circuit: Circuit, battery: Battery) -> int:
    """Units of 12 V in series: as entered, or as the system's voltage has it.

    circuit, battery: a document and a battery of it
    """
    return battery.series or circuit.system_voltage_v // 12


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
