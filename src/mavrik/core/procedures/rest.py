"""Battery at rest: each battery alone, before anything is condemned."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(f"rest_v:{b.id}", f"{b.label} at rest", Unit.VOLT, BenchState.REST, b.positive_node, b.negative_node, b.id)
        for b in circuit.batteries
    )


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    said = []
    for ask in _asks(circuit):
        if ask.id not in taken:
            continue
        dead = against(
            ask,
            taken[ask.id],
            limits.of("rest_cell"),
            scale,
            "",
            "A cell is dead or the battery is empty.",
            "Charge it and read again after an hour at rest: under 11.6 V still, replace it.",
        )
        full = against(
            ask,
            taken[ask.id],
            limits.of("rest_full"),
            scale,
            "Charged well enough to judge by.",
            "It is not charged: readings under load will look worse than the battery is.",
            "Charge it, or judge the charging system by current instead of voltage.",
        )
        said.append(dead if dead.verdict == "fail" else full)
    return said


REST = Procedure(
    "rest", "Battery at rest", "Test the battery before condemning the alternator.", 3, "off, rested",
    ("jewellery", "hydrogen"),
    (BenchStep("Surface charge off: lights on for a minute, then off, and a few minutes of rest.", 60), BenchStep("Read each battery across its own posts, not its clamps.")),
    _asks, _judge,
)  # fmt: skip
