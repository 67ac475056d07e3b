"""A current that a plate or a tester states."""

from mavrik.core.measuring.quantities.base import Quantity

STATED_CURRENT = Quantity(
    60,
    "stated_current",
    "Stated current",
    "A",
    "A",
    digits=0,
    last_digit=1.0,
    least=0.0,
    most=5000.0,
)
"""Nothing is clamped for it."""
