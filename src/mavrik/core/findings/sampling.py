"""The evidence of the likeliest sets, by draws through the network: where straight lines are too crooked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy import special

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.densities import log_density
from mavrik.core.findings.fit import Fit
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.unknowns import least_of
from mavrik.core.operating.bench_states import RUNNING

NEVER = -1e6
"""Logarithm of how likely a draw is that is not what its set says."""

FEW_DRAWS = 4.0
"""A sum that is carried by so many draws counts half; all of it once it is carried by many more."""

DRAWS = 320
"""So many draws of a set's unknowns, half of them round its own fit, in pairs that mirror each other."""

MOST_DRAWN = 2**22
"""Of the unknowns and the readings of all draws together: 32 MB, of which there are a few at once."""


@dataclass(frozen=True)
class _Normal:
    """A normal density of many unknowns, its constant left out."""

    middle: Floats
    root: Floats
    """Cholesky's, of its covariance."""

    def drawn(self, normal: Floats) -> Floats:
        """Draws, from standard normal ones (draws, unknowns)."""
        return np.asarray(self.middle + normal @ self.root.T)

    def log_density(self, at: Floats) -> Floats:
        """Logarithm of the density at some places (places, unknowns)."""
        return log_density(at - self.middle, self.root)


def _beside(of: Fitted, middle: Floats, other: Fitted) -> _Normal:
    """Where another set's fit has the unknowns that neither set changes, with those that one of them does as this set's own has them.

    middle: of this set
    """
    u = of.problem.unknowns
    changed = sorted({k for f in (of, other) for c in f.trial.base.changes if (k := u.at(c.what, c.element)) is not None})
    rows = np.concatenate((u.centre + of.problem.offset, np.zeros(len(of.problem.runs))))
    at, covariance = rows + other.away, other.whole.copy()
    at[changed] = middle[changed]
    covariance[changed] = 0.0
    covariance[:, changed] = 0.0
    covariance[np.ix_(changed, changed)] = of.whole[np.ix_(changed, changed)]
    return _Normal(at, np.asarray(np.linalg.cholesky(covariance), dtype=float))


@dataclass(frozen=True)
class Drawn:
    """What draws say of one set."""

    log_evidence: float
    better: Floats | None
    """Unknowns that explain more than its fit, to begin again from: the fit was on one side of a corner only. None: no draw does."""


