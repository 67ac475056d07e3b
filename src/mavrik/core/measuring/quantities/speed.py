"""A speed of rotation."""

from mavrik.core.measuring.quantities.base import Quantity

SPEED = Quantity(
    100,
    "speed",
    "Speed",
    "/min",
    "/min",
    digits=0,
    meter="tachometer",
    last_digit=10.0,
    turned_below=0.0,
    turned="A speed is not negative.",
    most=60_000.0,
)
"""Of the engine or of a shaft."""
