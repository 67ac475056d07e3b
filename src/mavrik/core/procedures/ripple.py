"""Ripple at the stud: even six-pulse ripple, or a diode or phase that is missing."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(
            f"ripple_vpp:{a.id}",
            f"{a.label}: ripple at the stud",
            Unit.VOLT_PP,
            BenchState.FAST_LOADED,
            a.stud_node,
            a.case_node,
            a.id,
            sign="ripple",
            capture="ripple",
        )
        for a in circuit.alternators
    )


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    return [
        against(a, taken[a.id], limits.of("ripple"), scale, "All phases and diodes work.", "A diode or a phase is missing.", "Diode test on the bench; a shorted diode also drains the battery at rest.")
        for a in _asks(circuit)
        if a.id in taken
    ]  # fmt: skip


RIPPLE = Procedure(
    "ripple", "Ripple", "The one test that sees into the rectifier.", 5, "2000 /min, loads on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Oscilloscope, AC coupled, or AC volts, on the stud against the case."), BenchStep("Loads on, 2000 /min: read peak to peak; look for missing or deep pulses.")),
    _asks, _judge,
)  # fmt: skip