def sampled(fitted: Sequence[Fitted]) -> list[Drawn]:
    """The evidence of some sets anew, where straight lines are too crooked: a unit comes to its limit and leaves it within what nobody knows.

    fitted: sets of one problem
    Draws unknowns round what fits, and lets the network say what each would let the meters read while the engine runs; the other states
    are straight enough. Source: importance sampling with Laplace's normal density (MacKay, ch. 29, from memory).
    """
    problem = fitted[0].problem
    at_once = max(1, MOST_DRAWN // (DRAWS * (len(problem.smooth) + len(fitted[0].whole))))
    beside = [fitted[min(1, len(fitted) - 1)], *(fitted[0] for _ in fitted[1:])]
    parts = [_sampled(fitted[k : k + at_once], beside[k : k + at_once]) for k in range(0, len(fitted), at_once)]
    by_draws, effective = (np.concatenate([part[k] for part in parts]) for k in (0, 1))
    evidence = corrected(np.array([f.log_evidence for f in fitted]), by_draws, effective)
    return [Drawn(e, better) for e, better in zip(evidence.tolist(), (b for part in parts for b in part[2]), strict=True)]


def corrected(laplace: Floats, drawn: Floats, effective: Floats) -> Floats:
    """Logarithms of some sets' evidence, by straight lines and by draws: what all of them are corrected by is known far better than what
    one is by a few draws of its own, so that goes towards it the fewer draws carry it.

    laplace, drawn: the same by straight lines, and by draws (sets); effective: how many draws carry each (sets)
    Source: shrinkage of many means towards a common one, as in empirical Bayes; that it is their weighted median, and how fast, is our choice.

    >>> corrected(np.array([0.0, -2.0, -3.0]), np.array([-2.0, -4.0, -1.0]), np.array([46.0, 46.0, 1.0])).round(2).tolist()
    [-2.0, -4.0, -4.2]
    """
    off = drawn - laplace
    # A set of which no draw is what it says has no evidence, and says nothing of the others.
    some = off > NEVER / 2
    if not some.any():
        return drawn
    order = np.argsort(off[some])
    weight = effective[some][order] / effective[some].sum()
    common = np.interp(0.5, np.cumsum(weight) - weight / 2, off[some][order])
    return np.where(some, laplace + common + effective / (effective + FEW_DRAWS) * (off - common), drawn)


def _sampled(fitted: Sequence[Fitted], beside: Sequence[Fitted]) -> tuple[Floats, Floats, list[Floats | None]]:
    """By draws alone: logarithm of the evidence of each set, how many draws carry it, and what explains more than its fit."""
    problem = fitted[0].problem
    fit, each = Fit(problem, [replace(f.trial, start=None) for f in fitted]), np.arange(len(fitted))
    half = np.random.default_rng(29).standard_normal((DRAWS // 4, fit.centre.shape[1]))
    normal = np.concatenate((half, -half))
    shape = len(fitted), DRAWS
    now, amounts = np.zeros((*shape, fit.centre.shape[1])), np.zeros((*shape, fit.size))
    seen, log_ratio, strain = np.zeros((*shape, len(problem.smooth))), np.zeros(shape), np.zeros(shape)
    no_fault = np.zeros(shape, dtype=bool)
    least, side = least_of(problem.unknowns, [f.trial.base for f in fitted])
    least += problem.offset
    middles = fit.centre + np.array([f.away for f in fitted])
    for k, (f, near) in enumerate(zip(fitted, beside, strict=True)):
        density = _Normal(middles[k], np.asarray(np.linalg.cholesky(f.whole), dtype=float))
        # The other side of a corner may explain as much, and be wider: half of the draws are from where the best of the others is.
        other = density if near is f else _beside(f, density.middle, near)
        drawn = np.concatenate((density.drawn(normal), other.drawn(normal)))
        log_ratio[k] = -np.logaddexp(density.log_density(drawn), other.log_density(drawn)) + np.log(2)
        strain[k] = -0.5 * (((drawn - fit.centre[k]) / fit.width[k]) ** 2).sum(axis=1) - np.log(fit.width[k]).sum()
        no_fault[k] = ((side[k] * (drawn[:, : fit.size] - least[k]) < 0) & (side[k] != 0)).any(axis=1)
        now[k] = np.maximum(drawn, fit.least[k])
        amounts[k] = fit.amounts(now[k], np.full(DRAWS, k))
        through, by = f.lines
        seen[k] = (through + (amounts[k] - fit.amounts(middles[[k]], each[[k]])) @ by.T) * fit.scale(now[k])
    bent = [j for j, (_, setup) in enumerate(fit.placed) if setup.state in RUNNING]
    if bent:
        bases = [f.trial.base for f in fitted for _ in range(DRAWS)]
        predicted = problem.model.predict([fit.placed[j] for j in bent], bases, amounts.reshape(-1, fit.size))
        seen[:, :, bent] = np.nan_to_num(predicted).reshape(*shape, len(bent))
    likely = fit.likely(fit.read - seen, fit.scatter(seen))[0]
    target = np.log(likely).sum(axis=2) + strain
    target[no_fault] = NEVER
    joint = target + log_ratio
    by_set = special.logsumexp(joint, axis=1) - np.log(DRAWS)
    looked = [float(f.log_likelihoods[problem.others].sum()) + f.outputs for f in fitted]
    effective = np.exp(2 * by_set + 2 * np.log(DRAWS) - special.logsumexp(2 * joint, axis=1))
    evidence = np.array([f.trial.log_prior + more for f, more in zip(fitted, looked, strict=True)]) + by_set
    better: list[Floats | None] = []
    for k, f in enumerate(fitted):
        top = int(target[k].argmax())
        at_fit = f.log_likelihoods[problem.smooth].sum() - 0.5 * ((f.away / f.widths) ** 2).sum() - np.log(f.widths).sum()
        better.append(np.concatenate((amounts[k, top], now[k, top, fit.size :])) if target[k, top] > at_fit else None)
    return evidence, effective, better
