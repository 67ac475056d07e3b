"""Cranking: the battery's least voltage, and the drop along each lead that carries the starter."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState, carrying
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits

SHARE = 0.05
"""Of the starter's current; a lead that carries less tells nothing."""


@lru_cache(maxsize=64)
def _points(circuit: Circuit) -> tuple[Point, ...]:
    if not any(x.cranking for x in circuit.loads):
        return ()
    battery = circuit.battery
    leads = [circuit.branch(i) for i in carrying(circuit, BenchState.CRANKING, SHARE)]
    points = [
        Point(
            "crank_v",
            "Battery while cranking",
            "voltage",
            BenchState.CRANKING,
            battery.positive_node,
            battery.negative_node,
            capture="cranking",
            capture_s=10.0,
        )
    ]
    points += [
        Point(f"crank_drop:{b.id}", f"{b.label}, cranking", "voltage_drop", BenchState.CRANKING, b.from_node, b.to_node, b.id)
        for b in leads
    ]
    return tuple(points)


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    judgements = []
    for point in _points(circuit):
        read = measured.get(point.id)
        if read is None:
            continue
        if point.quantity == "voltage_drop":
            size = Measured(abs(read.value), read.uncertainty)
            judgements.append(
                against(
                    point,
                    size,
                    limits.of("cranking_lead"),
                    scale,
                    "The lead is good for the starter.",
                    "This lead eats the starter's volts.",
                    "Clean both ends and read again; still high: a larger or new lead.",
                )
            )
        else:
            judgements.append(
                against(
                    point,
                    read,
                    limits.of("cranking"),
                    scale,
                    "The battery holds up.",
                    "The battery falls too far: weak, empty, or the starter takes too much.",
                    "Load or conductance test of the battery at rest, then the starter's current.",
                )
            )
    return judgements


CRANKING = Procedure(
    70, "cranking", "Cranking", "The starter is the hardest load there is: bad leads and batteries show at once.", 5, "cranking, fuel or ignition held off",
    ("jewellery", "running_engine"),
    (BenchStep("Hold fuel or ignition off so that it cranks without starting."), BenchStep("Crank for five seconds and keep the least reading.", 5), BenchStep("Then each lead end to end, cranking again; let the starter cool between.")),
    _points, _judge,
)  # fmt: skip
