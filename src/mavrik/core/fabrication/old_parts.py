"""What becomes of what is taken out: capped and kept in its place, put on a shelf, or thrown away; and how the work is undone."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from pydantic import Field

from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch
from mavrik.core.document import Document
from mavrik.core.fabrication.cards import leads_to_make
from mavrik.core.fabrication.documents import BuildBook, Fate
from mavrik.core.fabrication.stock import NOT_BOUGHT
from mavrik.core.planning.cost import is_same_part, same_unit
from mavrik.core.planning.sizing import part_in_words

FATE_WORDS = {
    Fate.CAPPED: "stays in its place, capped, as a spare",
    Fate.SHELF: "comes out, and is kept",
    Fate.SCRAP: "comes out, and is thrown away",
}


class OldPartView(Document):
    """A part that the work takes out of use."""

    part_id: str
    label: str
    was: str = Field(description="Size, rating or capacity, and for a lead how long")
    between: str = Field(description="The points that it joined; empty: a device")
    fate: Fate
    assumed: bool = Field(description="Nobody has said what becomes of it")
    fates: tuple[Fate, ...] = Field(description="What may become of it")
    where: str
    words: str = Field(description="What is done with it")
    back: str = Field(description="What is done with it should all be as it was again")


class OldParts(Document):
    """All of them, and the way back."""

    parts: tuple[OldPartView, ...]
    back: tuple[str, ...] = Field(description="How the work is undone, in order; empty: nothing is taken out or added")
    whole: bool = Field(description="Whether all that was there is still there, so that nothing is bought to undo it")


@dataclass(frozen=True)
class _Old:
    """A part as it was, with what may become of it where nobody has said."""

    id: str
    label: str
    was: str
    between: str
    lead: bool
    usual: Fate
    replaced: bool


def old_parts(as_found: Circuit, planned: Circuit, book: BuildBook) -> OldParts:
    """What a plan takes out of use, what becomes of each part, and how all of it is undone.

    as_found, planned: before and after, the same parts under the same ids; book: what was said of old parts
    A lead that stays in its place has both its ends off and capped: one that hangs on a stud with its other end in the air is live and
    bare. Left to itself a lead that the plan does without is capped, what another takes the place of is kept, and what looks bad is
    thrown away.
    Source: common practice of the trade.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> thicker = tuple(b.model_copy(update={"size": "50 mm2"}) if b.id == "charge_cable" else b for b in car.branches)
    >>> old = old_parts(car, car.model_copy(update={"branches": thicker}), BuildBook())
    >>> [(p.label, p.was, p.fate.value) for p in old.parts], old.whole
    ([('Charge cable', '25 mm², 1.20 m', 'shelf')], True)
    """
    specs = {p.part_id: p for p in book.old}
    parts = []
    for old in _all(as_found, planned, book.anew):
        spec = specs.get(old.id)
        fates = tuple(f for f in Fate if old.lead or f is not Fate.CAPPED)
        fate = spec.fate if spec and spec.fate in fates else old.usual
        where = spec.where if spec else ""
        parts.append(
            OldPartView(
                part_id=old.id, label=old.label, was=old.was, between=old.between, fate=fate, assumed=spec is None, fates=fates, where=where,
                words=_words(old, fate, where), back=_back(old, fate, where),
            )
        )  # fmt: skip
    return OldParts(
        parts=tuple(parts), back=tuple(_way_back(as_found, planned, parts)), whole=all(p.fate is not Fate.SCRAP for p in parts)
    )


def removal_words(old: OldParts) -> dict[str, str]:
    """What the step says that takes each part out, by its id."""
    return {p.part_id: p.words for p in old.parts}


def _all(as_found: Circuit, planned: Circuit, anew: Collection[str]) -> Iterator[_Old]:
    after, labels = {b.id: b for b in planned.branches}, {n.id: n.label for n in as_found.nodes}
    made = {b.id for b in leads_to_make(as_found, planned, anew)}
    for b in as_found.branches:
        new = after.get(b.id)
        if b.kind in NOT_BOUGHT or (new is not None and is_same_part(b, new) and b.id not in made):
            continue
        lead = isinstance(b, ConductorBranch)
        usual = Fate.SCRAP if b.looks_bad else Fate.CAPPED if lead and new is None else Fate.SHELF
        yield _Old(b.id, b.label, _was(b), f"{labels[b.from_node]} to {labels[b.to_node]}", lead, usual, new is not None)
    units = {a.id: a for a in planned.alternators}
    for unit in as_found.alternators:
        if unit.id not in units or not same_unit(unit, units[unit.id]):
            yield _Old(unit.id, unit.label, f"{unit.rated_a:g} A", "", False, Fate.SHELF, unit.id in units)
    batteries = {b.id: b for b in planned.batteries}
    for battery in as_found.batteries:
        if batteries.get(battery.id) != battery:
            was = f"{battery.capacity_ah:g} Ah {battery.chemistry.value}"
            yield _Old(battery.id, battery.label, was, "", False, Fate.SHELF, battery.id in batteries)
    chargers = {c.id for c in planned.converters}
    for charger in (c for c in as_found.converters if c.id not in chargers):
        yield _Old(charger.id, charger.label, f"{charger.limit_a:g} A", "", False, Fate.SHELF, False)


def _was(branch: AnyBranch) -> str:
    if isinstance(branch, ConductorBranch):
        return f"{branch.conductor.label.replace('mm2', 'mm²')}, {branch.length_m:.2f} m"
    return part_in_words(branch)


def _words(old: _Old, fate: Fate, where: str) -> str:
    if fate is Fate.CAPPED:
        return f"Take both ends of {old.label} off, cap each, tie it back and tag it spare{f': {where}' if where else ''}."
    kept = f"keep it{f': {where}' if where else ', tagged with where it was'}" if fate is Fate.SHELF else "throw it away"
    return f"Take {old.label} out, and {kept}."


def _back(old: _Old, fate: Fate, where: str) -> str:
    at = f", {old.between}" if old.between else ""
    if fate is Fate.CAPPED:
        return f"Take the caps off {old.label} and bolt it on again{at}."
    if fate is Fate.SHELF:
        return f"Put {old.label} back, {old.was}{at}{f' (kept: {where})' if where else ''}."
    return f"{old.label} is gone: get or make one like it, {old.was}, and fit it{at}."


def _way_back(as_found: Circuit, planned: Circuit, parts: list[OldPartView]) -> Iterator[str]:
    """Negatives off, out with what was fitted, in with what was there, negatives on last."""
    before: Mapping[str, object] = {e.id: e for e in as_found.elements}
    added = [e.label for e in planned.elements if e.id not in before]
    cleaned = [b.label for b, _ in _cleaned(as_found, planned)]
    if not added and not parts:
        return
    yield "Negative clamps off first, then the positives."
    if added:
        yield f"Take out what was added: {', '.join(added)}."
    if replaced := [p.label for p in parts if p.part_id in {e.id for e in planned.elements}]:
        yield f"Take out what took their place: {', '.join(replaced)}."
    yield from (p.back for p in reversed(parts))
    yield "Positives on, negatives last; then the tests again."
    if cleaned:
        yield f"What was cleaned stays clean: {', '.join(cleaned)}."


def _cleaned(as_found: Circuit, planned: Circuit) -> Iterator[tuple[AnyBranch, AnyBranch]]:
    after = {b.id: b for b in planned.branches}
    return ((b, after[b.id]) for b in as_found.branches if b.id in after and b != after[b.id] and is_same_part(b, after[b.id]))
