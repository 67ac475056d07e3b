"""Permanent-magnet systems of motorcycles and small engines: three equal phases, none to ground, then DC at the battery."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against, plainly
from mavrik.core.procedures.states import BenchState

PHASES = ("1-2", "2-3", "3-1")


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    if circuit.alternator.kind != "permanent_magnet":
        return ()
    b = circuit.battery
    asks = [Ask(f"phase_v:{p}", f"AC volts {p}, plug open", Unit.VOLT, BenchState.FAST, beside=True) for p in PHASES]
    asks.append(
        Ask(
            "phase_clear",
            "No continuity from any phase to ground, engine off",
            Unit.YES_NO,
            BenchState.REST,
            sign="clear",
            beside=True,
        )
    )
    asks.append(
        Ask(
            "magnet_dc_v",
            "DC at the battery, plugged in",
            Unit.VOLT,
            BenchState.FAST,
            b.positive_node,
            b.negative_node,
            beside=True,
        )
    )
    return tuple(asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    asks = {a.id: a for a in _asks(circuit)}
    said = []
    phases = [taken[f"phase_v:{p}"] for p in PHASES if f"phase_v:{p}" in taken]
    if len(phases) == len(PHASES):
        mean = float(np.mean([p.value for p in phases]))
        far = max(PHASES, key=lambda p: abs(taken[f"phase_v:{p}"].value - mean))
        read = taken[f"phase_v:{far}"]
        share = Taken(abs(read.value - mean) / mean if mean > 0 else 1.0, read.uncertainty / mean if mean > 0 else 0.0)
        words = f"The one farthest off lies {share.value:.0%} from the mean of {mean:.1f} V."
        said.append(
            against(
                asks[f"phase_v:{far}"],
                share,
                limits.of("phase_share"),
                1,
                words,
                f"{words} A winding is short or open.",
                "Stator off, winding by winding.",
            ).of(read)
        )
    if "phase_clear" in taken:
        said.append(
            plainly(
                asks["phase_clear"],
                taken["phase_clear"],
                "no winding touches ground",
                "No winding touches ground.",
                "A winding touches ground.",
                "Replace the stator.",
            )
        )
    if "magnet_dc_v" in taken:
        dc = taken["magnet_dc_v"]
        high = dc.value > 15
        said.append(
            against(asks["magnet_dc_v"], dc, limits.of("magnet_dc"), circuit.system_voltage_v / 12, "It charges.", "It overcharges." if high else "It does not charge.", "Regulator/rectifier and its ground." if high else "Phases good with the plug open: regulator/rectifier, its plug, its ground.")
        )  # fmt: skip
    return said


PERMANENT_MAGNET = Procedure(
    "permanent_magnet", "Stator with magnets", "Phases first, with the plug open: that parts stator from regulator.", 8, "about 3000 /min for the phases",
    ("running_engine",),
    (BenchStep("Unplug the stator. Engine off: no continuity from any phase to ground."), BenchStep("Engine at about 3000 /min: AC volts between each two of the three. Order does not matter."), BenchStep("Plug in; DC at the battery at the same speed.")),
    _asks, _judge,
)  # fmt: skip
