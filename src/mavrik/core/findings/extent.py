"""How much of all that might be wrong is fitted: all of it, but on a very large circuit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from mavrik.core.findings.fit_problem import FitProblem
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.guesses import guesses
from mavrik.core.findings.hypotheses import Hypothesis

PAIRS, MORE = 28, 12
"""So many pairs are fitted, and so many sets of three."""

FIT_WORK = 1.6e8
"""So much is worked out to fit sets to a very large circuit, `_work_of_a_set` each: about two seconds of one processor. A circuit of
50 branches, a drop read on each, is within."""

SOLVED_WORK, CHARGER_SHARE = 27.0, 0.2
"""What a set of causes costs beside its readings by the square of its unknowns: for every state of the bench its nodes by its unknowns, so
many times; each charger, with its corners, more of that. Measured, rough."""

SINGLE_SHARE, PAIR_SHARE, MORE_SHARE = 0.65, 0.25, 0.1
LEAST_BRANCHES, LEAST_PAIRS = 6, 6
"""So many are fitted, whatever that takes."""


def _work_of_a_set(problem: FitProblem) -> float:
    """About what fitting one set takes, as `FIT_WORK` counts it."""
    u, circuit = len(problem.unknowns), problem.model.circuit
    states = len({problem.evidence[k].setup for k in problem.smooth.tolist()})
    solved = states * len(circuit.nodes) * u * (1 + CHARGER_SHARE * len(circuit.converters))
    return max(len(problem.smooth) * u**2 + SOLVED_WORK * solved, 1.0)


@dataclass(frozen=True)
class Extent:
    """What is fitted of all sets there might be."""

    branches: frozenset[str]
    """Those whose causes are fitted by themselves."""
    pairs: int
    """So many sets of two are fitted."""
    more: int
    """So many sets of three are."""

    @classmethod
    def of(cls, problem: FitProblem, nothing: Fitted, suspects: Sequence[Hypothesis]) -> Extent:
        """All branches, but where that were too many of so large a circuit those that the readings pull at most.

        problem: readings and unknowns; nothing: nothing broken, fitted; suspects: single causes
        """
        branches = frozenset(problem.branch_ids)
        within = [h for h in suspects if h.element in branches]
        room = FIT_WORK / _work_of_a_set(problem)
        kinds = max(len(within) / max(len(branches), 1), 1.0)
        most = max(int((SINGLE_SHARE * room - (len(suspects) - len(within))) / kinds), LEAST_BRANCHES)
        if most < len(branches):
            worth: dict[str, float] = {}
            for h, more in guesses(problem, nothing, within, np.inf):
                worth[h.element] = max(more, worth.get(h.element, -np.inf))
            branches = frozenset(sorted(worth, key=lambda b: -worth[b])[:most])
        return cls(branches, min(max(int(PAIR_SHARE * room), LEAST_PAIRS), PAIRS), min(int(MORE_SHARE * room), MORE))
