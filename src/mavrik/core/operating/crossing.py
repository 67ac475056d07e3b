"""Where something that is asked for step by step is zero, so that many may take their steps together."""

from __future__ import annotations

from collections.abc import Generator

MOST_STEPS = 200


def crossing(low: float, high: float, within: float, small: float = 0.0) -> Generator[float, float, float | None]:
    """Where a function is zero between two places where it is not of the same sign: yields a place, is sent the value there.

    low, high: the places; within: so near the place is found; small: so near to zero is zero
    Returns one of the places that were asked for; None where both ends are of one sign.
    Source: T. R. Chandrupatla, "A new hybrid quadratic/bisection algorithm for finding the zero of a nonlinear function without using
    derivatives", Advances in Engineering Software 28 (1997), from memory; never worse than three times a bisection.

    >>> search = crossing(0.0, 2.0, 1e-9)
    >>> place = next(search)
    >>> try:
    ...     while True:
    ...         place = search.send(place**2 - 2)
    ... except StopIteration as done:
    ...     round(done.value, 6)
    1.414214
    """
    a, b = high, low
    at_a, at_b = (yield a), (yield b)
    if at_a * at_b > 0:
        return None
    share = 0.5
    for _ in range(MOST_STEPS):
        best, least = (a, at_a) if abs(at_a) < abs(at_b) else (b, at_b)
        narrow = within / abs(b - a)
        if abs(least) <= small or narrow > 0.5:
            return best
        place = a + min(max(share, narrow), 1 - narrow) * (b - a)
        value = yield place
        if value * at_a > 0:
            c, at_c = a, at_a
        else:
            c, at_c, b, at_b = b, at_b, a, at_a
        a, at_a = place, value
        # A parabola through the last three, turned over, where it is sure to stay between them; otherwise the middle.
        way, rise = (a - b) / (c - b), (at_a - at_b) / (at_c - at_b)
        share = 0.5
        if rise**2 < way and (1 - rise) ** 2 < 1 - way:
            share = at_a / (at_b - at_a) * at_c / (at_b - at_c) + (c - a) / (b - a) * at_a / (at_c - at_a) * at_b / (at_c - at_b)
    return best
