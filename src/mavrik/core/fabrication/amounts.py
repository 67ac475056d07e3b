"""Amounts of money: decimals, to the cent."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal
from typing import Annotated

from pydantic import Field

CENT = Decimal("0.01")
Amount = Annotated[Decimal, Field(ge=0, le=10_000_000, decimal_places=4, description="In the workshop's currency, before tax")]


def decimal_of(value: float) -> Decimal:
    """A figure as it is written, not as it lies in binary.

    >>> decimal_of(0.1 + 0.2)
    Decimal('0.3')
    """
    return Decimal(repr(round(value, 9)))


def cents(amount: Decimal) -> Decimal:
    """To the cent, half a cent up.

    >>> cents(Decimal("1.005"))
    Decimal('1.01')
    """
    return amount.quantize(CENT, ROUND_HALF_UP)
