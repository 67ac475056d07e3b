"""Whether a reading has come to rest."""

from __future__ import annotations

from collections.abc import Sequence

WITHIN_SHARE = 0.002
NEEDED = 5


def is_stable(latest: Sequence[float], last_digit: float) -> bool:
    """Whether the last readings agree well enough to take one.

    latest: the newest last, all in one unit
    last_digit: what the meter's last digit stands for, in that unit
    Returns whether the last five lie within two last digits or 0.2 % of each other. Our choice, no source.

    >>> is_stable([12.1, 12.62, 12.63, 12.62, 12.63, 12.62], 0.01), is_stable([12.62, 12.63], 0.01)
    (True, False)
    """
    if len(latest) < NEEDED:
        return False
    seen = latest[-NEEDED:]
    return max(seen) - min(seen) <= max(2 * last_digit, WITHIN_SHARE * abs(seen[-1])) + 1e-12
