"""A current, by clamp or shunt."""

from mavrik.core.measuring.quantities.base import Quantity

CURRENT = Quantity(
    40,
    "current",
    "Current",
    "A",
    "A",
    digits=1,
    meter="clamp",
    last_digit=1.0,
    turned_below=-0.5,
    turned="Negative: the clamp's arrow points the wrong way. Turn it, or enter the value without its sign.",
    least=-3000.0,
    most=3000.0,
)
"""Positive along the clamp's arrow."""
