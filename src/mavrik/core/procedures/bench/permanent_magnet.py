"""Permanent-magnet systems of motorcycles and small engines: three equal phases, none to ground, then DC at the battery."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against, plainly
from mavrik.core.procedures.bench_limits import Limits

PHASES = ("1-2", "2-3", "3-1")


def _points(circuit: Circuit) -> tuple[Point, ...]:
    if circuit.alternator.kind != "permanent_magnet":
        return ()
    b = circuit.battery
    points = [
        Point(
            f"phase_v:{p}",
            f"AC volts {p}, plug open",
            "ac_voltage",
            BenchState.FAST,
            element=circuit.alternator.id,
            own_rule=True,
        )
        for p in PHASES
    ]
    points.append(
        Point(
            "phase_clear",
            "No continuity from any phase to ground, engine off",
            "yes_no",
            BenchState.REST,
            element=circuit.alternator.id,
            indicator="clear",
        )
    )
    points.append(
        Point(
            "magnet_dc_v",
            "DC at the battery, plugged in",
            "voltage",
            BenchState.FAST,
            b.positive_node,
            b.negative_node,
            asked_elsewhere=True,
        )
    )
    return tuple(points)


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    points = {a.id: a for a in _points(circuit)}
    judgements = []
    phases = [measured[f"phase_v:{p}"] for p in PHASES if f"phase_v:{p}" in measured]
    if len(phases) == len(PHASES):
        mean = float(np.mean([p.value for p in phases]))
        far = max(PHASES, key=lambda p: abs(measured[f"phase_v:{p}"].value - mean))
        read = measured[f"phase_v:{far}"]
        share = Measured(abs(read.value - mean) / mean if mean > 0 else 1.0, read.uncertainty / mean if mean > 0 else 0.0)
        words = f"The one farthest off lies {share.value:.0%} from the mean of {mean:.1f} V."
        judgements.append(
            against(
                points[f"phase_v:{far}"],
                share,
                limits.of("phase_share"),
                1,
                words,
                f"{words} A winding is short or open.",
                "Stator off, winding by winding.",
            ).of(read)
        )
    if "phase_clear" in measured:
        judgements.append(
            plainly(
                points["phase_clear"],
                measured["phase_clear"],
                "no winding touches ground",
                "No winding touches ground.",
                "A winding touches ground.",
                "Replace the stator.",
            )
        )
    if "magnet_dc_v" in measured:
        dc = measured["magnet_dc_v"]
        high = dc.value > 15
        judgements.append(
            against(points["magnet_dc_v"], dc, limits.of("magnet_dc"), circuit.system_voltage_v / 12, "It charges.", "It overcharges." if high else "It does not charge.", "Regulator/rectifier and its ground." if high else "Phases good with the plug open: regulator/rectifier, its plug, its ground.")
        )  # fmt: skip
    return judgements


PERMANENT_MAGNET = Procedure(
    130, "permanent_magnet", "Stator with magnets", "Phases first, with the plug open: that parts stator from regulator.", 8, "about 3000 /min for the phases",
    ("running_engine",),
    (BenchStep("Unplug the stator. Engine off: no continuity from any phase to ground."), BenchStep("Engine at about 3000 /min: AC volts between each two of the three. Order does not matter."), BenchStep("Plug in; DC at the battery at the same speed.")),
    _points, _judge,
)  # fmt: skip
