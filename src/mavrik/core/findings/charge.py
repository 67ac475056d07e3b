"""How charged the batteries were that day, by what was read of them at rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from mavrik.core.catalogue.sources import charging_resistance_ohm, rest_voltage_v
from mavrik.core.circuit import Battery, Chemistry, Circuit, Converter
from mavrik.core.circuit.joined import joined_batteries
from mavrik.core.operating.bench_states import BenchState, load_test_a
from mavrik.core.operating.devices import battery_units, inner_ohm
from mavrik.core.procedures import Observation

Floats = NDArray[np.float64]

LEVELS = np.linspace(0.0, 1.0, 101)
CELLS = {False: 6, True: 4}
"""Of a 12 V battery; lithium iron phosphate: true. Common practice, no source."""

SAGS_V = 0.6
"""So far a sound 12 V battery comes down at most where a charger and all else asks for more than the unit gives, its feed's drop with it.
Our choice, no source."""

BELOW_EMPTY_V = 0.1
"""A 12 V battery that reads this far below empty is not flat but broken: its reading says nothing of its charge. Our choice, no source."""


def as_charged(circuit: Circuit, rest_v: Mapping[str, float]) -> Circuit:
    """The circuit with its batteries as charged as their voltages at rest say.

    circuit: the document; rest_v: volts at rest, by battery; one that no charge explains has a dead cell, and the others say how full
    it is; one that not even that explains stays as documented

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> round(as_charged(front_battery(12), {"battery": 12.24}).battery.state_of_charge, 2)
    0.5
    >>> round(as_charged(front_battery(12), {"battery": 10.2}).battery.state_of_charge, 2)
    0.5
    """
    charged = []
    for b in circuit.batteries:
        units, volts = battery_units(circuit, b), rest_v.get(b.id)
        if volts is not None:
            curve = [rest_voltage_v(b.chemistry.value, float(s)) for s in LEVELS]
            a_battery = volts / units
            if not _by_its_charge(b, a_battery):
                # A cell is dead: the others are as full as what is left says of them.
                cells = CELLS[b.chemistry is Chemistry.LIFEPO4]
                a_battery *= cells / (cells - 1)
            if _by_its_charge(b, a_battery):
                level = float(np.interp(a_battery, curve, LEVELS))
                charged.append(b.model_copy(update={"state_of_charge": level}))
                continue
        charged.append(b)
    return circuit.model_copy(update={"batteries": tuple(charged)})


def _by_its_charge(battery: Battery, unit_v: float) -> bool:
    """Whether a 12 V battery may rest so low because it is flat: it has a dead cell otherwise."""
    return rest_voltage_v(battery.chemistry.value, 0.0) - BELOW_EMPTY_V <= unit_v


def levelled(circuit: Circuit, rest_v: Mapping[str, float]) -> dict[str, float]:
    """Volts at rest of batteries that nobody read, by id: as high as the highest of those that closed metal joins them to and whose charge
    their reading says.

    circuit: the document; rest_v: volts at rest, by battery that was read

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> pair = build_layout("parallel_batteries", 12)
    >>> levelled(pair, {"battery_2": 12.3}), levelled(pair, {"battery_2": 10.3}), levelled(pair, {})
    ({'battery': 12.3}, {}, {})
    """
    groups = joined_batteries(circuit)
    levels: dict[str, float] = {}
    for b in circuit.batteries:
        if (volts := rest_v.get(b.id)) is not None and _by_its_charge(b, volts / battery_units(circuit, b)):
            levels[groups[b.id]] = max(volts, levels.get(groups[b.id], volts))
    return {b: levels[first] for b, first in groups.items() if b not in rest_v and first in levels}


def loaded_voltages(observations: Sequence[Observation]) -> dict[str, float]:
    """Volts read in a load test, by battery.

    observations: readings
    """
    loaded = [o for o in observations if o.setup.state is BenchState.BATTERY_LOAD and o.point.quantity == "voltage"]
    return {o.point.element: o.measured.value for o in loaded}


def may_have_stopped(circuit: Circuit, converter: Converter, rest_v: Mapping[str, float], loaded_v: Mapping[str, float]) -> bool:
    """Whether a sound DC-DC charger may have switched itself off while an output was read: the battery that feeds it rests so low, or
    comes down so far under load, that with all on its input may have come down to its cut-off.

    circuit, converter: the document, one of its chargers; rest_v, loaded_v: volts at rest and in a load test, by battery; one whose rest
    nobody read may be anywhere

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> van = build_layout("second_battery_converter", 12)
    >>> [may_have_stopped(van, van.converters[0], {"battery": v}, {"battery": v - 2}) for v in (12.5, 10.3)]
    [False, True]
    >>> may_have_stopped(van, van.converters[0], {"battery": 12.5}, {"battery": 1.5})
    True
    """
    feeds = circuit.battery
    volts, sags, test_a = rest_v.get(feeds.id), SAGS_V * circuit.system_voltage_v / 12, load_test_a(feeds)
    if volts is None:
        return True
    if feeds.id in loaded_v:
        takes_a = converter.limit_a * converter.set_point_v / (converter.efficiency * converter.input_cut_off_v)
        sags = max(sags, (volts - loaded_v[feeds.id]) * takes_a / test_a)
    return volts - sags < converter.input_cut_off_v


def slowing(circuit: Circuit, battery: Battery) -> tuple[Floats, Floats]:
    """How much more slowly a battery takes a charge the fuller it is, of one whose voltage at rest nobody read.

    circuit, battery: the document, one of its batteries
    Returns how far it may rest from what its document says [V], rising, and the natural logarithm of its charging resistance there, over
    that of the document.
    Source: `charging_resistance_ohm` along `rest_voltage_v`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> volts, slower = slowing(car, car.battery)
    >>> float(np.interp(0.0, volts, slower)), bool(np.interp(-0.3, volts, slower) < -1)
    (0.0, True)
    """
    chemistry, units = battery.chemistry.value, battery_units(circuit, battery)
    rest = np.array([rest_voltage_v(chemistry, float(s)) for s in LEVELS])
    battery_data = (battery.capacity_ah, battery.temperature_c, inner_ohm(battery))
    ohm = np.array([charging_resistance_ohm(chemistry, float(s), *battery_data) for s in LEVELS])
    here = rest_voltage_v(chemistry, battery.state_of_charge)
    return (rest - here) * units, np.log(ohm) - float(np.interp(here, rest, np.log(ohm)))
