"""What the eye says."""

from mavrik.core.measuring.quantities.base import Quantity

YES_NO = Quantity(
    110,
    "yes_no",
    "Yes or no",
    "",
    "",
    digits=0,
    last_digit=0.0,
    yes_or_no=True,
)
"""1 for yes, 0 for no."""
