"""The resistance of a contact."""

from mavrik.core.measuring.quantities.base import Quantity

RESISTANCE = Quantity(
    90,
    "resistance",
    "Resistance",
    "Ω",
    "mΩ",
    1000.0,
    digits=1,
    last_digit=0.0001,
    turned_below=-0.00005,
    turned="A resistance is not negative: the probes are swapped, or the meter is not zeroed.",
    most=1e6,
)
"""By a milliohm meter or a known current."""
