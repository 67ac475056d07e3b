"""Ripple at the stud: even six-pulse ripple, or a diode or phase that is missing."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(
            f"ripple_vpp:{a.id}",
            f"{a.label}: ripple at the stud",
            "ripple",
            BenchState.FAST_LOADED,
            a.stud_node,
            a.case_node,
            a.id,
            indicator="ripple",
            capture="ripple",
            capture_s=0.2,
        )
        for a in circuit.alternators
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    return [
        against(a, measured[a.id], limits.of("ripple"), scale, "All phases and diodes work.", "A diode or a phase is missing.", "Diode test on the bench; a shorted diode also drains the battery at rest.")
        for a in _points(circuit)
        if a.id in measured
    ]  # fmt: skip


RIPPLE = Procedure(
    120, "ripple", "Ripple", "The one test that sees into the rectifier.", 5, "2000 /min, loads on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Oscilloscope, AC coupled, or AC volts, on the stud against the case."), BenchStep("Loads on, 2000 /min: read peak to peak; look for missing or deep pulses.")),
    _points, _judge,
)  # fmt: skip
