"""What is short for all open jobs together: each takes what the ones before it have left, and what was bought for them leaves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Day, Document
from mavrik.core.fabrication.bench import BuildProblemError, Shop, build_bill
from mavrik.core.fabrication.bill import Bill, BillLine, Booked, Length, OnHand, in_stock
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.stock import PartKind, StockItem, StockList


@dataclass(frozen=True)
class OpenWork:
    """A job's work that parts are wanted for."""

    job_id: int
    number: str
    promised: Day | None
    as_found: Circuit
    planned: Circuit
    book: BuildBook
    booked: tuple[Booked, ...] = ()


class ForJob(Document):
    """What one job wants of a part."""

    job_id: int
    number: str
    quantity: float = Field(description="Pieces or metres, cut rests with it")


class OrderLine(Document):
    """A part that open jobs want and that is short."""

    number: str
    label: str
    by_length: bool
    required: float = Field(description="By all of them, pieces or metres")
    in_stock: float = Field(description="In stock now, pieces or metres")
    buy: float = Field(description="In whole packs")
    price: Decimal
    outlay: Decimal
    days: float
    jobs: tuple[ForJob, ...]
    promised: Day | None = Field(description="The soonest of those jobs; null: none has a day")


class Unlisted(Document):
    """A part that no list of the workshop names."""

    job_id: int
    number: str
    text: str
    quantity: float
    by_length: bool


class Orders(Document):
    """What is to be ordered."""

    lines: tuple[OrderLine, ...] = Field(
        description="What its jobs are promised soonest for comes first, then what takes longest to come"
    )
    unlisted: tuple[Unlisted, ...]
    outlay: Decimal
    currency: str
    unreckoned: tuple[str, ...] = Field(description="Numbers of jobs whose work cannot be reckoned as it stands")


def orders_of(works: Sequence[OpenWork], shop: Shop) -> Orders:
    """What has to be bought so that every job can be done.

    works: in the order in which they are served; shop: prices, and what is there before any of them
    A pack or reel that one job begins serves the next: less is bought than each job's own bill says.
    Source: `build_bill` for each job, with what those before it have left.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.catalogue.units import usual_units
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.stock import usual_stock
    >>> car, book = front_battery(12), BuildBook(anew=("charge_cable",))
    >>> both = [OpenWork(k, f"26-{k}", None, car, car, book) for k in (1, 2)]
    >>> made = orders_of(both, Shop(usual_prices(), usual_units(), usual_stock()))
    >>> [(x.number, round(x.required, 1), x.buy) for x in made.lines]  # two lugs a job out of one pack of five, two lengths off one of five metres
    [('CB-25', 2.4, 5.0), ('LG-25-M8', 4.0, 5.0), ('SH-12', 0.1, 1.0)]
    """
    there, needed = shop.on_hand, dict[str, list[tuple[OpenWork, BillLine]]]()
    unlisted, unreckoned = list[Unlisted](), list[str]()
    for work in works:
        try:
            bill = build_bill(work.as_found, work.planned, work.book, replace(shop, on_hand=there), work.booked)
        except BuildProblemError:
            unreckoned.append(work.number)
            continue
        for line in bill.lines:
            if line.number and line.takes:
                needed.setdefault(line.number, []).append((work, line))
            elif line.buy > 0:
                unlisted.append(
                    Unlisted(job_id=work.job_id, number=work.number, text=line.text, quantity=line.buy, by_length=line.by_length)
                )
        there = left_by(bill, there, shop.stock)
    items = {i.number: i for i in shop.stock.items}
    lines = [_line(items[n], of, in_stock(items[n], shop.on_hand)) for n, of in needed.items() if any(x.buy for _, x in of)]
    lines.sort(key=lambda x: (x.promised is None, x.promised or "", -x.days, x.number))
    return Orders(
        lines=tuple(lines), unlisted=tuple(unlisted), outlay=sum((x.outlay for x in lines), Decimal("0.00")),
        currency=shop.prices.currency, unreckoned=tuple(unreckoned),
    )  # fmt: skip


def _line(item: StockItem, of: Sequence[tuple[OpenWork, BillLine]], there: float) -> OrderLine:
    per = 1000 if item.by_length else 1
    shares = [
        ForJob(job_id=w.job_id, number=w.number, quantity=sum(t.quantity + t.scrap_mm for t in line.takes) / per)
        for w, line in of
    ]
    promised = [w.promised for w, _ in of if w.promised is not None]
    return OrderLine(
        number=item.number, label=item.label, by_length=item.by_length, required=sum(s.quantity for s in shares), in_stock=there,
        buy=sum(line.buy for _, line in of), price=item.price, outlay=sum((line.outlay for _, line in of), Decimal("0.00")), days=max(line.days for _, line in of), jobs=tuple(shares),
        promised=min(promised) if promised else None,
    )  # fmt: skip


def left_by(bill: Bill, there: OnHand, stock: StockList) -> OnHand:
    """What is there when a bill's parts have been bought and all its steps are done.

    bill: of one job; there: what it was reckoned with; stock: the parts
    """
    kinds = {i.number: i.kind for i in stock.items}
    quantity, reels = dict(there.quantity), {n: {x.piece: x.mm for x in r} for n, r in there.reels.items()}
    for line in bill.lines:
        if line.number not in kinds:
            continue
        if kinds[line.number] is not PartKind.CABLE:
            came = line.buy * (1000 if line.by_length else 1)
            quantity[line.number] = quantity.get(line.number, 0.0) + came - sum(t.quantity for t in line.takes)
            continue
        of = reels.setdefault(line.number, {})
        fresh = line.buy * 1000
        for t in line.takes:
            if t.piece:
                of[t.piece] -= t.quantity + t.scrap_mm
            else:
                fresh -= t.quantity + t.scrap_mm
        if fresh > 0:
            of[f"new {len(of) + 1}"] = fresh
    return OnHand(
        quantity=quantity,
        reels={n: tuple(Length(piece=p, mm=round(mm, 3)) for p, mm in of.items() if mm > 0.5) for n, of in reels.items()},
    )
