"""Net battery current: does the battery gain or give, with everything on?"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from mavrik.core.catalogue.sources import rest_voltage_v
from mavrik.core.circuit import Battery, Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.operating.devices import battery_units
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits

ABOVE_REST_V = 0.5
"""A 12 V battery whose posts show so much more than a full one rests at, and that takes next to nothing, is full; one that is not takes
what it gets there. Common practice, no source."""

STATES = (
    ("idle", "idle, everything on", BenchState.IDLE_LOADED),
    ("fast", "2000 /min, everything on", BenchState.FAST_LOADED),
)


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        point
        for b in circuit.batteries
        for name, words, state in STATES
        for point in (
            Point(f"net_a_{name}:{b.id}", f"{b.label}: current in, {words}", "current", state, element=b.id, signed=True),
            Point(
                f"net_v_{name}:{b.id}", f"{b.label}: volts at its posts, {words}", "voltage", state, b.positive_node, b.negative_node,
                if_bad=f"net_a_{name}:{b.id}",
            ),
        )
    )  # fmt: skip


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements, points = [], {p.id: p for p in _points(circuit)}
    for b in circuit.batteries:
        for name, _, _ in STATES:
            point = points[f"net_a_{name}:{b.id}"]
            if (read := measured.get(point.id)) is None:
                continue
            fails = f"The battery gives {-read.value:.0f} A." if read.value < 0 else "Breaking even is not charging."
            then = "Is the loaded output good? Then nothing is broken: the loads ask for more than the unit gives here. Budget."
            said = against(point, read, limits.of("net_battery"), 1, f"It takes {read.value:.0f} A.", fails, then)
            volts = measured.get(f"net_v_{name}:{b.id}")
            if said.verdict is not Verdict.PASS and volts is not None and read.value > -read.uncertainty:
                said = _perhaps_full(said, b, volts, battery_units(circuit, b))
            judgements.append(said)
    return judgements


def _perhaps_full(said: Judgement, battery: Battery, volts: Measured, units: int) -> Judgement:
    """The same of a battery that takes next to nothing, with what its posts show: a full one takes no more."""
    least = units * (rest_voltage_v(battery.chemistry, 1.0) + ABOVE_REST_V)
    if volts.value - volts.uncertainty < least:
        return said
    rule = f"or its posts show {least:.1f} V, more than a full one rests at: then it is full and takes no more"
    return replace(
        said,
        verdict=Verdict.PASS,
        limit=f"{said.limit}; {rule}",
        why=f"It takes {said.value:.1f} A at {volts.value:.1f} V: it is full, and nothing is drawn from it.",
        next_step="",
    )


NET_BATTERY = Procedure(
    150, "net_battery", "Net battery current", "The one number that says whether a journey charges or drains.", 4, "idle, then 2000 /min, everything on",
    ("running_engine", "never_disconnect"),
    (
        BenchStep("Clamp round the negative lead, all of its wires; arrow so that current into the battery reads positive. Zero it."),
        BenchStep("Everything on: read at idle, then at 2000 /min. Where it takes next to nothing read the volts at its posts too: a full battery takes no more."),
    ),
    _points, _judge, each_more=1,
)  # fmt: skip
