"""The workshop's stock: its list of parts, what is there of each, and what jobs took out of it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Annotated

from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.fabrication.bench import Shop
from mavrik.core.fabrication.bill import Bill, Booked, Length, OnHand, stock_used
from mavrik.core.fabrication.stock import MOST_COUNTED, PartKind, PartNumber, StockItem, StockList, usual_stock
from mavrik.domain.roles import Who
from mavrik.exchange.list_csv import ListFileError
from mavrik.exchange.stock_csv import StockFile, stock_from_csv, stock_to_csv
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.lists import ListKind, keep_list, kept_list, prices, units
from mavrik.store.models import StockMove

STOCK = ListKind("stock", "stock list", StockList, usual_stock)
HAIR_MM = 0.5
"""Under that nothing is left of a reel: millimetres are summed as floats."""

Counted = Annotated[float, Field(ge=0, le=MOST_COUNTED)]


class StockRecord(Document):
    """What the workshop keeps or can buy, and what is there."""

    revision: int
    """Of the list; 0 where nothing was kept yet: invented parts to begin with."""
    document: StockList
    on_hand: OnHand


class Count(Document):
    """What somebody has counted of one part; it replaces what the books said."""

    number: PartNumber
    quantity: Counted | None = Field(None, description="Pieces; millimetres of what is sold by the metre. Not for cable")
    reels_mm: Annotated[tuple[Annotated[float, Field(ge=1, le=MOST_COUNTED)], ...], Field(max_length=60)] | None = Field(
        None, description="Of a cable: each reel and offcut that is there [mm]"
    )


class Receipt(Document):
    """What came in of one part."""

    number: PartNumber
    quantity: Annotated[float, Field(ge=1, le=MOST_COUNTED, description="Pieces; millimetres, of a cable as one length")]


def stock(session: Session) -> StockRecord:
    """The list as it was kept last, and what is there."""
    revision, document = kept_list(session, STOCK)
    return StockRecord(revision=revision, document=document, on_hand=on_hand(session))


def on_hand(session: Session) -> OnHand:
    """What is there of every part: the sum of all that came and went."""
    there = select(StockMove.number, StockMove.piece, func.sum(StockMove.quantity)).group_by(StockMove.number, StockMove.piece)
    quantity: dict[str, float] = {}
    reels: dict[str, list[Length]] = {}
    for number, piece, amount in session.execute(there.order_by(StockMove.number, func.length(StockMove.piece), StockMove.piece)):
        if not piece:
            quantity[number] = round(amount, 3)
        elif amount > HAIR_MM:
            reels.setdefault(number, []).append(Length(piece=piece, mm=round(amount, 3)))
    return OnHand(quantity=quantity, reels={n: tuple(r) for n, r in reels.items()})


def shop(session: Session) -> Shop:
    """What a bill is reckoned with."""
    known = stock(session)
    return Shop(prices(session).document, units(session).document, known.document, known.on_hand)


def booked(session: Session, job_id: int) -> tuple[Booked, ...]:
    """What a job has used, less what it gave back."""
    of = (StockMove.need, StockMove.step, StockMove.number, StockMove.piece)
    rows = session.execute(
        select(*of, func.sum(StockMove.quantity)).where(StockMove.job_id == job_id).group_by(*of).order_by(*of)
    )
    return tuple(
        Booked(need=need, step=step, number=number, piece=piece, quantity=round(-amount, 3))
        for need, step, number, piece, amount in rows
        if -amount > 1e-6
    )


def book(session: Session, job_id: int, bill: Bill, done: Collection[str], undone: Collection[str], who: Who) -> None:
    """Take out of the stock what steps have used that are done now, and put back what those had taken that are not after all.

    bill: of the job, with what it had used; done, undone: ids of the steps that were ticked just now, and of those that no longer are
    A step that has taken its parts takes none again. Whoever calls it holds `one_at_a_time`, since before the bill was made.
    """
    before = booked(session, job_id)
    took = {b.step for b in before}
    for b in (b for b in before if b.step in undone):
        _move(session, b.number, b.piece, b.quantity, "returned", who, job_id, b.need, b.step)
    for b in stock_used(bill, set(done) - took):
        _move(session, b.number, b.piece, -b.quantity, "used", who, job_id, b.need, b.step)
    session.flush()


def keep_stock(session: Session, given: StockList, revision: int, counts: Sequence[Count], who: Who) -> StockRecord:
    """Keep the list, edited from a revision, and what was counted.

    Raises InvalidError, at the part, for a count that cannot be, ConflictError where somebody else saved in between.
    """
    kept = keep_list(session, STOCK, given, revision, who)
    count(session, given, counts, who)
    return StockRecord(revision=kept, document=given, on_hand=on_hand(session))


def count(session: Session, listed: StockList, counts: Sequence[Count], who: Who) -> None:
    """Set what is there to what was counted.

    listed: the parts there are. Reels that were known keep their marks, in their order; those beyond get new ones.
    Raises InvalidError, at the part, for one that is not listed and for a count of the wrong kind.
    """
    one_at_a_time(session)
    items = {i.number: i for i in listed.items}
    for c in counts:
        item = items.get(c.number)
        if item is None:
            raise _wrong(c.number, "number", f"No part '{c.number}' is on the list.")
        cable = item.kind is PartKind.CABLE
        if (c.reels_mm is None) == cable or (c.quantity is None) != cable:
            raise _wrong(c.number, "quantity", "A cable is counted by its reels, all else as one quantity.")
    there = on_hand(session)
    for c in counts:
        for piece, change in _changes(session, c, there).items():
            if abs(change) > 1e-6:
                _move(session, c.number, piece, change, "counted", who)
        note_change(session, None, who, f"counted {items[c.number].label}", kind="changed", thing="stock",
                    before=_said(c.number, there), after=c.model_dump(mode="json", exclude={"number"}, exclude_none=True))  # fmt: skip
    session.flush()


def receive(session: Session, came: Receipt, who: Who) -> StockRecord:
    """Take in what came. Raises NotFoundError for a part that is not on the list."""
    one_at_a_time(session)
    known = stock(session)
    item = _item(known.document, came.number)
    piece = _next_mark(session, item.number) if item.kind is PartKind.CABLE else ""
    _move(session, item.number, piece, came.quantity, "received", who)
    note_change(session, None, who, f"took in {item.label}", kind="changed", thing="stock", after=came.model_dump(mode="json"))
    session.flush()
    return known.model_copy(update={"on_hand": on_hand(session)})


def stock_as_csv(session: Session) -> str:
    """The list with what is there, as CSV."""
    known = stock(session)
    return stock_to_csv(known.document, known.on_hand)


def stock_of_csv(text: str) -> StockFile:
    """Parts of a CSV, not kept yet. Raises InvalidError with the line that is wrong."""
    try:
        return stock_from_csv(text)
    except ListFileError as error:
        raise InvalidError(str(error), [Problem("stock", "text", str(error))]) from error


def _item(listed: StockList, number: str) -> StockItem:
    item = next((i for i in listed.items if i.number == number), None)
    if item is None:
        raise NotFoundError(f"No part '{number}' is on the list.")
    return item


def _wrong(number: str, field: str, message: str) -> InvalidError:
    return InvalidError(message, [Problem(number, field, message)])


def _said(number: str, there: OnHand) -> dict[str, object]:
    if number in there.reels:
        return {"reels_mm": [r.mm for r in there.reels[number]]}
    return {"quantity": there.quantity.get(number, 0.0)}


def _changes(session: Session, counted: Count, there: OnHand) -> dict[str, float]:
    """What changes of each piece."""
    if counted.reels_mm is None:
        return {"": (counted.quantity or 0.0) - there.quantity.get(counted.number, 0.0)}
    known = there.reels.get(counted.number, ())
    first_new = int(_next_mark(session, counted.number))
    changes: dict[str, float] = {r.piece: -r.mm for r in known}
    for k, mm in enumerate(counted.reels_mm):
        mark = known[k].piece if k < len(known) else str(first_new + k - len(known))
        changes[mark] = changes.get(mark, 0.0) + mm
    return changes


def _next_mark(session: Session, number: str) -> str:
    """A mark that no reel of this cable has had: one that is used up is not another one's."""
    marks = session.scalars(select(StockMove.piece).where(StockMove.number == number, StockMove.piece != "").distinct()).all()
    return str(max((int(m) for m in marks if m.isdigit()), default=0) + 1)


def one_at_a_time(session: Session) -> None:
    """Two who take the last of a part at one moment do so one after the other."""
    session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended("stock", 0))))


def _move(
    session: Session, number: str, piece: str, quantity: float, why: str, who: Who, job_id: int | None = None, need: str = "", step: str = ""
) -> None:  # fmt: skip
    session.add(
        StockMove(
            number=number, piece=piece, quantity=quantity, why=why, job_id=job_id, need=need, step=step, person_name=who.name
        )
    )
