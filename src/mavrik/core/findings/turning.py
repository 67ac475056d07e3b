"""What would change what is thought: for each likely cause the one reading that would turn it, and from which value on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mavrik.core.findings.bench_model import Floats, Placed
from mavrik.core.findings.densities import normal_density
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.inference import Candidate
from mavrik.core.findings.likelihood import chance_of_yes, slip_density
from mavrik.core.procedures import BenchState, Point

SPOKEN_OF = 5
"""Of so many of the likeliest causes it is said."""

PLACES, FARTHEST = 481, 8.0
"""A value is looked for at so many places, up to so many standard deviations from what the likeliest set expects."""

LEAST_DENSITY = 1e-12

CLEARLY = 3.0
"""A cause gives way where another is so many times as likely without it: what each lets be read is known along straight lines only."""


@dataclass(frozen=True)
class Turn:
    """A reading that would turn what is thought of a cause."""

    point: str
    value: float
    """From which on, in the unit of its quantity."""
    up: bool
    """Whether upwards from there."""
    words: str


def turning_points(
    kept: Sequence[Candidate],
    share: Floats,
    placed: Sequence[Placed],
    seen: Floats,
    together: Floats,
    again: frozenset[int],
    system_voltage_v: float,
) -> Mapping[str, Turn]:
    """By cause: the reading that would make the likeliest give way, or another one the likeliest, the least surprising one.

    kept: sets of causes with their `share` of the probability
    placed: readings that may be taken; seen: what each set lets them be (sets, readings); together: how they vary
    again: which of them were read before; system_voltage_v: 12 or 24 [V]
    A single reading that may be a slip moves odds only so far: where none would do, nothing is said.
    Source: Bayes' rule for one further reading, with normal errors and slips.
    """
    causes = list(dict.fromkeys(cause for c in kept for cause in c.causes))
    member = np.array([[cause in c.causes for c in kept] for cause in causes])
    order = np.argsort(-(member @ share), kind="stable").tolist()[:SPOKEN_OF]
    first, likeliest = int(order[0]), int(np.argmax(share))
    best: dict[int, tuple[float, int, float, bool]] = {}
    for j, (point, setup) in enumerate(placed):
        if setup.state is BenchState.AT_OUTPUT and setup.output_a is None:
            # Nobody knows yet at which output that will be.
            continue
        values, sigmas = _values(point, seen[:, j], float(np.sqrt(together[likeliest, j, j])), likeliest)
        allowed = _can_be(point, values, system_voltage_v)
        likely = share[:, None] * _density(point, values, seen[:, j], np.sqrt(together[:, j, j]))
        for c in order:
            # A cause gives way to what does without it: a second one beside it does not turn it.
            mine, others = likely[member[c]].sum(axis=0), (member[:, ~member[c]] @ likely[~member[c]]).max(axis=0)
            turned = (others > CLEARLY * mine if c == first else mine > CLEARLY * others) & allowed
            if not turned.any():
                continue
            at = int(np.argmin(np.where(turned, sigmas, np.inf)))
            if c not in best or sigmas[at] < best[c][0]:
                best[c] = float(sigmas[at]), j, float(values[at]), bool(values[at] > seen[likeliest, j])
    turns: dict[str, Turn] = {}
    for c in order:
        if c not in best:
            continue
        _, j, value, up = best[c]
        point = placed[j][0]
        what = f"{point.label} {_reads(point, value, up)}{', read again' if j in again else ''}"
        words = f"It would give way if {what}." if c == first else f"It would be the likeliest if {what}."
        turns[causes[c]] = Turn(point.id, value, up, words)
    return turns


def _reads(point: Point, value: float, up: bool) -> str:
    of = point.kind
    if of.yes_or_no:
        return "were yes" if value > 0.5 else "were no"
    # Of a value below nothing "more" says two things.
    beyond = ("more" if up else "less") if value >= 0 else ("nearer to nothing" if up else "further below nothing")
    return f"read {of.shown(value):.{of.digits}f} {of.shown_unit} or {beyond}"


def _can_be(point: Point, values: Floats, system_voltage_v: float) -> NDArray[np.bool_]:
    of = point.kind
    if of.yes_or_no:
        return np.ones(len(values), dtype=bool)
    least, most = of.bounds(system_voltage_v)
    return (values >= (least if point.both_ways else max(least, of.turned_below or 0.0))) & (values <= most)


def _values(point: Point, seen: Floats, sd: float, first: int) -> tuple[Floats, Floats]:
    """Values that a reading may have, and how many standard deviations each lies from what the likeliest set expects."""
    if point.kind.yes_or_no:
        values = np.array([0.0, 1.0])
        yes = float(chance_of_yes(point, seen[first]))
        # As surprising as that answer is; none, where it is the likelier one.
        return values, -np.log(np.minimum(2 * np.array([1 - yes, yes]), 1.0))
    steps = np.linspace(-FARTHEST, FARTHEST, PLACES)
    return seen[first] + steps * sd, np.abs(steps)


def _density(point: Point, values: Floats, seen: Floats, sd: Floats) -> Floats:
    """How likely each set makes each value (sets, values)."""
    if point.kind.yes_or_no:
        yes = chance_of_yes(point, seen)[:, None]
        return np.where(values > 0.5, yes, 1 - yes)
    right = (1 - fault_table().misread_share) * normal_density(values - seen[:, None], sd[:, None])
    return right + max(slip_density(point), LEAST_DENSITY)
