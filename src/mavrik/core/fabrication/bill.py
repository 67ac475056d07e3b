"""The bill of materials: which part serves each need, what is in stock, what has to be bought, and what it comes to."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from decimal import Decimal

from pydantic import Field

from mavrik.core.catalogue.conductor import Stranding, parse_size
from mavrik.core.catalogue.lugs import BarrelData, barrel_for, stud
from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.units import UnitList
from mavrik.core.document import Document
from mavrik.core.fabrication.amounts import cents, decimal_of
from mavrik.core.fabrication.barrel import Fit, barrel_fit
from mavrik.core.fabrication.documents import BuildBook, PartChoice
from mavrik.core.fabrication.needs import Need, Use
from mavrik.core.fabrication.nesting import nest
from mavrik.core.fabrication.stock import PartKind, PartSpec, StockItem, StockList, serves, to_buy
from mavrik.core.fabrication.tube_lug import pays, tube_lug, tube_mm

USELESS_MM = 300.0
"""A rest of cable shorter than that goes into the scrap, and is charged. Our choice."""
TUBE_LUG_S = 90.0
"""To cut, press and drill a lug of tube. Common practice, no source."""


class Length(Document):
    """A reel or an offcut."""

    piece: str = Field(description="Its mark")
    mm: float


class OnHand(Document):
    """What is in stock."""

    quantity: dict[str, float] = Field({}, description="By part number: pieces; millimetres of what is sold by the metre")
    reels: dict[str, tuple[Length, ...]] = Field({}, description="By part number of a cable: its reels and offcuts")


class Booked(Document):
    """What a step has used of the stock."""

    need: str
    step: str
    number: str
    piece: str = Field("", description="Reel or offcut that it was cut from")
    quantity: float = Field(description="Pieces, or millimetres with the scrap")


class Offer(Document):
    """A part that serves a need."""

    number: str
    label: str
    price: Decimal = Field(description="A piece or a metre")
    in_stock: float = Field(description="Pieces or metres")


class HomeMade(Document):
    """A lug of copper tube in place of a bought one."""

    number: str
    label: str
    outer_mm: float
    wall_mm: float
    tube_mm: float
    seconds: float
    each: Decimal = Field(description="Tube and time")
    saves: Decimal = Field(description="Over a bought one; below 0 it costs more")


class Take(Document):
    """What a step takes of a part."""

    step: str
    quantity: float = Field(description="Pieces, or millimetres in one length")
    piece: str = Field("", description="Reel or offcut that a cable is cut from; empty: bought first")
    scrap_mm: float = Field(0.0, description="Rest of the piece that is of no use")


class BillLine(Document):
    """One kind of part."""

    id: str
    text: str
    spec: PartSpec | None = Field(description="What the part has to be; null: the plan has chosen it, or it was used before")
    by_length: bool = Field(description="Counted in metres, not in pieces")
    required: float
    used: float = Field(description="By steps that are ticked, scrap with it")
    scrap: float = Field(description="Of what is still to be cut [m]")
    from_stock: float
    buy: float = Field(description="In whole packs")
    number: str = Field(description="Of the part; empty: none of the list serves")
    label: str
    offers: tuple[Offer, ...] = Field(description="Parts of the list that serve")
    price: Decimal = Field(description="A piece or a metre")
    amount: Decimal = Field(description="Charged for what the job takes")
    outlay: Decimal = Field(description="Paid for what is bought")
    rough: bool = Field(description="By the price list's rules alone: no part of the list serves")
    unpriced: bool = Field(description="Nobody has said what it costs")
    days: float = Field(description="Until what is bought is there; 0: nothing is")
    takes: tuple[Take, ...] = Field(description="What each step that is not ticked takes")
    home_made: tuple[HomeMade, ...]


class Bill(Document):
    """What the work takes, and what it comes to."""

    lines: tuple[BillLine, ...]
    parts: Decimal
    hours: float
    labour: Decimal
    net: Decimal
    tax_share: float
    tax: Decimal
    total: Decimal
    currency: str
    outlay: Decimal = Field(description="For all that is bought")
    days: float = Field(description="Until the last of it is there")
    proven: bool = Field(description="Whether no other cutting begins fewer metres")
    open: tuple[str, ...] = Field(description="Parts that nobody has priced")


def bill_of(
    needs: Sequence[Need], minutes: float, book: BuildBook, prices: PriceList, stock: StockList, units: UnitList, on_hand: OnHand,
    booked: Sequence[Booked] = (),
) -> Bill:  # fmt: skip
    """What a plan takes of the stock, what has to be bought, and what the job is charged.

    needs, minutes: of the plan, `needs_of` and `work_steps`; book: parts that were chosen by hand, and what is ticked; prices: hours and tax;
    stock, units: what can be had; on_hand: what is there, without what the job has used; booked: what that was. A step that is ticked and
    has booked nothing was made of parts from elsewhere: they are charged, and not taken
    Of the parts that serve, one that is there is taken before one that is bought, then the cheapest. Cable is cut by `nest`: what is short
    is bought in one length. A rest under 300 mm is scrap and charged.
    Source: arithmetic, in decimals; each amount to the cent.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.catalogue.units import usual_units
    >>> from mavrik.core.fabrication.stock import PartSpec, usual_stock
    >>> lugs = Need(id="l", text="Lug", spec=PartSpec(kind="lug", size="25 mm2", stud="M8"), uses=(Use(step="make:a", pieces=2),), about=2)
    >>> bill = bill_of([lugs], 30, BuildBook(), usual_prices(), usual_stock(), usual_units(), OnHand(quantity={"LG-25-M8": 1}))
    >>> line = bill.lines[0]
    >>> line.from_stock, line.buy, str(line.amount), str(bill.labour)
    (1.0, 5.0, '3.20', '30.00')
    """
    of, ticked = {c.need: c for c in book.parts}, {t.step for t in book.ticks}
    lines, proven = [], True
    for need in needs:
        line, sure = _line(need, of.get(need.id), prices, stock, units, on_hand, [b for b in booked if b.need == need.id], ticked)
        lines.append(line)
        proven = proven and sure
        on_hand = _without(on_hand, line, stock)
    lines += _left_over(needs, booked, stock)
    parts = sum((line.amount for line in lines), Decimal("0.00"))
    labour = cents(decimal_of(minutes) / 60 * decimal_of(prices.labour_per_h))
    net = parts + labour
    tax = cents(net * decimal_of(prices.tax_share))
    return Bill(
        lines=tuple(lines), parts=parts, hours=minutes / 60, labour=labour, net=net, tax_share=prices.tax_share, tax=tax, total=net + tax,
        currency=prices.currency, outlay=sum((line.outlay for line in lines), Decimal("0.00")),
        days=max((line.days for line in lines), default=0.0), proven=proven, open=tuple(line.text for line in lines if line.unpriced),
    )  # fmt: skip


def _without(on_hand: OnHand, line: BillLine, stock: StockList) -> OnHand:
    """What is there for the lines that follow: of one relay only one is had, whatever asks for it. Cable of a size is asked for once."""
    item = next((i for i in stock.items if i.number == line.number), None)
    if item is None or item.kind is PartKind.CABLE or not line.from_stock:
        return on_hand
    left = on_hand.quantity.get(item.number, 0.0) - line.from_stock * (1000 if item.by_length else 1)
    return on_hand.model_copy(update={"quantity": {**on_hand.quantity, item.number: left}})


def _left_over(needs: Sequence[Need], booked: Sequence[Booked], stock: StockList) -> list[BillLine]:
    """What was used for a plan that has since become another: it is gone all the same."""
    known, items = {n.id for n in needs}, {i.number: i for i in stock.items}
    of: dict[str, list[Booked]] = {}
    for b in booked:
        if b.need not in known:
            of.setdefault(b.number, []).append(b)
    lines = []
    for number, gone in of.items():
        item = items.get(number)
        by_length = item is not None and item.by_length
        used = sum(b.quantity for b in gone) / (1000 if by_length else 1)
        price = item.price if item else Decimal("0.00")
        lines.append(
            BillLine(
                id=f"gone:{number}", text=f"{item.label if item else number}, before the plan changed", spec=None, by_length=by_length, required=0.0,
                used=used, scrap=0.0, from_stock=0.0, buy=0.0, number=number, label=item.label if item else number, offers=(), price=price,
                amount=cents(decimal_of(used) * price), outlay=Decimal("0.00"), rough=item is None, unpriced=item is None, days=0.0, takes=(),
                home_made=(),
            )
        )  # fmt: skip
    return lines


def _line(
    need: Need, chosen: PartChoice | None, prices: PriceList, stock: StockList, units: UnitList, on_hand: OnHand, booked: Sequence[Booked],
    ticked: Collection[str],
) -> tuple[BillLine, bool]:  # fmt: skip
    """A line, and whether its cutting is the best there is."""
    per = 1000 if need.by_length else 1
    done = {b.step for b in booked}
    left = [u for u in need.uses if u.step not in done and u.step not in ticked]
    # Done with parts that this stock never had: in another workshop, or before anything was counted.
    ticked_off = sum(u.mm or u.pieces for u in need.uses if u.step not in done and u.step in ticked) / per
    used = sum(b.quantity for b in booked) / per + ticked_off
    priced = {i.number: i.price for i in stock.items}
    rough = cents(decimal_of(need.about))
    spent = sum((cents(decimal_of(b.quantity / per) * priced.get(b.number, rough)) for b in booked), Decimal("0.00"))
    base = BillLine(
        id=need.id, text=need.text, spec=need.spec, by_length=need.by_length, required=need.required, used=used, scrap=0.0, from_stock=0.0, buy=0.0, number="",
        label="", offers=(), price=rough, amount=Decimal(0), outlay=Decimal(0), rough=True, unpriced=False, days=0.0, takes=(), home_made=(),
    )  # fmt: skip
    missing = sum(u.mm / 1000 if need.by_length else u.pieces for u in left)
    serving = [i for i in stock.items if need.spec is not None and serves(i, need.spec)]
    if need.spec is None or not serving:
        price = chosen.price if chosen and chosen.price is not None else _of_units(need, units)
        each = rough if price is None else price
        amount, bare = spent + cents(decimal_of(missing + ticked_off) * each), price is None and not need.about
        return base.model_copy(
            update={
                "price": each, "amount": amount, "outlay": cents(decimal_of(missing) * each), "buy": missing, "rough": price is None,
                "unpriced": bare, "takes": _plain(left),
            }
        ), True  # fmt: skip
    ways = [_taken(base, i, left, on_hand, spent, ticked_off) for i in serving]
    best = min(ways, key=lambda w: (w[0].buy > 0, w[0].amount, w[0].number))
    line, sure = next((w for w in ways if chosen and w[0].number == chosen.number), best)
    offers = tuple(Offer(number=i.number, label=i.label, price=i.price, in_stock=in_stock(i, on_hand)) for i in serving)
    return line.model_copy(update={"offers": offers, "home_made": _home_made(need, line.price, prices, stock)}), sure


def _of_units(need: Need, units: UnitList) -> Decimal | None:
    """What the list of units asks for an alternator; None for one that is not on it."""
    return next((cents(decimal_of(u.price)) for u in units.units if u.name == need.unit), None)


def in_stock(item: StockItem, on_hand: OnHand) -> float:
    """Pieces or metres; a count that went below none is none."""
    if item.kind is PartKind.CABLE:
        return sum(x.mm for x in on_hand.reels.get(item.number, ())) / 1000
    return max(on_hand.quantity.get(item.number, 0.0), 0.0) / (1000 if item.by_length else 1)


def _taken(
    base: BillLine, item: StockItem, left: Sequence[Use], on_hand: OnHand, spent: Decimal, ticked_off: float
) -> tuple[BillLine, bool]:
    """The line with a part of the list, and whether its cutting is the best there is."""
    takes, sure = _cuts(item, left, on_hand) if item.kind is PartKind.CABLE else (_plain(left), True)
    per = 1000 if item.by_length else 1
    scrap = sum(t.scrap_mm for t in takes) / per
    required = sum(t.quantity for t in takes) / per
    there = (
        sum(t.quantity for t in takes if t.piece) / per if item.kind is PartKind.CABLE else min(in_stock(item, on_hand), required)
    )
    buy = to_buy(item, required - there)
    line = base.model_copy(
        update={
            "number": item.number, "label": item.label, "price": item.price, "from_stock": there, "buy": float(buy), "scrap": scrap,
            "amount": spent + cents(decimal_of(required + scrap + ticked_off) * item.price), "outlay": cents(decimal_of(buy) * item.price), "rough": False,
            "days": item.days if buy else 0.0, "takes": takes,
        }
    )  # fmt: skip
    return line, sure


def _plain(left: Sequence[Use]) -> tuple[Take, ...]:
    return tuple(Take(step=u.step, quantity=u.mm or u.pieces) for u in left)


def _cuts(item: StockItem, left: Sequence[Use], on_hand: OnHand) -> tuple[tuple[Take, ...], bool]:
    lengths = [(u.step, x) for u in left for x in u.lengths_mm]
    reels = [r for r in on_hand.reels.get(item.number, ()) if r.mm > 0]
    cutting = nest([x for _, x in lengths], [r.mm for r in reels], useless_mm=USELESS_MM)
    last = {at: k for k, at in enumerate(cutting.piece_of) if at is not None}
    made = []
    for k, ((step, mm), at) in enumerate(zip(lengths, cutting.piece_of, strict=True)):
        if at is None:
            made.append(Take(step=step, quantity=mm))
            continue
        rest = cutting.left_mm[at] if last[at] == k else 0.0
        made.append(Take(step=step, quantity=mm, piece=reels[at].piece, scrap_mm=rest if rest < USELESS_MM else 0.0))
    return tuple(made), cutting.proven


def _home_made(need: Need, bought: Decimal, prices: PriceList, stock: StockList) -> tuple[HomeMade, ...]:
    """Tubes that a lug can be made of."""
    if need.spec is None or need.spec.kind is not PartKind.LUG:
        return ()
    size, over, ways = parse_size(need.spec.size), stud(need.spec.stud), []
    for item in (i for i in stock.items if i.kind is PartKind.TUBE):
        assert item.outer_mm is not None and item.wall_mm is not None, "a tube says so"
        barrel = BarrelData(inner_mm=item.outer_mm - 2 * item.wall_mm, outer_mm=item.outer_mm, depth_mm=barrel_for(size).depth_mm)
        fits = barrel_fit(barrel, [(size, Stranding.FLEXIBLE)]).fit in (Fit.SNUG, Fit.WITH_CARE)
        if fits and tube_lug(item.outer_mm, item.wall_mm, over, size).enough:
            mm = tube_mm(barrel.depth_mm, over, barrel.outer_mm)
            tube = float(item.price) * mm / 1000
            saves = pays(float(bought), tube, TUBE_LUG_S, prices.labour_per_h)
            ways.append(
                HomeMade(
                    number=item.number, label=item.label, outer_mm=item.outer_mm, wall_mm=item.wall_mm, tube_mm=mm, seconds=TUBE_LUG_S, saves=cents(decimal_of(saves)),
                    each=cents(bought - decimal_of(saves)),
                )
            )  # fmt: skip
    return tuple(ways)


def stock_used(bill: Bill, steps: Collection[str]) -> tuple[Booked, ...]:
    """What steps take out of the stock when they are done.

    bill: as it stood before; steps: their ids
    What no part of the list serves was never in stock. What had to be bought and was not taken in is booked all the same: the count then
    stands below none, and says so.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.catalogue.units import usual_units
    >>> from mavrik.core.fabrication.stock import PartSpec, usual_stock
    >>> lugs = Need(id="l", text="Lug", spec=PartSpec(kind="lug", size="25 mm2", stud="M8"), uses=(Use(step="make:a", pieces=2),), about=2)
    >>> bill = bill_of([lugs], 30, BuildBook(), usual_prices(), usual_stock(), usual_units(), OnHand())
    >>> [(b.number, b.quantity) for b in stock_used(bill, ["make:a"])]
    [('LG-25-M8', 2.0)]
    """
    return tuple(
        Booked(need=line.id, step=t.step, number=line.number, piece=t.piece, quantity=t.quantity + t.scrap_mm)
        for line in bill.lines
        if line.number
        for t in line.takes
        if t.step in steps
    )
