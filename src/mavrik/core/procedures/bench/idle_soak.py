"""Idle soak: everything on, half an hour of idle, the voltage logged."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits

MINUTES = (0, 5, 10, 15, 20, 25, 30)


def _points(circuit: Circuit) -> tuple[Point, ...]:
    b = circuit.battery
    return tuple(
        Point(f"soak_v:{m}", f"Battery after {m} min" if m else "Battery at the start", "voltage", BenchState.IDLE_LOADED, b.positive_node, b.negative_node, own_rule=True, after_s=60.0 * m)
        for m in MINUTES
    )  # fmt: skip


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    points = [a for a in _points(circuit) if a.id in measured]
    if not points:
        return []
    last = points[-1]
    minutes = np.array([float(a.id.split(":")[1]) for a in points])
    volts = np.array([measured[a.id].value for a in points])
    trend = ""
    if len(points) > 2:
        slope = float(np.polyfit(minutes, volts, 1)[0]) * 10
        trend = (
            f" It {'falls' if slope < 0 else 'rises'} {abs(slope):.2f} V every ten minutes."
            if abs(slope) >= 0.02 * scale
            else " It holds."
        )
    then = "Net battery current and output at idle: short of output, or more load than the unit was built for?"
    return [
        against(
            last,
            measured[last.id],
            limits.of("soak_short"),
            scale,
            f"Enough output at idle.{trend}",
            f"Short of output at idle.{trend}",
            then,
        )
    ]


IDLE_SOAK = Procedure(
    180, "idle_soak", "Idle soak", "Taxi ranks, boats, night work: thirty minutes of idle say what a minute cannot.", 30, "idle, everything on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Warm engine, idle, everything on; meter across the battery posts."), BenchStep("Start the clock, read at once and then every ten minutes; a connected meter is logged every five by itself.", 1800)),
    _points, _judge,
)  # fmt: skip
