"""What would change what is thought: for each likely cause the one reading that would turn it, and from which value on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from mavrik.core.findings.bench_model import Floats, Placed
from mavrik.core.findings.hypotheses import fault_table
from mavrik.core.findings.inference import Candidate
from mavrik.core.findings.likelihood import wrong_share
from mavrik.core.procedures import Point

SPOKEN_OF = 4
"""Of so many of the likeliest sets it is said."""

PLACES, FARTHEST = 240, 8.0
"""A value is looked for at so many places, up to so many standard deviations from what the likeliest set expects."""


def turning_points(
    kept: Sequence[Candidate],
    share: Floats,
    placed: Sequence[Placed],
    seen: Floats,
    together: Floats,
    again: frozenset[int],
    system_voltage_v: float,
) -> Mapping[str, str]:
    """By cause: the reading that would make the likeliest give way to it, or it to the next, the least surprising one.

    kept: sets of causes with their `share` of the probability
    placed: readings that may be taken; seen: what each set lets them be (sets, readings); together: how they vary
    again: which of them were read before; system_voltage_v: 12 or 24 [V]
    Source: Bayes' rule on two sets and one further reading with normal errors: where its odds are even.
    """
    order = np.argsort(-share).tolist()[:SPOKEN_OF]
    found: dict[str, str] = {}
    if len(order) < 2:
        return found
    first = order[0]
    for k in order:
        rival = order[1] if k == first else k
        turn = _least_surprising(share, placed, seen, together, (first, rival), system_voltage_v)
        if turn is None:
            continue
        j, value, up = turn
        point = placed[j][0]
        words = f"{point.label} {_reads(point, value, up)}{', read again' if j in again else ''}"
        for cause in kept[k].causes:
            if cause not in found:
                less = f"It would give way if {words}." if k == first else f"It would be the likeliest if {words}."
                found[cause] = less
    return found


def _reads(point: Point, value: float, up: bool) -> str:
    of = point.kind
    if of.yes_or_no:
        return "were yes" if value > 0.5 else "were no"
    # Of a value below nothing "more" says two things.
    beyond = ("more" if up else "less") if value >= 0 else ("nearer to nothing" if up else "further below nothing")
    return f"read {of.shown(value):.{of.digits}f} {of.shown_unit} or {beyond}"


def _least_surprising(
    share: Floats, placed: Sequence[Placed], seen: Floats, together: Floats, sets: tuple[int, int], system_voltage_v: float
) -> tuple[int, float, bool] | None:
    """The reading, and the value of it, from which on the rival is likelier than the first; None where no single one would do."""
    first, rival = sets
    odds = float(np.log(max(share[rival], 1e-300)) - np.log(share[first]))
    best: tuple[float, int, float, bool] | None = None
    for j, (point, _) in enumerate(placed):
        mine, other = float(seen[first, j]), float(seen[rival, j])
        if point.kind.yes_or_no:
            wrong = wrong_share(point)
            if (mine > 0.5) != (other > 0.5) and odds + np.log((1 - wrong) / wrong) > 0:
                candidate = (float(-np.log(wrong)), j, float(other > 0.5), other > 0.5)
                best = candidate if best is None or candidate[0] < best[0] else best
            continue
        sd = float(np.sqrt(together[first, j, j])), float(np.sqrt(together[rival, j, j]))
        sigmas = _even_at(odds, mine, other, sd)
        if sigmas is None:
            continue
        value = mine + sigmas * sd[0] * np.sign(other - mine)
        if point.kind.impossible(value, system_voltage_v) or (not point.both_ways and value < (point.kind.turned_below or 0.0)):
            continue
        if best is None or sigmas < best[0]:
            best = sigmas, j, float(value), other > mine
    return None if best is None else best[1:]


def _even_at(odds: float, mine: float, other: float, sd: tuple[float, float]) -> float | None:
    """How many of its standard deviations from what one set expects, towards the other's, both are as likely."""
    if abs(other - mine) < 0.5 * max(sd):
        return None
    steps: NDArray[np.float64] = np.linspace(0.0, FARTHEST, PLACES)
    at = mine + steps * sd[0] * np.sign(other - mine)
    slip = fault_table().misread_share
    log_mine = np.logaddexp(-0.5 * steps**2 - np.log(sd[0]), np.log(slip) - np.log(sd[0]) - 0.5 * FARTHEST)
    log_other = -0.5 * ((at - other) / sd[1]) ** 2 - np.log(sd[1])
    over = np.flatnonzero(odds + log_other - log_mine > 0)
    return float(steps[over[0]]) if len(over) else None
