"""Battery at rest: each battery alone, before anything is condemned."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(f"rest_v:{b.id}", f"{b.label} at rest", "voltage", BenchState.REST, b.positive_node, b.negative_node, b.id)
        for b in circuit.batteries
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    judgements = []
    for point in _points(circuit):
        if point.id not in measured:
            continue
        dead = against(
            point,
            measured[point.id],
            limits.of("rest_cell"),
            scale,
            "",
            "A cell is dead or the battery is empty.",
            "Charge it and read again after an hour at rest: under 11.6 V still, replace it.",
        )
        full = against(
            point,
            measured[point.id],
            limits.of("rest_full"),
            scale,
            "Charged well enough to judge by.",
            "It is not charged: readings under load will look worse than the battery is.",
            "Charge it, or judge the charging system by current instead of voltage.",
        )
        judgements.append(dead if dead.verdict == "fail" else full)
    return judgements


REST = Procedure(
    30, "rest", "Battery at rest", "Test the battery before condemning the alternator.", 3, "off, rested",
    ("jewellery", "hydrogen"),
    (BenchStep("Surface charge off: lights on for a minute, then off, and a few minutes of rest.", 60), BenchStep("Read each battery across its own posts, not its clamps.")),
    _points, _judge, each_more=1,
)  # fmt: skip
