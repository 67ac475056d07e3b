"""Resistance that is there in some states of the bench only: a joint that comes and goes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.findings.starting import start_of
from mavrik.core.operating.bench_states import BenchState

MOST_PULL = 12.0
"""What a pull is worth at most, in standard deviations: what is further off is no more of a fault."""

AT_TIMES = 4
"""So many causes that are there in some states only are fitted, those that the readings of these states pull at most."""

FAR_OFF = 4.0
"""A reading so many times its scatter from what fits says nothing of what is sound."""


def at_times(problem: FitProblem, nothing: Fitted, suspects: Sequence[Hypothesis]) -> list[Trial]:
    """Trials of single causes, those that are there in some states only beside what their part differs by when it is sound.

    nothing: nothing broken
    That is as the readings of the other states have it by themselves, along the lines of what is sound: one value, of which the trial
    pays for how far it is from what was expected, and for how much closer it is known.
    """
    states, trials = _states(problem), list[Trial]()
    slip = np.abs(problem.read - nothing.predicted[problem.smooth]) > FAR_OFF * nothing.sigma
    known: dict[frozenset[BenchState], tuple[Floats, Floats]] = {}
    for h in suspects:
        (c, *others), k = h.changes, problem.unknowns.at(h.changes[0].what, h.changes[0].element)
        if c.states is None or c.elsewhere or k is None:
            trials.append(Trial.of(h))
            continue
        if c.states not in known:
            rest = np.array([s not in c.states for s in states], dtype=bool) & ~slip
            known[c.states] = nothing.by_themselves(rest)
        middle, spread = (float(x[k]) for x in known[c.states])
        width = float(nothing.widths[k])
        base = replace(h, changes=(replace(c, always=middle), *others))
        paid = -0.5 * (middle / width) ** 2 + float(np.log(spread / width))
        trials.append(Trial(h.causes, base, float(np.log(h.weight)) + paid))
    return trials


def _states(problem: FitProblem) -> list[BenchState]:
    return [problem.evidence[k].setup.state for k in problem.smooth.tolist()]


def pulled_at_times(problem: FitProblem, nothing: Fitted, alike: Sequence[Trial], top: float) -> list[Trial]:
    """Resistance that is there in some states only, where the readings of those pull at it as those of all states together do not.

    nothing: nothing broken; top: what a set has to reach that is worth it
    Source: Rao's score test; readings scatter together by what the vehicle may differ in by itself.
    """
    of = [
        (t, k, c)
        for t in alike
        for c in t.base.changes[:1]
        if c.states is not None and (k := problem.unknowns.at(c.what, c.element)) is not None
    ]
    if not of:
        return []
    shares = np.array([[c.share_in(s) for s in _states(problem)] for _, _, c in of]).T
    moved = nothing.slopes[:, [k for _, k, _ in of]] * shares
    off = (problem.read - nothing.expected()[0]) / nothing.sigma
    pulled = np.linalg.solve(nothing.together(), np.column_stack((moved, off)))
    towards, least = moved.T @ pulled[:, -1], (moved * pulled[:, :-1]).sum(axis=0)
    pull = np.clip(towards / np.sqrt(np.maximum(least, 1e-12)), 0.0, MOST_PULL)
    reached = nothing.log_evidence + 0.5 * pull**2 + np.array([t.log_prior for t, _, _ in of]) - nothing.trial.log_prior
    best = [k for k in np.argsort(-reached).tolist() if reached[k] > top][:AT_TIMES]
    return [replace(of[k][0], start=start_of(nothing)) for k in best]
