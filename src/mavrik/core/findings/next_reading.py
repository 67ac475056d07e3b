"""What to read next: the tests and the single point that are expected to tell most about the cause."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from scipy import special

from mavrik.core.findings.bench_model import Floats, Placed
from mavrik.core.findings.documents import DecidingPoint, NextTest
from mavrik.core.findings.inference import Candidate, Posterior
from mavrik.core.findings.likelihood import scatter_of, wrong_share
from mavrik.core.procedures import PROCEDURES, BenchState, Point, Procedure, Setup

SAMPLES = 120
KEPT = 60
"""So many sets of causes the value of a further reading is reckoned over."""

LEAST_BITS = 0.02
"""A reading or a test that is expected to tell less is not worth a walk."""


def _entropy_bits(parts: Floats) -> Floats:
    """Shannon's entropy over the last axis [bit]; what does not add up to 1 is taken as shares of its sum."""
    return np.asarray(special.entr(parts / parts.sum(axis=-1, keepdims=True)).sum(axis=-1) / np.log(2))


class _Draws:
    """The likeliest sets of causes, and draws from them."""

    def __init__(self, posterior: Posterior) -> None:
        kept = list(posterior.candidates[:KEPT])
        if posterior.sound not in kept:
            kept.append(posterior.sound)
        self.kept: list[Candidate] = kept
        self.share = np.array([c.probability for c in kept])
        self.share = np.maximum(self.share, 1e-12) / np.maximum(self.share, 1e-12).sum()
        names = sorted({"+".join(sorted(c.causes)) for c in kept})
        self.member = np.array([[("+".join(sorted(c.causes)) == n) for n in names] for c in kept], dtype=float)
        self.now = float(_entropy_bits(self.share @ self.member))
        self.sound = kept.index(posterior.sound)
        rng = np.random.default_rng(20)
        self.drawn = rng.choice(len(kept), size=SAMPLES, p=self.share)

    def log_likelihood(self, point: Point, predicted: Floats, rng: np.random.Generator) -> Floats:
        """Logarithm of how likely each set makes each drawn value of one reading (draws, sets)."""
        column = np.nan_to_num(predicted[1:])
        if point.kind.yes_or_no:
            wrong = wrong_share(point)
            seen = (column[self.drawn] > 0.5) ^ (rng.random(SAMPLES) < wrong)
            return np.log(np.where((column[None, :] > 0.5) == seen[:, None], 1 - wrong, wrong))
        sigma = scatter_of(point, column, float(np.nan_to_num(predicted[0])))
        read = column[self.drawn] + sigma[self.drawn] * rng.standard_normal(SAMPLES)
        return np.asarray(-0.5 * ((read[:, None] - column) / sigma) ** 2 - np.log(sigma))

    def bits(self, log_likelihoods: Floats) -> float:
        """How much less open the cause is expected to be, knowing what those readings say [bit].

        Source: expected information, Shannon's entropy.
        """
        after = special.softmax(log_likelihoods + np.log(self.share), axis=1)
        return max(self.now - float(_entropy_bits(after @ self.member).mean()), 0.0)


def _left(posterior: Posterior, read: frozenset[str], of: Procedure) -> list[Point]:
    return [p for p in of.points(posterior.models.circuit) if p.id not in read and not p.own_rule]


def next_readings(
    posterior: Posterior, read: frozenset[str], setups: Mapping[BenchState, Setup], procedures: Sequence[Procedure] = PROCEDURES
) -> tuple[tuple[NextTest, ...], DecidingPoint | None]:
    """The procedures with points not read yet, by expected information over their minutes, and the best single point.

    posterior: of all readings; read: ids of points that were read
    setups: states that are known from the runs made; others are as planned
    procedures: those that may be made
    Source: draw a set of causes, draw what it would let the meters read, see how much less open the cause then is.
    """
    draws = _Draws(posterior)
    hypotheses = [draws.kept[draws.sound].hypothesis, *(c.hypothesis for c in draws.kept)]
    tests, single = [], []
    for of in procedures:
        points = _left(posterior, read, of)
        if not points:
            continue
        placed: list[Placed] = [(p, setups.get(p.state, Setup(p.state))) for p in points]
        predicted = posterior.models.predict(placed, hypotheses)
        rng = np.random.default_rng(20)
        own = [draws.log_likelihood(p, predicted[:, k], rng) for k, p in enumerate(points)]
        tests.append(NextTest(of.name, of.title, of.why, of.minutes, draws.bits(np.sum(own, axis=0))))
        single += [(of, p, draws.bits(t)) for p, t in zip(points, own, strict=True)]
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
