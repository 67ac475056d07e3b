"""Who supplies whom: each taker's current by the sources it comes from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

LEAST_A = 1e-3
"""Less is a leak, and is nobody's supply."""


def trace(
    flows: Iterable[tuple[str, str, float]],
    given: Mapping[str, tuple[str, float]],
    takers: Mapping[str, tuple[str, float]],
) -> dict[tuple[str, str], float]:
    """Each taker's current by source [A].

    flows: (from node, to node, current [A]) of every branch, either sign
    given: for each source the node it feeds and its current [A], above 0
    takers: for each the node it is fed from and its current [A], above 0
    Returns amperes by (source, taker), without what is below 1 mA. At a node where currents meet they mix, and what leaves
    is made of every source in the same parts: there is no other way to tell one ampere from the next.
    Source: proportional sharing, as power flows are traced in supply networks.

    >>> trace([("a", "c", 30.0), ("b", "c", 10.0)], {"alt": ("a", 30.0), "bat": ("b", 10.0)}, {"pump": ("c", 40.0)})
    {('alt', 'pump'): 30.0, ('bat', 'pump'): 10.0}
    """
    row: dict[str, int] = {}
    directed = [(a, b, i) if i > 0 else (b, a, -i) for a, b, i in flows if abs(i) > LEAST_A]
    for node in [n for a, b, _ in directed for n in (a, b)] + [n for n, _ in (*given.values(), *takers.values())]:
        row.setdefault(node, len(row))
    sources = [s for s, (_, i) in given.items() if i > LEAST_A]
    mixing, fed = np.zeros((len(row), len(row))), np.zeros((len(row), len(sources)))
    for a, b, i in directed:
        mixing[row[b], row[b]] += i
        mixing[row[b], row[a]] -= i
    for k, s in enumerate(sources):
        node, i = given[s]
        mixing[row[node], row[node]] += i
        fed[row[node], k] += i
    # A node that nothing flows into is nobody's.
    dry = np.flatnonzero(np.diag(mixing) == 0)
    mixing[dry, dry] = 1.0
    # Currents run downhill and so never in a circle, but for what rounding leaves of it.
    mix = np.linalg.lstsq(mixing, fed, rcond=None)[0]
    shares = {(s, t): float(mix[row[n], k] * i) for t, (n, i) in takers.items() for k, s in enumerate(sources)}
    return {pair: round(amps, 6) for pair, amps in shares.items() if amps > LEAST_A}
