"""Drain fuse by fuse: the circuit that takes it names itself."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, FuseBranch
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import BenchLimit, Limits

BOX = 8
"""Fuses of the box that have no branch of their own in the circuit."""


def _points(circuit: Circuit) -> tuple[Point, ...]:
    named = [(f"without:{b.id}", f"Without {b.label}") for b in circuit.branches if isinstance(b, FuseBranch)]
    named += [(f"without_box:{k}", f"Without box fuse {k}") for k in range(1, BOX + 1)]
    first = Point(
        "drain_before",
        "Drain before, asleep",
        "drain_current",
        BenchState.ASLEEP,
        element=circuit.battery.id,
        asked_elsewhere=True,
    )
    return (first, *(Point(i, words, "drain_current", BenchState.ASLEEP, own_rule=True) for i, words in named))


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    before = measured.get("drain_before")
    steps = [a for a in _points(circuit)[1:] if a.id in measured]
    if before is None or not steps:
        return []
    limit = limits.of("fuse_share")
    judgements = []
    for point in steps:
        left = measured[point.id]
        takes = Measured(before.value - left.value, (before.uncertainty**2 + left.uncertainty**2) ** 0.5)
        words = f"Its circuit takes {max(takes.value, 0) * 1000:.0f} mA of {before.value * 1000:.0f} mA."
        judged = BenchLimit(most=limit.most, rule=limit.rule, source=limit.source)
        judgements.append(against(point, takes, judged, 1, words, words, "Consumer by consumer on that circuit.").of(left))
    return judgements


FUSE_STEPS = Procedure(
    200, "fuse_steps", "Drain, fuse by fuse", "Only with a drain that is too high: the fuse that ends it names the circuit.", 40, "off, modules asleep",
    ("jewellery", "negative_first"),
    (
        BenchStep("Ammeter in series in the negative, modules asleep: read."), BenchStep("Pull one fuse; wait for sleep again, for pulling wakes modules.", 300),
        BenchStep("Read, put it back, and the next. Or read the millivolts across each fuse in its place: nothing wakes."),
    ),
    _points, _judge,
)  # fmt: skip
