"""What is to be ordered, as CSV."""

from __future__ import annotations

from mavrik.core.fabrication.ordering import Orders
from mavrik.exchange.list_csv import list_to_csv

COLUMNS = ("number", "label", "buy", "unit", "price", "outlay", "days", "promised", "jobs")


def orders_to_csv(orders: Orders) -> str:
    """A line a part; `buy` in pieces or metres as `unit` says, `outlay` before tax, `promised` the soonest of its jobs. Parts that no list
    names follow, without a number and a price.

    >>> from decimal import Decimal
    >>> nothing = Orders(lines=(), unlisted=(), outlay=Decimal("0.00"), currency="", unreckoned=())
    >>> orders_to_csv(nothing).strip()
    'number,label,buy,unit,price,outlay,days,promised,jobs'
    """
    rows = [
        {
            "number": x.number, "label": x.label, "buy": x.buy, "unit": _unit(x.by_length), "price": str(x.price), "outlay": str(x.outlay),
            "days": x.days, "promised": x.promised.isoformat() if x.promised else None, "jobs": " ".join(j.number for j in x.jobs),
        }
        for x in orders.lines
    ]  # fmt: skip
    rows += [
        {**dict.fromkeys(COLUMNS), "label": u.text, "buy": u.quantity, "unit": _unit(u.by_length), "jobs": u.number}
        for u in orders.unlisted
    ]
    return list_to_csv(COLUMNS, rows)


def _unit(by_length: bool) -> str:
    return "m" if by_length else "pieces"
