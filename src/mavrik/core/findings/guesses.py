"""What a further cause may be worth beside a set that is fitted, before it is."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from mavrik.core.findings.at_times import MOST_PULL
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.fit_problem import FitProblem
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis, both
from mavrik.core.findings.likelihood import log_likelihood

PULLED_AT = {What.OPEN: What.MORE_OHM, What.SHORTED: What.FORWARD}
"""What is there or not pulls at no unknown of its own: at which it does instead."""


def guesses(
    problem: FitProblem, of: Fitted, suspects: Sequence[Hypothesis], most_pull: float = MOST_PULL
) -> list[tuple[Hypothesis, float]]:
    """What each further cause may be worth beside a set: by what its readings pull at, what is looked at, and how often it is met.

    problem: readings and unknowns; of: the set, fitted; suspects: single causes
    most_pull: no cause is worth more, however hard the readings pull
    Returns each cause that is not of the set already, and by how much the natural logarithm of the set's evidence may rise with it.
    """
    u, worth = problem.unknowns, list[tuple[Hypothesis, float]]()
    looked = [*problem.others.tolist(), *(k for k in problem.smooth.tolist() if problem.evidence[k].point.sense_wire)]
    placed = [(problem.evidence[k].point, problem.evidence[k].setup) for k in looked]
    points, measured = [p for p, _ in placed], [problem.evidence[k].measured for k in looked]
    more = [h for h in suspects if h.causes[0] != NOTHING and h.causes[0] not in of.trial.causes]
    rows = np.tile(of.row, (len(more) + 1, 1))
    sets = [of.trial.base, *(both(of.trial.base, h) for h in more)]
    by_eye = np.zeros(len(sets))
    if placed:
        by_eye = log_likelihood(points, problem.model.predict(placed, sets, rows), measured).sum(axis=1)
    for k, h in enumerate(more):
        pulls = []
        for c in h.changes:
            at = u.at(PULLED_AT.get(c.what, c.what), c.element)
            if at is not None and not of.by_logarithm[at]:
                down = c.what in (What.LIMIT_SHARE, What.EMF, What.SHORTED) or c.amount < 0
                pulls.append(max(-of.pull[at] if down else of.pull[at], 0.0))
        pull = min(max(pulls, default=0.0), most_pull)
        prior = np.log(sets[k + 1].weight / of.trial.base.weight)
        worth.append((h, 0.5 * pull**2 + float(by_eye[k + 1] - by_eye[0]) + float(prior)))
    return worth
