"""Idle soak: everything on, half an hour of idle, the voltage logged."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState

MINUTES = (0, 5, 10, 15, 20, 25, 30)


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    b = circuit.battery
    return tuple(
        Ask(f"soak_v:{m}", f"Battery after {m} min" if m else "Battery at the start", Unit.VOLT, BenchState.IDLE_LOADED, b.positive_node, b.negative_node, beside=True, after_s=60.0 * m)
        for m in MINUTES
    )  # fmt: skip


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    asks = [a for a in _asks(circuit) if a.id in taken]
    if not asks:
        return []
    last = asks[-1]
    minutes = np.array([float(a.id.split(":")[1]) for a in asks])
    volts = np.array([taken[a.id].value for a in asks])
    trend = ""
    if len(asks) > 2:
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
            taken[last.id],
            limits.of("soak_short"),
            scale,
            f"Enough output at idle.{trend}",
            f"Short of output at idle.{trend}",
            then,
        )
    ]


IDLE_SOAK = Procedure(
    "idle_soak", "Idle soak", "Taxi ranks, boats, night work: thirty minutes of idle say what a minute cannot.", 30, "idle, everything on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Warm engine, idle, everything on; meter across the battery posts."), BenchStep("Start the clock, read at once and then every ten minutes; a connected meter is logged every five by itself.", 1800)),
    _asks, _judge,
)  # fmt: skip
