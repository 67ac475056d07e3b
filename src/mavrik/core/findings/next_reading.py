"""What to read next: the tests and the single point that are expected to tell most about the cause."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, special

from mavrik.core.findings.bench_model import Floats, Placed
from mavrik.core.findings.documents import DecidingPoint, NextTest
from mavrik.core.findings.inference import Posterior
from mavrik.core.findings.likelihood import own_scatter, wrong_share
from mavrik.core.procedures import PROCEDURES, BenchState, Point, Procedure, Setup

SAMPLES = 120
KEPT = 24
"""So many sets of causes the value of a further reading is reckoned over."""

LEAST_BITS = 0.02
"""A reading or a test that is expected to tell less is not worth a walk."""


def _entropy_bits(parts: Floats) -> Floats:
    """Shannon's entropy over the last axis [bit]; what does not add up to 1 is taken as shares of its sum."""
    return np.asarray(special.entr(parts / parts.sum(axis=-1, keepdims=True)).sum(axis=-1) / np.log(2))


class _Draws:
    """The likeliest sets of causes, with what each lets further readings be, and draws from them."""

    def __init__(self, posterior: Posterior) -> None:
        kept = list(posterior.candidates[:KEPT])
        if posterior.sound not in kept:
            kept.append(posterior.sound)
        self.posterior, self.kept = posterior, kept
        share = np.maximum([c.probability for c in kept], 1e-12)
        self.share = share / share.sum()
        names = sorted({"+".join(sorted(c.causes)) for c in kept})
        self.member = np.array([[("+".join(sorted(c.causes)) == n) for n in names] for c in kept], dtype=float)
        self.now = float(_entropy_bits(self.share @ self.member))
        self.drawn = np.random.default_rng(20).choice(len(kept), size=SAMPLES, p=self.share)

    def _unknowns(self) -> tuple[Floats, Floats, Floats]:
        """Of each set: its unknowns, what one of each by its logarithm is worth, and how surely they are known (sets, unknowns, unknowns)."""
        u = self.posterior.model.unknowns
        centre, width, by_logarithm = u.priors([c.hypothesis for c in self.kept])
        rows, factor = np.where(by_logarithm, np.exp(np.where(by_logarithm, centre, 0.0)), centre), np.ones_like(centre)
        covariance = np.zeros((len(self.kept), len(u), len(u)))
        for k, c in enumerate(self.kept):
            if c.fitted is not None:
                rows[k], covariance[k] = c.fitted.row, c.fitted.covariance
            else:
                covariance[k] = np.diag(width[k] ** 2)
            factor[k] = np.where(by_logarithm[k], rows[k], 1.0)
        return rows, factor, covariance

    def expected(self, placed: Sequence[Placed]) -> tuple[Floats, Floats]:
        """What each set lets some readings be, and how they vary together (sets, readings, readings)."""
        rows, factor, covariance = self._unknowns()
        seen, by = self.posterior.model.slopes(placed, [c.hypothesis for c in self.kept], rows, {})
        seen, by = np.nan_to_num(seen), np.nan_to_num(by) * factor[:, None, :]
        together = by @ covariance @ np.swapaxes(by, 1, 2)
        for k, (point, _) in enumerate(placed):
            together[:, k, k] += own_scatter(point, seen[:, k]) ** 2
        return seen, together

    def log_likelihood(self, points: Sequence[Point], seen: Floats, together: Floats, rng: np.random.Generator) -> Floats:
        """Logarithm of how likely each set makes each drawn set of readings (draws, sets)."""
        found = np.zeros((SAMPLES, len(self.kept)))
        yes_or_no = np.array([p.kind.yes_or_no for p in points])
        for k in np.flatnonzero(yes_or_no).tolist():
            wrong, column = wrong_share(points[k]), seen[:, k]
            read = (column[self.drawn] > 0.5) ^ (rng.random(SAMPLES) < wrong)
            found += np.log(np.where((column[None, :] > 0.5) == read[:, None], 1 - wrong, wrong))
        smooth = np.flatnonzero(~yes_or_no)
        if len(smooth):
            middle, spread = seen[:, smooth], np.linalg.cholesky(together[:, smooth][:, :, smooth])
            noise = rng.standard_normal((SAMPLES, len(smooth)))
            read = middle[self.drawn] + np.einsum("sij,sj->si", spread[self.drawn], noise)
            for k in range(len(self.kept)):
                off = linalg.solve_triangular(spread[k], (read - middle[k]).T, lower=True)
                found[:, k] += -0.5 * (off**2).sum(axis=0) - np.log(np.diag(spread[k])).sum()
        return found

    def bits(self, log_likelihoods: Floats) -> float:
        """How much less open the cause is expected to be, knowing what those readings say [bit].

        Source: expected information, Shannon's entropy.
        """
        after = special.softmax(log_likelihoods + np.log(self.share), axis=1)
        return max(self.now - float(_entropy_bits(after @ self.member).mean()), 0.0)


def _left(posterior: Posterior, read: frozenset[str], of: Procedure) -> list[Point]:
    return [p for p in of.points(posterior.model.document) if p.id not in read and not p.own_rule]


def next_readings(
    posterior: Posterior, read: frozenset[str], setups: Mapping[BenchState, Setup], procedures: Sequence[Procedure] = PROCEDURES
) -> tuple[tuple[NextTest, ...], DecidingPoint | None]:
    """The procedures with points not read yet, by expected information over their minutes, and the best single point.

    posterior: of all readings; read: ids of points that were read
    setups: states that are known from the runs made; others are as planned
    procedures: those that may be made
    Source: draw a set of causes, draw what it would let the meters read, see how much less open the cause then is.
    """
    draws, asked = _Draws(posterior), []
    for of in procedures:
        if points := _left(posterior, read, of):
            asked.append((of, points))
    placed: list[Placed] = [(p, setups.get(p.state, Setup(p.state))) for _, points in asked for p in points]
    if not placed:
        return (), None
    seen, together = draws.expected(placed)
    tests, single, first = [], [], 0
    for of, points in asked:
        own = np.arange(first, first + len(points))
        first += len(points)
        rng = np.random.default_rng(20)

        def telling(which: NDArray[np.int64], of_points: Sequence[Point], rng: np.random.Generator = rng) -> float:
            return draws.bits(draws.log_likelihood(of_points, seen[:, which], together[:, which][:, :, which], rng))

        tests.append(NextTest(of.name, of.title, of.why, of.minutes, telling(own, points)))
        single += [(of, p, telling(own[k : k + 1], [p])) for k, p in enumerate(points)]
    ranked = tuple(sorted((t for t in tests if t.bits >= LEAST_BITS), key=lambda t: -t.bits / t.minutes))
    best = max(single, key=lambda s: s[2], default=None)
    if best is None or best[2] < LEAST_BITS:
        return ranked, None
    of, point, bits = best
    return ranked, DecidingPoint(of.name, point.id, point.label, _why(point), bits)


def _why(point: Point) -> str:
    if point.quantity == "current":
        return "The current says which of the paths it takes."
    if point.quantity == "voltage_drop":
        return "What it loses says whether it is this one."
    return "It parts the causes that are still open better than any other single reading."
