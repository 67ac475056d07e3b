"""Parasitic drain: what leaves the battery with the key off and the modules asleep."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits

USABLE_SHARE = 0.5
"""Of its capacity a starting battery gives before it no longer starts the engine. Common practice, no source."""


def _points(circuit: Circuit) -> tuple[Point, ...]:
    # One of several may be fed by the others: a dead cell draws from them.
    signed = len(circuit.batteries) > 1
    return tuple(
        Point(
            f"drain_a:{b.id}", f"{b.label}: current out, asleep", "drain_current", BenchState.ASLEEP, element=b.id, signed=signed
        )
        for b in circuit.batteries
    )


def days_to_flat(capacity_ah: float, state_of_charge: float, drain_a: float) -> float:
    """Days until a starting battery no longer starts the engine.

    capacity_ah: nominal capacity [Ah]; state_of_charge: 0 to 1; drain_a: above 0 [A]
    Source: usable ampere hours over the drain (common practice); half the capacity counts as usable.

    >>> round(days_to_flat(70, 1.0, 0.05))
    29
    """
    return max(state_of_charge - (1 - USABLE_SHARE), 0.0) * capacity_ah / drain_a / 24


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    for b, point in zip(circuit.batteries, _points(circuit), strict=True):
        read = measured.get(point.id)
        if read is None:
            continue
        days = days_to_flat(b.capacity_ah, b.state_of_charge, read.value) if read.value > 0.001 else 0.0
        fed = (
            f"{-read.value:.2g} A go into it: the other batteries feed it."
            if read.value < -read.uncertainty
            else "Nothing leaves it."
        )
        words = f"Flat in about {days:.0f} days." if days else fed
        then = "Pull fuses one at a time and wait for sleep after each: the one that ends the drain names the circuit."
        judgements.append(against(point, read, limits.of("drain"), 1, words, words, then))
    return judgements


DRAIN = Procedure(
    190, "drain", "Parasitic drain", "A battery that is flat after a week may have nothing wrong with its charging.", 30, "off, modules asleep",
    ("jewellery", "negative_first"),
    (
        BenchStep("Ammeter on its 10 A range in series in the negative lead; never start the engine through it."),
        BenchStep("Key off, doors latched, key away: wait until the modules sleep.", 1200), BenchStep("Read."),
    ),
    _points, _judge,
)  # fmt: skip
