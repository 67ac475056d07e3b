"""What the plates say: whether the parts are those the vehicle is coded for."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure
from mavrik.core.procedures.bench_limits import Limits

PLATE_SHARE = 0.95


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(
            f"plate_a:{a.id}",
            f"{a.label}: rating on its plate",
            "stated_current",
            BenchState.REST,
            indicator="plate",
            element=a.id,
        )
        for a in circuit.alternators
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    for a, point in zip(circuit.alternators, _points(circuit), strict=True):
        read = measured.get(point.id)
        if read is None:
            continue
        good = read.value >= PLATE_SHARE * a.rated_a
        judgements.append(
            Judgement(
                point.id, point.label, read.value, 0.0, point.quantity, Verdict.PASS if good else Verdict.FAIL,
                f"the unit the vehicle is coded for: {a.rated_a:g} A", "Common practice of the trade",
                "The right unit." if good else "A smaller unit than the vehicle is coded for is a finding on its own.",
                "" if good else "Check the option code; propose the right unit, cable and fuse together.",
            )
        )  # fmt: skip
    return judgements


FITTED = Procedure(
    20, "fitted", "What is fitted", "Rating, part and option code against what the vehicle needs.", 3, "off", ("jewellery",),
    (BenchStep("Read the plate of the alternator and of each battery; compare with the option or build code and the tray."),),
    _points, _judge,
)  # fmt: skip
