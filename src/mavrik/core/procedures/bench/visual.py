"""What the eye says before any meter: belt and ends."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, plainly
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(
            f"belt:{a.id}",
            f"{a.label}: belt tight, dry, not glazed, tensioner within its travel",
            "yes_no",
            BenchState.REST,
            indicator="belt",
            element=a.id,
        )
        for a in circuit.alternators
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    return [
        plainly(a, measured[a.id], "belt and tensioner sound", "The belt drives it.", "A slipping belt gives little at idle and squeals under load.", "Replace or tension the belt, then test again.")
        for a in _points(circuit)
        if a.id in measured
    ]  # fmt: skip


VISUAL = Procedure(
    10, "visual", "Look, clean, service", "A charging test on dirty posts is worthless.", 5, "off",
    ("jewellery", "negative_first", "hydrogen"),
    (
        BenchStep("Posts and clamps to bright metal, clamp tight enough not to turn, boots and heat blankets in place."),
        BenchStep("Belt, tensioner travel, pulley alignment; with the belt off spin the pulley: any grinding, reject."),
        BenchStep("Cable rub-through, heat-damaged insulation at plugs, fusible links; enter what an end looks like in the circuit."),
    ),
    _points, _judge,
)  # fmt: skip
