"""Whether a reading has come to rest, or does not move at all."""

from __future__ import annotations

import statistics
from collections import deque
from collections.abc import Sequence

WITHIN_SHARE = 0.002
NEEDED = 5

HELD_S = 8.0
"""A live value whose last digit has not moved for so long may be on hold. Our choice, no source."""


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


class Follower:
    """Follows what a connected meter shows.

    >>> follower = Follower(0.01)
    >>> for k in range(5): follower.add(12.62, 2.0 * k)
    >>> follower.stable, follower.held
    (True, True)
    """

    def __init__(self, last_digit: float) -> None:
        """last_digit: what the meter's last digit stands for, in its unit."""
        self._last_digit = last_digit
        self._seen: deque[float] = deque(maxlen=NEEDED)
        self._same_since = self._now = 0.0

    def add(self, value: float | None, at_s: float) -> None:
        """What it shows now; None beyond its range.

        at_s: when, on any clock that only goes forward [s]
        """
        if value is None:
            self._seen.clear()
        else:
            if not self._seen or value != self._seen[-1]:
                self._same_since = at_s
            self._seen.append(value)
        self._now = at_s

    @property
    def stable(self) -> bool:
        """Whether a value can be taken, see `is_stable`."""
        return is_stable(list(self._seen), self._last_digit)

    @property
    def spread(self) -> float | None:
        """Standard deviation of the latest values, where they are stable; None otherwise."""
        return statistics.stdev(self._seen) if self.stable else None

    @property
    def held(self) -> bool:
        """Whether not even its last digit has moved for `HELD_S`: a live one flickers, one on hold or hung up does not.

        Zero says nothing: open probes and a clamp round nothing read that for hours.
        """
        return bool(self._seen) and self._seen[-1] != 0 and self._now - self._same_since >= HELD_S
