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
from mavrik.core.findings.placing import RUNNING
from mavrik.core.findings.unknowns import least_of

NEVER = -1e6
"""Logarithm of how likely a draw is that is not what its set says."""

FEW_DRAWS = 4.0
"""A sum that is carried by fewer draws is no sum."""

DRAWS = 320
"""So many draws of a set's unknowns, half of them round its own fit, in pairs that mirror each other."""

MOST_DRAWN = 2**22
"""Of all unknowns on all readings of all draws together: 32 MB, of which there are a few at once."""


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
    # Of a very large circuit some at a time: every draw has lines of its own.
    at_once = max(1, MOST_DRAWN // (DRAWS * max(len(problem.smooth), 1) * len(fitted[0].whole)))
    beside = [fitted[min(1, len(fitted) - 1)], *(fitted[0] for _ in fitted[1:])]
    parts = [_sampled(fitted[k : k + at_once], beside[k : k + at_once]) for k in range(0, len(fitted), at_once)]
    return [drawn for part in parts for drawn in part]


def _sampled(fitted: Sequence[Fitted], beside: Sequence[Fitted]) -> list[Drawn]:
    problem = fitted[0].problem
    fit = Fit(problem, [t for f in fitted for t in [replace(f.trial, start=None)] * DRAWS])
    half = np.random.default_rng(29).standard_normal((DRAWS // 4, fit.centre.shape[1]))
    normal = np.concatenate((half, -half))
    every = np.arange(len(fit.trials))
    log_ratio = np.zeros(len(every))
    for k, (f, near) in enumerate(zip(fitted, beside, strict=True)):
        rows = slice(k * DRAWS, (k + 1) * DRAWS)
        own = _Normal(fit.centre[rows][0] + f.away, np.asarray(np.linalg.cholesky(f.whole), dtype=float))
        # The other side of a corner may explain as much, and be wider: half of the draws are from where the best of the others is.
        other = own if near is f else _beside(f, own.middle, near)
        drawn = np.concatenate((own.drawn(normal), other.drawn(normal)))
        fit.now[rows], fit.solved[rows] = drawn, own.middle
        fit.own[rows], fit.by[rows] = f.lines
        log_ratio[rows] = -np.logaddexp(own.log_density(drawn), other.log_density(drawn)) + np.log(2)
    drawn = fit.now.copy()
    least, side = least_of(problem.unknowns, [f.trial.base for f in fitted])
    least += problem.offset
    own_side = side.repeat(DRAWS, axis=0)
    no_fault = ((own_side * (drawn[:, : fit.size] - least.repeat(DRAWS, axis=0)) < 0) & (own_side != 0)).any(axis=1)
    fit.now = np.maximum(fit.now, fit.least)
    seen = fit.seen(every)
    bent = [j for j, (_, setup) in enumerate(fit.placed) if setup.state in RUNNING]
    if bent:
        found = problem.model.predict([fit.placed[j] for j in bent], [t.base for t in fit.trials], fit.amounts(fit.now, every))
        seen[:, bent] = np.nan_to_num(found)
    strain = -0.5 * (((drawn - fit.centre) / fit.width) ** 2).sum(axis=1) - np.log(fit.width).sum(axis=1)
    joint = np.log(fit.likely(fit.read - seen, fit.scatter(seen))[0]).sum(axis=1) + strain + log_ratio
    joint[no_fault] = NEVER
    by_set = special.logsumexp(joint.reshape(len(fitted), DRAWS), axis=1) - np.log(DRAWS)
    looked = [float(f.log_likelihoods[problem.others].sum()) for f in fitted]
    # Few draws that count say little: then half of what Laplace's approximation says, too.
    effective = np.exp(2 * by_set + 2 * np.log(DRAWS) - special.logsumexp(2 * joint.reshape(len(fitted), DRAWS), axis=1))
    drawn_evidence = [f.trial.log_prior + float(e) + more for f, e, more in zip(fitted, by_set, looked, strict=True)]
    target = (joint - log_ratio).reshape(len(fitted), DRAWS)
    answers = []
    for k, (f, e, few) in enumerate(zip(fitted, drawn_evidence, effective.tolist(), strict=True)):
        top = k * DRAWS + int(target[k].argmax())
        at_fit = f.log_likelihoods[problem.smooth].sum() - 0.5 * ((f.away / f.widths) ** 2).sum() - np.log(f.widths).sum()
        better = None
        if target[k].max() > at_fit:
            better = np.concatenate((fit.amounts(fit.now[[top]], every[[top]])[0], fit.now[top, fit.size :]))
        answers.append(Drawn(e if few >= FEW_DRAWS else (e + f.log_evidence) / 2, better))
    return answers
