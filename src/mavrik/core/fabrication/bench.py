"""The work of a job at the bench: its leads as cards, the cable they are cut from, and the steps, those that are done ticked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from pydantic import Field

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.units import UnitList
from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.document import Document, Moment, PhotoKey, Problem
from mavrik.core.fabrication.bill import Bill, Booked, OnHand, bill_of
from mavrik.core.fabrication.bulkheads import BulkheadToFit, bulkheads_to_fit
from mavrik.core.fabrication.cards import LeadCard, lead_cards, leads_to_make
from mavrik.core.fabrication.documents import BuildBook, check_book
from mavrik.core.fabrication.needs import needs_of
from mavrik.core.fabrication.old_parts import OldParts, old_parts, removal_words
from mavrik.core.fabrication.plugs import plug_views
from mavrik.core.fabrication.samples import samples_of
from mavrik.core.fabrication.signing import SignatureView, signature_view
from mavrik.core.fabrication.steps import Phase, Step, course, work_steps
from mavrik.core.fabrication.stock import StockList
from mavrik.core.fabrication.ways import WayView, way_views


class Cut(Document):
    """A piece of cable."""

    branch_id: str
    label: str
    runs: int
    cut_mm: float


class Cable(Document):
    """What is cut from one cable."""

    size: str
    total_mm: float
    cuts: tuple[Cut, ...]


class WorkStep(Document):
    """A step, and how far it is."""

    id: str
    phase: Phase
    text: str
    minutes: float
    branch_id: str
    done: bool
    by: str = Field(description="Who ticked it; empty: nobody has, or it is not kept yet")
    at: Moment | None
    ready: bool = Field(description="Not done, and everything that it needs is")
    loose: bool = Field(description="Done, and nothing that needs it is: its tick may be taken off")
    needs: tuple[str, ...] = Field(description="Ids of the steps that are done before it")
    waits_for: tuple[str, ...] = Field(description="Those of them that are not done, in words")
    tools: tuple[str, ...] = ()
    people: int = 1
    caution_step: str = Field("", description="Cautions of that step of the catalogue stand beside it")
    photo: PhotoKey | None = None


class MayBeMade(Document):
    """A lead that the plan leaves as it is."""

    branch_id: str
    label: str
    size: str


class BuildView(Document):
    """What is made and done, and what comes next."""

    headline: str
    cards: tuple[LeadCard, ...]
    cables: tuple[Cable, ...]
    steps: tuple[WorkStep, ...]
    next_step: str | None = Field(description="Id of the first that is ready; null: all is done")
    done: int
    minutes: float = Field(description="All of it, one person")
    minutes_left: float
    ways: tuple[WayView, ...] = Field(description="That leads share")
    old: OldParts
    stays: tuple[MayBeMade, ...] = Field(description="Leads that could be made anew as they are")
    signature: SignatureView | None = Field(description="Who looked the work over; null: nobody yet")
    too_early: tuple[str, ...] = Field(description="Ids of steps that are ticked before what they need, and do not count as done")


class BuildProblemError(ValueError):
    """A book that cannot be: every place in `problems`."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems))
        self.problems = list(problems)


def all_leads(circuit: Circuit) -> tuple[str, ...]:
    """The ids of every lead of a circuit."""
    return tuple(b.id for b in circuit.branches if isinstance(b, ConductorBranch))


def first_book(as_found: Circuit, leads_alone: bool) -> BuildBook:
    """The book that a job begins with.

    as_found: the circuit; leads_alone: whether leads are what the job is for and nothing is planned, so that all of them are made
    """
    return BuildBook(anew=all_leads(as_found)) if leads_alone else BuildBook()


def build_view(as_found: Circuit, planned: Circuit, book: BuildBook, prices: PriceList) -> BuildView:
    """The work from a vehicle as found to its plan, as far as a book says it has come.

    as_found, planned: before and after, the same parts under the same ids; book: what was measured and ticked; prices: the workshop's hours
    A tick of a step that the plan no longer has is left in the book and counts for nothing; so does one that comes before what its step
    needs, as when the plan has changed since.
    Raises BuildProblemError where a lead or a tick stands twice, or a stud is none.
    Source: `lead_cards`, `work_steps` and `course`.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> view = build_view(car, car, BuildBook(anew=("charge_cable",)), usual_prices())
    >>> view.next_step, [(c.size, round(c.total_mm)) for c in view.cables]
    ('make:charge_cable', [('25 mm2', 1209)])
    """
    studs = bulkheads_to_fit(planned, book)
    cards, steps = _work(as_found, planned, book, prices, studs)
    ticks, text = {t.step: t for t in book.ticks}, {s.id: s.text for s in steps}
    photos = {p.step: p.photo for p in book.photos}
    done = set[str]()
    for s in steps:
        if s.id in ticks and done.issuperset(s.needs):
            done.add(s.id)
    needed = {n for s in steps if s.id in done for n in s.needs}
    shown = []
    for s in steps:
        tick, waits = ticks.get(s.id) if s.id in done else None, tuple(n for n in s.needs if n not in done)
        shown.append(
            WorkStep(
                id=s.id, phase=s.phase, text=s.text, minutes=s.minutes, branch_id=s.branch_id, done=tick is not None,
                by=tick.by if tick else "", at=tick.at if tick else None, ready=tick is None and not waits,
                loose=tick is not None and s.id not in needed, needs=s.needs, waits_for=tuple(text[n] for n in waits), tools=s.tools, people=s.people,
                caution_step="step_battery" if s.handles_battery else f"step_{s.phase.value}", photo=photos.get(s.id),
            )
        )  # fmt: skip
    made = {b.id for b in leads_to_make(as_found, planned, book.anew)}
    left = sum(s.minutes for s in shown if not s.done)
    return BuildView(
        headline=_headline(cards, shown, studs), cards=cards, cables=_cables(cards), steps=tuple(shown), ways=way_views(planned, book), old=old_parts(as_found, planned, book),
        next_step=next((s.id for s in shown if s.ready), None), done=len(done),
        minutes=course(steps).minutes if steps else 0.0, minutes_left=left,
        signature=signature_view(book.signed, cards, done),
        too_early=tuple(s.id for s in steps if s.id in ticks and s.id not in done),
        stays=tuple(
            MayBeMade(branch_id=b.id, label=b.label, size=b.conductor.label)
            for b in planned.branches
            if isinstance(b, ConductorBranch) and b.id not in made
        ),
    )  # fmt: skip


