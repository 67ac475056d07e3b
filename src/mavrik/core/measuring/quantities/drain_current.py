"""What leaves a battery while the vehicle sleeps."""

from mavrik.core.measuring.quantities.base import Quantity

DRAIN_CURRENT = Quantity(
    50,
    "drain_current",
    "Drain",
    "A",
    "mA",
    1000.0,
    digits=0,
    last_digit=0.002,
    turned_below=-0.05,
    turned="Negative: the ammeter is the wrong way round. Turn its leads, or enter the value without its sign.",
    least=-60.0,
    most=60.0,
    slip="Was it read in milliamperes?",
)
"""Read with the ammeter in series on its 10 A range: a clamp is far too coarse for it."""
