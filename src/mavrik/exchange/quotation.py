"""A job's quotation as a page to print."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from mavrik.exchange.bundle import Bundle
from mavrik.exchange.sheet import page_of


def render_quotation(bundle: Bundle, workshop: str, printed_at: datetime) -> str:
    """What the customer was offered last, as a whole HTML page.

    bundle: the job; workshop, printed_at: at its head
    Raises ValueError where nothing was offered.
    """
    kept = bundle.quotation()
    if kept is None:
        raise ValueError("Nothing was offered yet: make a quotation first.")
    number, quotation = kept
    return page_of("quotation.html.j2").render(
        bundle=bundle, number=number, q=quotation, workshop=workshop, printed_at=printed_at, money=lambda amount: f"{amount:.2f} {quotation.currency}".strip(),
        tax_percent=f"{Decimal(repr(quotation.tax_share)) * 100:f}".rstrip("0").rstrip("."), rough=any(x.rough for x in quotation.lines),
    )  # fmt: skip
