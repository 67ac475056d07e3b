"""What was read of the day that holds whatever is wrong with the vehicle: no unknown, and the same for every set of causes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.findings.charge import levelled
from mavrik.core.findings.placing import IDLES_BELOW_RPM
from mavrik.core.operating.bench_states import IDLE_RPM, RUNNING, BenchState
from mavrik.core.procedures import Observation


@dataclass(frozen=True)
class Day:
    """How charged the batteries were, at which volts the loads were served, how fast the engine idled, where a load bank hung."""

    rest_v: Mapping[str, float] = field(default_factory=dict)
    """Volts read at rest, by battery; of one that nobody read, that of those that metal joins it to."""
    running_v: Mapping[BenchState, Mapping[str, float]] = field(default_factory=dict)
    """Volts read at the batteries while the engine ran, by state."""
    idle_rpm: float = IDLE_RPM
    """How fast the engine idles where nobody noted it beside a test [1/min]."""
    banked: frozenset[str] = frozenset()
    """Batteries that a load bank hung on during the drop test where another unit ran as well: what the two take together is not known.
    With one unit it is what the clamp read, less the loads."""
    levelled: frozenset[str] = frozenset()
    """Batteries that nobody read at rest, though one that metal joins them to."""

    @classmethod
    def of(cls, circuit: Circuit, observations: Sequence[Observation]) -> Day:
        """The day of some readings.

        circuit: the document; observations: of all tests
        """
        banked = frozenset(o.setup.bank_on for o in observations if o.setup.bank_on and len(circuit.alternators) > 1)
        read = rest_voltages(circuit, observations)
        rest_v = read | levelled(circuit, read)
        unread = frozenset(rest_v.keys() - read.keys())
        return cls(rest_v, running_voltages(circuit, observations), idle_speed(observations), banked, unread)


def rest_voltages(circuit: Circuit, observations: Sequence[Observation]) -> dict[str, float]:
    """Volts read at rest, by battery: how charged each really is.

    circuit: the document; observations: readings
    Batteries that read the same within what the meter knows are taken as equal: those in parallel have equalised, and a
    difference that is only the meter's would drive amperes between them.
    """
    by_point = {o.point.id: o.measured for o in observations}
    read = {b.id: by_point[f"rest_v:{b.id}"] for b in circuit.batteries if f"rest_v:{b.id}" in by_point}
    volts = {}
    for others, mine in read.items():
        alike = [t.value for t in read.values() if abs(t.value - mine.value) <= np.hypot(t.uncertainty, mine.uncertainty)]
        volts[others] = float(np.mean(alike))
    return volts


def running_voltages(circuit: Circuit, observations: Sequence[Observation]) -> dict[BenchState, dict[str, float]]:
    """Volts read at the posts while the engine ran, by state and battery; of several readings the one in the middle.

    circuit: the document; observations: readings
    """
    posts = {(b.positive_node, b.negative_node): b.id for b in circuit.batteries}
    read: dict[tuple[BenchState, str], list[float]] = {}
    for o in observations:
        battery = posts.get((o.point.red, o.point.black))
        if battery is not None and o.point.quantity == "voltage" and o.setup.state in RUNNING:
            read.setdefault((o.setup.state, battery), []).append(o.measured.value)
    volts: dict[BenchState, dict[str, float]] = {}
    for (state, battery), values in read.items():
        volts.setdefault(state, {})[battery] = float(np.median(values))
    return volts


def idle_speed(observations: Sequence[Observation]) -> float:
    """The idle speed that was read [1/min], and that of the catalogue where none was: an engine idles alike from test to test.

    observations: of all tests
    """
    read = next((o.measured.value for o in observations if o.point.id == "engine_rpm"), 0.0)
    return read if 0 < read < IDLES_BELOW_RPM else IDLE_RPM
