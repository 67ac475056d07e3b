"""How much is worked out while somebody waits: what is asked of a very large circuit ends in words, and not in a server that stands still."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar


class TooMuchWorkError(Exception):
    """More would have to be worked out than is allowed at once."""


_left: ContextVar[float | None] = ContextVar("work left", default=None)


def spend(work: float) -> None:
    """Take from what is allowed; nothing is counted where nobody set a limit.

    work: about the microseconds it takes on one processor of a small computer, counted from the sizes and not by a clock: the same
    question is refused on every machine, or on none
    Raises TooMuchWorkError when it is used up.
    """
    left = _left.get()
    if left is None:
        return
    if work > left:
        raise TooMuchWorkError
    _left.set(left - work)


def allow(work: float | None) -> None:
    """How much may be worked out from here on; None: as much as it takes.

    work: as for `spend`
    """
    _left.set(work)


@contextmanager
def allowed(work: float) -> Iterator[None]:
    """So much at most, within.

    work: as for `spend`

    >>> with allowed(100):
    ...     spend(60)
    ...     spend(60)
    Traceback (most recent call last):
    mavrik.core.effort.TooMuchWorkError
    """
    before = _left.get()
    _left.set(work)
    try:
        yield
    finally:
        _left.set(before)
