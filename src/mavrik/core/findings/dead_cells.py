"""Batteries with a dead cell: where a fit of one begins. Halfway to it nothing fits, and the unit feeds it all it has."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations, product

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.hypotheses import Hypothesis, both
from mavrik.core.findings.starting import full_behind, stiff

STIFF = (0.0, 1.0)
"""How much faster than expected a battery takes a charge where a trial of its dead cell begins, in standard deviations."""

Cell = tuple[Hypothesis, str]
"""A dead cell, and its battery's id."""


def low_at_rest(problem: FitProblem, suspects: Sequence[Hypothesis]) -> list[Cell]:
    """Dead cells of batteries that rest as low as one makes them.

    problem: readings and unknowns; suspects: single causes
    """
    rest_v, documented = problem.model.day.rest_v, problem.model.documented_emf_v()
    return [
        (h, c.element)
        for h in suspects
        for c in h.changes
        if c.what is What.EMF and c.element in rest_v and rest_v[c.element] - documented[c.element] < 0.5 * c.amount
    ]


def dead_cells(problem: FitProblem, cells: Sequence[Cell], usual: Sequence[Floats]) -> list[Trial]:
    """Dead cells by themselves, and in two batteries at once: of two in parallel neither alone holds the other so low.

    problem: readings and unknowns; cells: `low_at_rest`; usual: where trials usually begin, `starts`
    """
    begun = [usual[0], usual[2]]
    begun += [full for start in begun if (full := full_behind(problem, start)) is not None]
    trials = [Trial.of(h, stiff(problem, start, by, battery)) for (h, battery), start, by in product(cells, begun, STIFF)]
    for ((h, battery), (other, _)), by in product(combinations(cells, 2), STIFF):
        trials.append(Trial.of(both(h, other), stiff(problem, usual[0], by, battery)))
    return trials


def beside_dead_cells(problem: FitProblem, sets: Sequence[Hypothesis], cells: Sequence[Cell], usual: Floats) -> list[Trial]:
    """Sets that have a dead cell in them, begun as the cell itself is: where it ended alone, all else had been bent to it.

    problem: readings and unknowns; sets: causes together; cells: `low_at_rest`; usual: where trials usually begin
    """
    within = [(s, battery) for s, (h, battery) in product(sets, cells) if h.causes[0] in s.causes]
    return [Trial.of(s, stiff(problem, usual, by, battery)) for (s, battery), by in product(within, STIFF)]
