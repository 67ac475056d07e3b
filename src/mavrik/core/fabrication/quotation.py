"""A quotation: the bill of materials as a customer is given it, and whether it was accepted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import Field

from mavrik.core.document import Day, Document, Moment
from mavrik.core.fabrication.amounts import Amount, cents, decimal_of
from mavrik.core.fabrication.bill import Bill, BillLine

MOST_LINES = 300
NEAR = 0.02
"""Share of the total by which a quotation may be off what the work comes to now. Our choice."""
HOLDS_DAYS = 30
"""A quotation usually holds so long. Common practice, no source."""
Hours = Annotated[float, Field(ge=0, le=10_000)]
Share = Annotated[float, Field(ge=0, le=1)]


class QuotedLine(Document):
    """One line of it."""

    text: Annotated[str, Field(max_length=200)]
    quantity: Annotated[str, Field(max_length=30, description="With its unit")]
    price: Amount
    amount: Amount
    rough: bool = Field(False, description="Estimated: no part of the workshop's list stands behind it")


class QuotationRequest(Document):
    """What a quotation says beside the bill."""

    valid_until: Day
    note: Annotated[str, Field(max_length=1000)] = ""


class Consent(Document):
    """Who said yes to it."""

    by: Annotated[str, Field(min_length=1, max_length=120, description="The customer, or whoever spoke for them")]
    recorded_by: Annotated[str, Field(max_length=200, description="Who wrote it down; set when it is kept")] = ""
    at: Moment | None = Field(None, description="When; set when it is kept")


class Quotation(Document):
    """What the customer is offered: its figures stay, whatever a price list says later."""

    lines: Annotated[tuple[QuotedLine, ...], Field(max_length=MOST_LINES)]
    hours: Hours
    labour_per_h: Amount
    labour: Amount
    net: Amount
    tax_share: Share
    tax: Amount
    total: Amount
    currency: Annotated[str, Field(max_length=8)]
    request: QuotationRequest
    accepted: Consent | None = None


def quotation_of(bill: Bill, labour_per_h: float, request: QuotationRequest) -> Quotation:
    """What a customer is offered for the work of a bill.

    bill: of the plan; labour_per_h: what an hour costs; request: until when it holds, and what else it says
    Raises ValueError where nothing is to be done, and where nobody has said what a part costs: an offer without it would be none.
    Source: the bill's own amounts.

    >>> from datetime import date
    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.catalogue.units import usual_units
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.bench import Shop, build_bill
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> from mavrik.core.fabrication.stock import usual_stock
    >>> car, shop = front_battery(12), Shop(usual_prices(), usual_units(), usual_stock())
    >>> bill = build_bill(car, car, BuildBook(anew=("charge_cable",)), shop)
    >>> made = quotation_of(bill, shop.prices.labour_per_h, QuotationRequest(valid_until=date(2030, 1, 1)))
    >>> [(x.quantity, str(x.amount)) for x in made.lines], made.total == bill.total
    ([('1.21 m', '7.20'), ('2', '3.20'), ('0.07 m', '0.27')], True)
    """
    if not bill.lines and not bill.hours:
        raise ValueError("Nothing is to be made: there is nothing to offer.")
    if bill.open:
        raise ValueError(f"Nobody has said what it costs: {', '.join(bill.open)}. Put it on the workshop's list.")
    return Quotation(
        lines=tuple(_quoted(x) for x in bill.lines), hours=round(bill.hours, 4), labour_per_h=cents(decimal_of(labour_per_h)),
        labour=bill.labour, net=bill.net, tax_share=bill.tax_share, tax=bill.tax, total=bill.total, currency=bill.currency, request=request,
    )  # fmt: skip


def _quoted(line: BillLine) -> QuotedLine:
    takes = line.used + sum(t.quantity + t.scrap_mm for t in line.takes) / (1000 if line.by_length else 1)
    quantity = f"{takes:.2f} m" if line.by_length else f"{takes:g}"
    return QuotedLine(text=line.text, quantity=quantity, price=line.price, amount=line.amount, rough=line.rough)


def quotation_number(kept: Sequence[Quotation]) -> int:
    """What the last of a job's quotations is called: one that was accepted is still the one that was offered.

    kept: all of them, the oldest first
    """
    return sum(q.accepted is None for q in kept)


def says_the_same(one: Quotation, other: Quotation) -> bool:
    """Whether two quotations ask the same for the same.

    one, other: whatever they say of validity and consent
    The same parts at the same prices, and no more than two per cent between their totals: cable that is cut from other reels as the work
    goes on leaves other rests, and amounts that are rounded one by one are a cent apart.
    """
    alike = [[(x.text, x.price, x.rough) for x in q.lines] for q in (one, other)]
    rates = [(q.labour_per_h, q.tax_share, q.currency) for q in (one, other)]
    near = abs(one.total - other.total) <= decimal_of(NEAR) * max(one.total, other.total)
    return alike[0] == alike[1] and rates[0] == rates[1] and near