def _work(
    as_found: Circuit, planned: Circuit, book: BuildBook, prices: PriceList, studs: Sequence[BulkheadToFit]
) -> tuple[tuple[LeadCard, ...], tuple[Step, ...]]:
    """Leads to make and steps to take. Raises BuildProblemError for a book that cannot be."""
    if problems := check_book(book):
        raise BuildProblemError(problems)
    cards = lead_cards(as_found, planned, book)
    removals, samples = removal_words(old_parts(as_found, planned, book)), samples_of(cards) if book.samples else ()
    steps = work_steps(as_found, planned, prices, book.anew, cards, way_views(planned, book), removals, samples, studs)
    if not cards and not {s.phase for s in steps} - {Phase.SAFE, Phase.OFF, Phase.ON, Phase.TEST}:
        # Nothing is made, taken out or fitted: nobody takes a battery off for that.
        return cards, ()
    return cards, steps


@dataclass(frozen=True)
class Shop:
    """What a workshop reckons with, and what it has."""

    prices: PriceList
    units: UnitList
    stock: StockList
    on_hand: OnHand = field(default_factory=OnHand)


def build_bill(as_found: Circuit, planned: Circuit, book: BuildBook, shop: Shop, booked: Sequence[Booked] = ()) -> Bill:
    """The bill of materials of the same work.

    as_found, planned, book: as for `build_view`; shop: what can be had and what is there; booked: what the job has used
    Raises BuildProblemError as `build_view`.
    Source: `needs_of` and `bill_of`.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.catalogue.units import usual_units
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.stock import usual_stock
    >>> car, shop = front_battery(12), Shop(usual_prices(), usual_units(), usual_stock())
    >>> [(x.number, x.buy) for x in build_bill(car, car, BuildBook(anew=("charge_cable",)), shop).lines]
    [('CB-25', 5.0), ('LG-25-M8', 5.0), ('SH-12', 1.0)]
    """
    studs = bulkheads_to_fit(planned, book)
    cards, steps = _work(as_found, planned, book, shop.prices, studs)
    minutes = course(steps).minutes if steps else 0.0
    samples = samples_of(cards) if book.samples else ()
    needs = needs_of(
        as_found, planned, cards, shop.prices, way_views(planned, book), plug_views(planned, book), samples, studs
    )  # fmt: skip
    return bill_of(needs if steps else (), minutes, book, shop.prices, shop.stock, shop.units, shop.on_hand, booked)


def _cables(cards: Sequence[LeadCard]) -> tuple[Cable, ...]:
    of: dict[str, list[Cut]] = {}
    for c in cards:
        if c.cut_mm is not None and not c.reclaimed:
            of.setdefault(c.size, []).append(Cut(branch_id=c.branch_id, label=c.label, runs=c.runs, cut_mm=c.cut_mm))
    return tuple(
        Cable(size=size, total_mm=sum(x.cut_mm * x.runs for x in cuts), cuts=tuple(sorted(cuts, key=lambda x: -x.cut_mm)))
        for size, cuts in of.items()
    )


def _headline(cards: Sequence[LeadCard], steps: Sequence[WorkStep], studs: Sequence[BulkheadToFit]) -> str:
    if not steps:
        return "Nothing is to be made: the plan leaves every lead as it is"
    if bad := [c.label for c in cards if c.problem] + [x.label for x in studs if x.problems]:
        return f"Cannot be made as asked: {', '.join(bad)}"
    todo = [s for s in steps if not s.done]
    if not todo:
        return "All of it is done: test it, and hand it over"
    steps_left = f"{len(todo)} of {len(steps)} steps to do"
    if not cards:
        return f"No lead to make, {steps_left}"
    return f"{'1 lead' if len(cards) == 1 else f'{len(cards)} leads'} to make, {steps_left}"
