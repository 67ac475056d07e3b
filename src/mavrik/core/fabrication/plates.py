"""What stands beside a switch, a fuse or a charger, and on a spare wire: so that the next hand knows what it does without a drawing."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from pydantic import Field

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import AnyBranch, BreakerBranch, Circuit, FuseBranch, LinkBranch
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.document import Document
from mavrik.core.fabrication.documents import Fate
from mavrik.core.fabrication.old_parts import OldParts
from mavrik.core.protection.case import Case


class Plate(Document):
    """A small label of words."""

    part_id: str
    title: str
    lines: tuple[str, ...] = Field(description="The first is what matters most")


def plates_of(planned: Circuit, old: OldParts) -> tuple[Plate, ...]:
    """A plate for each fuse, breaker, switch, relay, link and charger of a circuit, for its batteries where there are several, and for spares.

    planned: the circuit as it is to be; old: what is taken out of use, `old_parts`
    Source: common practice of the trade; what a fuse protects as `Case.protected`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> [(p.title, p.lines[0]) for p in plates_of(car, OldParts(parts=(), back=(), whole=True))]
    [('Charge fuse', '125 A, and no larger')]
    """
    return tuple(_plates(planned, old))


def _plates(planned: Circuit, old: OldParts) -> Iterator[Plate]:
    labels = {n.id: n.label for n in planned.nodes}
    case = Case(planned)
    for b in planned.branches:
        if lines := tuple(_lines(b, case, labels)):
            yield Plate(part_id=b.id, title=b.label, lines=lines)
    for c in planned.converters:
        first = f"Live from both sides: {labels[c.in_node]} and {labels[c.out_node]}"
        yield Plate(
            part_id=c.id,
            title=c.label,
            lines=(first, "Both fuses out before it is opened", f"{c.limit_a:g} A at {c.set_point_v:.1f} V"),
        )
    if len(planned.batteries) > 1:
        for battery in planned.batteries:
            others = ", ".join(o.label for o in planned.batteries if o is not battery)
            yield Plate(
                part_id=battery.id,
                title=battery.label,
                lines=("Not the only battery", f"Also: {others}", "All negatives off first"),
            )
    for part in (p for p in old.parts if p.fate is Fate.CAPPED):
        where = (f"Tied back: {part.where}",) if part.where else ()
        yield Plate(
            part_id=part.part_id,
            title="Spare",
            lines=("Dead: both ends off and capped", f"{part.label}, {part.was}", part.between, *where),
        )


def _lines(b: AnyBranch, case: Case, labels: Mapping[str, str]) -> Iterator[str]:
    between = f"{labels[b.from_node]} to {labels[b.to_node]}"
    if isinstance(b, FuseBranch | BreakerBranch):
        yield f"{b.rating_a:g} A, and no larger" if b.rating_a else "Breaker"
        if isinstance(b, FuseBranch):
            yield fuse_table().families[b.family].label
        else:
            yield "Find out why before it is set again"
        if guarded := [x.label for x in case.protected(case.circuit.branch(b.id))]:  # type: ignore[arg-type]
            yield f"For {', '.join(guarded[:3])}{' and more' if len(guarded) > 3 else ''}"
    elif isinstance(b, LinkBranch):
        yield f"Closes by itself at {b.cut_in_v:.1f} V, opens at {b.cut_out_v:.1f} V"
        yield between
    elif isinstance(b, SwitchedBranch):
        yield f"Closed: joins {labels[b.from_node]} and {labels[b.to_node]}"
        if b.worked_by:
            yield f"Opened by {' or '.join(b.worked_by)}"
        if b.rating_a:
            yield f"{b.rating_a:g} A for good"
