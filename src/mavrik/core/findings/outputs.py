"""What was read at the output while the drops were: a unit that gives something has a field."""

from __future__ import annotations

import numpy as np

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.fit_problem import FitProblem
from mavrik.core.findings.unknowns import LEAST_SHARE

NEXT_TO_NOTHING = 0.05
"""Of its rating: what a clamp shows of a unit that gives nothing is less. Our choice, no source."""


def outputs_likely(problem: FitProblem, amounts: Floats) -> Floats:
    """Logarithm of how likely it is that the first unit gave what was read at its output during the drops, by trial.

    problem: readings and unknowns; amounts: the unknowns of each trial (trials, unknowns)
    A drop test takes its output as it was read, whatever the unit can give. Without a field it gives nothing, and a clamp that shows
    amperes was round something else, as any reading may be a slip. How much a unit gives at least is not drawn from it: nobody notes how
    fast the engine ran and how warm the unit was.
    """
    unit = problem.model.circuit.alternator
    setups = [next(o.setup for o in problem.evidence if o.run == r) for r in problem.runs]
    gave = sum(s.output_a is not None and s.output_a > NEXT_TO_NOTHING * unit.rated_a for s in setups)
    nothing = amounts[:, problem.unknowns.place[What.LIMIT_SHARE, unit.id]] <= np.log(LEAST_SHARE) + 1e-9
    return np.asarray(np.where(nothing, gave * np.log(fault_table().misread_share), 0.0))
