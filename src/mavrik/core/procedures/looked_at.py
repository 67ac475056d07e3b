"""What the eye and the plates say before any meter: belt, ends, and whether the parts are those the vehicle is coded for."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, plainly
from mavrik.core.procedures.states import BenchState
from mavrik.core.uncertainty import Verdict

PLATE_SHARE = 0.95


def _visual_asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(
            f"belt:{a.id}",
            f"{a.label}: belt tight, dry, not glazed, tensioner within its travel",
            Unit.YES_NO,
            BenchState.REST,
            sign="belt",
            element=a.id,
        )
        for a in circuit.alternators
    )


def _judge_visual(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    return [
        plainly(a, taken[a.id], "belt and tensioner sound", "The belt drives it.", "A slipping belt gives little at idle and squeals under load.", "Replace or tension the belt, then test again.")
        for a in _visual_asks(circuit)
        if a.id in taken
    ]  # fmt: skip


VISUAL = Procedure(
    "visual", "Look, clean, service", "A charging test on dirty posts is worthless.", 5, "off",
    ("jewellery", "negative_first", "hydrogen"),
    (
        BenchStep("Posts and clamps to bright metal, clamp tight enough not to turn, boots and heat blankets in place."),
        BenchStep("Belt, tensioner travel, pulley alignment; with the belt off spin the pulley: any grinding, reject."),
        BenchStep("Cable rub-through, heat-damaged insulation at plugs, fusible links; enter what an end looks like in the circuit."),
    ),
    _visual_asks, _judge_visual,
)  # fmt: skip


def _plate_asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(f"plate_a:{a.id}", f"{a.label}: rating on its plate", Unit.AMPERE, BenchState.REST, sign="plate", element=a.id)
        for a in circuit.alternators
    )


def _judge_plate(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    said = []
    for a, ask in zip(circuit.alternators, _plate_asks(circuit), strict=True):
        read = taken.get(ask.id)
        if read is None:
            continue
        good = read.value >= PLATE_SHARE * a.rated_a
        said.append(
            Judgement(
                ask.id, ask.label, read.value, 0.0, ask.unit, Verdict.PASS if good else Verdict.FAIL,
                f"the unit the vehicle is coded for: {a.rated_a:g} A", "Common practice of the trade",
                "The right unit." if good else "A smaller unit than the vehicle is coded for is a finding on its own.",
                "" if good else "Check the option code; propose the right unit, cable and fuse together.",
            )
        )  # fmt: skip
    return said


FITTED = Procedure(
    "fitted", "What is fitted", "Rating, part and option code against what the vehicle needs.", 3, "off", ("jewellery",),
    (BenchStep("Read the plate of the alternator and of each battery; compare with the option or build code and the tray."),),
    _plate_asks, _judge_plate,
)  # fmt: skip
