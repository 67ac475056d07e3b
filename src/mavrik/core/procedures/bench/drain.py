"""Parasitic drain: what leaves the battery with the key off and the modules asleep."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mavrik.core.circuit import Battery, Circuit
from mavrik.core.circuit.joined import joined_batteries
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits

USABLE_SHARE = 0.5
"""Of its capacity a starting battery gives before it no longer starts the engine. Common practice, no source."""

NOTHING_A = 0.001
"""Less than any meter of the bench shows for sure is nothing. Our choice."""

THEN = "Pull fuses one at a time and wait for sleep after each: the one that ends the drain names the circuit."


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
    points = {b.id: p for b, p in zip(circuit.batteries, _points(circuit), strict=True)}
    read = {b.id: measured[points[b.id].id] for b in circuit.batteries if points[b.id].id in measured}
    first = joined_batteries(circuit)
    judgements = []
    for b in circuit.batteries:
        if b.id not in read:
            continue
        joined = [o for o in circuit.batteries if first[o.id] == first[b.id]]
        # What leaves one of those that metal joins may go into another: of all of them it is what the vehicle draws.
        whole = joined if all(o.id in read for o in joined) else [b]
        taken = Measured(sum(read[o.id].value for o in whole), sum(read[o.id].uncertainty for o in whole))
        judged = against(points[b.id], taken, limits.of("drain"), 1, words := _words(whole, read, taken), words, THEN)
        judgements.append(judged.of(read[b.id]))
    return judgements


def _words(batteries: Sequence[Battery], read: Mapping[str, Measured], taken: Measured) -> str:
    """What the current out of one battery, or of some that are joined, comes to."""
    one = batteries[0]
    if len(batteries) > 1:
        words = f"Together {taken.value:.2g} A leave {', '.join(b.label for b in batteries)}."
        fed = [b.label for b in batteries if read[b.id].value < -read[b.id].uncertainty]
        words += f" {', '.join(fed)} {'is' if len(fed) == 1 else 'are'} fed by what lies beside." if fed else ""
    elif taken.value < -taken.uncertainty:
        return f"{-taken.value:.2g} A go into it: the other batteries feed it."
    else:
        words = "" if taken.value > NOTHING_A else "Nothing leaves it."
    if taken.value <= NOTHING_A:
        return words
    charge = sum(b.capacity_ah * b.state_of_charge for b in batteries) / sum(b.capacity_ah for b in batteries)
    days = days_to_flat(sum(b.capacity_ah for b in batteries), charge, taken.value)
    flat = f"Flat in about {days:.0f} days." if days else ""
    return f"{words} {flat}".strip() or f"{one.label} is as good as flat already."


DRAIN = Procedure(
    190, "drain", "Parasitic drain", "A battery that is flat after a week may have nothing wrong with its charging.", 30, "off, modules asleep",
    ("jewellery", "negative_first"),
    (
        BenchStep("Ammeter on its 10 A range in series in the negative lead; never start the engine through it."),
        BenchStep("Key off, doors latched, key away: wait until the modules sleep.", 1200), BenchStep("Read."),
    ),
    _points, _judge, each_more=3,
)  # fmt: skip
