"""What a plan asks for: every part by what it has to be, how much of it, and the step that uses it up."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence

from pydantic import Field

from mavrik.core.catalogue.lugs import PALM_WORDS, Palm
from mavrik.core.catalogue.prices import PriceList
from mavrik.core.circuit import AnyBranch, BreakerBranch, Circuit, ConnectorBranch, ContactBranch, FuseBranch
from mavrik.core.document import Document
from mavrik.core.fabrication.bulkheads import BulkheadToFit
from mavrik.core.fabrication.cards import LeadCard
from mavrik.core.fabrication.documents import Passage
from mavrik.core.fabrication.plugs import PlugView, both_halves
from mavrik.core.fabrication.samples import Sample
from mavrik.core.fabrication.stock import CONTACTS, PartKind, PartSpec
from mavrik.core.fabrication.ways import WayView
from mavrik.core.operating.devices import battery_units
from mavrik.core.planning.cost import (
    battery_price,
    cable_price_per_m,
    contact_price,
    converter_price,
    fuse_price,
    is_same_part,
    lug_price,
    same_unit,
)


class Use(Document):
    """What one step uses up of a part."""

    step: str
    pieces: int = 0
    lengths_mm: tuple[float, ...] = Field((), description="Cut from a reel, a sleeve or a tube")

    @property
    def mm(self) -> float:
        """All its lengths [mm]."""
        return sum(self.lengths_mm)


class Need(Document):
    """A part that a plan asks for."""

    id: str
    text: str
    spec: PartSpec | None = Field(description="What it has to be; null: an alternator or a pulley, which the plan has chosen")
    uses: tuple[Use, ...]
    unit: str = Field("", description="Of an alternator: what the list of units calls it")
    about: float = Field(description="What a piece or a metre costs, by the price list's rules alone")

    @property
    def by_length(self) -> bool:
        """Whether it is counted in metres."""
        return self.spec is not None and self.spec.by_length

    @property
    def required(self) -> float:
        """Pieces or metres."""
        return sum(u.mm for u in self.uses) / 1000 if self.by_length else sum(u.pieces for u in self.uses)


def needs_of(
    as_found: Circuit, planned: Circuit, cards: Sequence[LeadCard], prices: PriceList, ways: Sequence[WayView] = (),
    plugs: Sequence[PlugView] = (), samples: Sequence[Sample] = (), bulkheads: Sequence[BulkheadToFit] = (),
) -> tuple[Need, ...]:  # fmt: skip
    """The parts of a plan, alike ones together, in the order in which they are first used.

    as_found, planned: before and after, the same parts under the same ids; cards: of the leads that are made, `lead_cards`; prices: what a
    part costs that no list names; ways: that leads are laid along, `way_views`; plugs: of the plan, `plug_views`; samples: that are pulled first, `samples_of`;
    bulkheads: studs that are put through a panel, `bulkheads_to_fit`
    A lead that cannot be made as it is asked asks for nothing.
    Source: the steps of `work_steps` that use them.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.cards import lead_cards
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> car = front_battery(12)
    >>> cards = lead_cards(car, car, BuildBook(anew=("charge_cable",)))
    >>> [(n.text, round(n.required, 2)) for n in needs_of(car, car, cards, usual_prices())]
    [('Cable 25 mm2', 1.21), ('Lug 25 mm2, M8', 2), ('Shrink 12 to 4 mm', 0.07)]
    """
    together: dict[str, Need] = {}
    for need in (
        *_of_leads(cards, prices),
        *_of_samples(samples, cards, prices),
        *_of_ways(ways, cards),
        *_of_bulkheads(bulkheads),
        *_of_parts(as_found, planned, prices),
        *_of_plugs(as_found, planned, prices, plugs),
        *_of_devices(as_found, planned, prices),
    ):
        known = together.get(need.id)
        together[need.id] = need if known is None else known.model_copy(update={"uses": _joined((*known.uses, *need.uses))})
    return tuple(together.values())


def _joined(uses: Iterable[Use]) -> tuple[Use, ...]:
    of: dict[str, Use] = {}
    for use in uses:
        if (was := of.get(use.step)) is None:
            of[use.step] = use
        else:
            of[use.step] = Use(step=use.step, pieces=was.pieces + use.pieces, lengths_mm=was.lengths_mm + use.lengths_mm)
    return tuple(of.values())


def _of_leads(cards: Sequence[LeadCard], prices: PriceList) -> Iterator[Need]:
    for card in cards:
        if card.cut_mm is None:
            continue
        step = f"make:{card.branch_id}"
        cable = PartSpec(kind=PartKind.CABLE, size=card.size)
        if not card.reclaimed:
            yield Need(
                id=f"cable:{card.size}", text=f"Cable {card.size}", spec=cable, about=cable_price_per_m(card.area_mm2, prices),
                uses=(Use(step=step, lengths_mm=(card.cut_mm,) * card.runs),),
            )  # fmt: skip
        for end in card.ends:
            pieces = (Use(step=step, pieces=card.runs),)
            if end.tube_spec and end.tube_mm is not None:
                outer, wall = end.tube_spec
                yield Need(
                    id=f"tube:{outer:g}:{wall:g}", text=f"Copper {end.tube}", about=0.0,
                    spec=PartSpec(kind=PartKind.TUBE, outer_mm=outer, wall_mm=wall),
                    uses=(Use(step=step, lengths_mm=(end.tube_mm,) * card.runs),),
                )  # fmt: skip
                continue
            if end.contact:
                # It comes with its half of the plug.
                continue
            if end.lug:
                spec, text = _lug(end.lug, end.stud, end.palm)
            else:
                spec, text = PartSpec(kind=PartKind.POST_CLAMP, size=card.size), f"Post clamp {card.size}"
            yield Need(
                id=_id_of(spec),
                text=text,
                spec=spec,
                uses=pieces,
                about=lug_price(card.area_mm2, prices),
            )
        for end in card.ends:
            yield Need(
                id=f"sleeve:{end.sleeve}", text=f"Shrink {end.sleeve}", spec=PartSpec(kind=PartKind.SLEEVE, sleeve=end.sleeve),
                uses=(Use(step=step, lengths_mm=(end.sleeve_mm,) * card.runs),), about=0.0,
            )  # fmt: skip


def _of_samples(samples: Sequence[Sample], cards: Sequence[LeadCard], prices: PriceList) -> Iterator[Need]:
    """A lug each; the short end that it goes onto lies under every bench."""
    area = {c.size: c.area_mm2 for c in cards}
    for s in samples:
        if s.lug:
            spec, text = _lug(s.lug, s.stud, s.palm)
            uses = (Use(step=s.step, pieces=1),)
            yield Need(id=_id_of(spec), text=text, spec=spec, uses=uses, about=lug_price(area[s.size], prices))


def _lug(size: str, over: str, palm: Palm) -> tuple[PartSpec, str]:
    """A lug, and in words."""
    bent = None if palm is Palm.FLAT else palm
    return PartSpec(
        kind=PartKind.LUG, size=size, stud=over, palm=bent
    ), f"Lug {size}, {over}{f', {PALM_WORDS[bent]}' if bent else ''}"


def _id_of(spec: PartSpec) -> str:
    return ":".join((spec.kind.value, spec.size, spec.stud, *([spec.palm.value] if spec.palm else [])))


ROUND = {
    Passage.CLAMP: (PartKind.CLIP, "Clamp"),
    Passage.GROMMET: (PartKind.GROMMET, "Grommet"),
    Passage.SEAL: (PartKind.GLAND, "Sealed gland"),
}
SLEEVED = {"sleeve": (PartKind.CONDUIT, "Ribbed sleeve"), "heat_sleeve": (PartKind.HEAT_SLEEVE, "Heat sleeve")}


def _of_ways(ways: Sequence[WayView], cards: Sequence[LeadCard]) -> Iterator[Need]:
    """What holds and covers the leads of a way, used up when the first that is made is laid; a way of leads that stay has it all."""
    made = [c.branch_id for c in cards if c.cut_mm is not None]
    for way in ways:
        first = next((i for i in made if any(x.branch_id == i for x in way.leads)), None)
        if first is None or way.holds_mm is None:
            continue
        step, holds = f"fit:{first}", math.ceil(way.holds_mm)
        for mark in way.marks:
            if mark.kind is Passage.STUD:
                # It is a point of the circuit, see `_of_bulkheads`.
                continue
            kind, name = ROUND[mark.kind]
            yield Need(
                id=f"{kind.value}:{holds}", text=f"{name} for {holds} mm", spec=PartSpec(kind=kind, inner_mm=holds),
                uses=(Use(step=step, pieces=1),), about=0.0,
            )  # fmt: skip
        for run in way.sleeves:
            kind, name = SLEEVED[run.kind]
            inner = math.ceil(run.inner_mm)
            yield Need(
                id=f"{kind.value}:{inner}", text=f"{name}, {inner} mm inside", spec=PartSpec(kind=kind, inner_mm=inner),
                uses=(Use(step=step, lengths_mm=(run.to_mm - run.from_mm,)),), about=0.0,
            )  # fmt: skip


def _of_bulkheads(bulkheads: Sequence[BulkheadToFit]) -> Iterator[Need]:
    for b in bulkheads:
        rating = None if b.crosses_a is None else max(1, math.ceil(b.crosses_a))
        spec = None if rating is None else PartSpec(kind=PartKind.BULKHEAD_STUD, stud=b.stud, rating_a=rating)
        yield Need(
            id=f"bulkhead_stud:{b.stud}:{rating or b.node_id}", spec=spec, uses=(Use(step=b.step, pieces=1),), about=0.0,
            text=f"Bulkhead stud {b.stud}, {f'{rating} A' if rating else f'for {b.label}'}",
        )  # fmt: skip


def _of_parts(as_found: Circuit, planned: Circuit, prices: PriceList) -> Iterator[Need]:
    """Branches that are no leads and are new or another than before; what is cleaned takes no part."""
    for part in _new_parts(as_found, planned):
        uses = (Use(step=f"fit:{part.id}", pieces=1),)
        if isinstance(part, FuseBranch):
            spec = PartSpec(kind=PartKind.FUSE, family=part.family, rating_a=part.rating_a)
            text, about = f"{part.label}, {part.rating_a:g} A", fuse_price(part, prices)
            yield Need(id=f"fuse:{part.family.value}:{part.rating_a:g}", text=text, spec=spec, uses=uses, about=about)
        elif isinstance(part, ConnectorBranch):
            # It is bought by the housing, see `_of_plugs`.
            continue
        elif isinstance(part, ContactBranch | BreakerBranch) and part.rating_a and part.kind in CONTACTS:
            spec = PartSpec(kind=PartKind.CONTACT, contact=part.kind, rating_a=part.rating_a)
            text, about = f"{part.label}, {part.rating_a:g} A", contact_price(part, prices)
            yield Need(id=f"contact:{part.kind}:{part.rating_a:g}", text=text, spec=spec, uses=uses, about=about)


def _new_parts(as_found: Circuit, planned: Circuit) -> Iterator[AnyBranch]:
    before = {b.id: b for b in as_found.branches}
    return (b for b in planned.branches if b.id not in before or not is_same_part(before[b.id], b))


def _of_plugs(as_found: Circuit, planned: Circuit, prices: PriceList, plugs: Sequence[PlugView]) -> Iterator[Need]:
    """Halves of plugs with their contacts, a pair for each housing of which any pole is new."""
    new = {b.id: b for b in _new_parts(as_found, planned) if isinstance(b, ConnectorBranch)}
    for plug in plugs:
        poles = [new[r.branch_id] for r in plug.rows if r.branch_id in new]
        if not poles:
            continue
        about = max(contact_price(p, prices) for p in poles) / 2
        what = f"{plug.series_label or plug.label}{f', {plug.key}' if plug.key else ''}"
        for half in both_halves(plug.halves) if plug.gendered else (None, None):
            known = plug.series and (half is not None or not plug.gendered)
            spec = PartSpec(kind=PartKind.PLUG, series=plug.series, half=half, key=plug.key) if known else None
            named = "Half of a plug" if half is None else f"Half with {half.value}"
            open_ = ", pins or sockets not said yet" if plug.gendered and half is None else ""
            yield Need(
                id=":".join(("plug", plug.series or plug.id, half.value if half else "", plug.key)), text=f"{named}: {what}{open_}", spec=spec, about=about,
                uses=(Use(step=f"fit:{poles[0].id}", pieces=1),),
            )  # fmt: skip


def _of_devices(as_found: Circuit, planned: Circuit, prices: PriceList) -> Iterator[Need]:
    units = {a.id: a for a in as_found.alternators}
    for unit in planned.alternators:
        old, uses = units.get(unit.id), (Use(step=f"fit:{unit.id}", pieces=1),)
        if old is None or not same_unit(old, unit):
            rating = f"{unit.rated_a:g} A"
            text = unit.label if rating in unit.label else f"{unit.label}, {rating}"
            yield Need(id=f"unit:{unit.id}", text=text, spec=None, uses=uses, unit=unit.label, about=0.0)
        elif old.pulley_ratio != unit.pulley_ratio:
            text = f"Pulley for {unit.label}, ratio {unit.pulley_ratio:.2f}"
            yield Need(id=f"pulley:{unit.id}", text=text, spec=None, uses=uses, about=prices.pulley)
    batteries = {b.id: b for b in as_found.batteries}
    for battery in planned.batteries:
        if batteries.get(battery.id) == battery:
            continue
        spec = PartSpec(kind=PartKind.BATTERY, chemistry=battery.chemistry, capacity_ah=battery.capacity_ah)
        yield Need(
            id=f"battery:{battery.chemistry.value}:{battery.capacity_ah:g}", spec=spec,
            text=f"{battery.label}, {battery.capacity_ah:g} Ah", about=battery_price(battery, prices),
            uses=(Use(step=f"fit:{battery.id}", pieces=battery_units(planned, battery) * battery.parallel),),
        )  # fmt: skip
    chargers = {c.id for c in as_found.converters}
    for charger in (c for c in planned.converters if c.id not in chargers):
        spec = PartSpec(kind=PartKind.CONVERTER, rating_a=charger.limit_a)
        text, about = f"{charger.label}, {charger.limit_a:g} A", converter_price(charger, prices)
        uses = (Use(step=f"fit:{charger.id}", pieces=1),)
        yield Need(id=f"converter:{charger.limit_a:g}", text=text, spec=spec, uses=uses, about=about)
