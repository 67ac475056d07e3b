"""Where a fit begins: from one side of a corner the other is not seen."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.fit import SOUND_WIDTHS, fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.operating.bench_states import BenchState

UNEQUAL_V = 0.7
"""How much less one of several batteries of 12 V is charged where a fit begins there."""

FREE_WIDTHS = 1.5
"""Batteries that take a charge so many standard deviations faster than is expected take what a unit gives."""

NEARLY_OPEN_OHM = 0.1
"""With so much in it a conductor carries next to nothing beside another of a vehicle's."""

MUCH_WIDTHS = 2.5
"""Loads that are on take so many standard deviations more than is expected where a fit begins far short of output."""

SHORT_WIDTHS = 2.0
"""A unit of several that gives so many standard deviations less at idle than is expected gives little."""

FULL_WIDTHS = 2.5
"""A battery that takes a charge so many standard deviations more slowly than is expected is nearly full."""


def starts(problem: FitProblem) -> list[Floats]:
    """Where the vehicle with nothing broken may begin from: as expected, with output to spare, short of it, far short of it, with the
    batteries unequally charged, and with those behind a DC-DC charger nearly full.

    problem: readings and unknowns
    A unit that regulates shows nothing of its limit, and one at its limit nothing of its set point; a battery behind a diode or a link
    that is shut shows nothing of its charge: from one side the other is not seen.
    """
    u = problem.unknowns
    usual = np.concatenate((u.centre, np.zeros(len(problem.runs))))
    if problem.offset.any():
        usual[[k for k, (what, _) in enumerate(u.names) if what in (What.EMF, What.CHARGE)]] = 0.0
    rows = [usual, *either_side(problem, usual), _much_on(problem, usual)]
    groups = dict(u.group_of)
    if problem.runs and len(set(groups.values())) > 1:
        for first in dict.fromkeys(groups.values()):
            less = usual.copy()
            less[[u.place[What.CHARGED, b] for b, f in groups.items() if f == first]] -= (
                UNEQUAL_V * problem.model.circuit.system_voltage_v / 12
            )
            rows.append(less)
    full = full_behind(problem, usual)
    return rows if full is None else [*rows, full]


def either_side(problem: FitProblem, start: Floats) -> tuple[Floats, Floats]:
    """A start with output to spare, and one short of it.

    problem: readings and unknowns; start: all else
    """
    u = problem.unknowns
    to_spare, short = start.copy(), start.copy()
    for k, (what, _) in enumerate(u.names):
        if what in (What.LIMIT_SHARE, What.IDLE_SHARE):
            to_spare[k] += u.width[k]
            short[k] -= u.width[k]
        if what in (What.MORE_LOAD_A, What.CONSUMERS_A):
            to_spare[k] = 0.0
            short[k] += u.width[k]
    return to_spare, short


def _consumers(problem: FitProblem) -> list[int]:
    return [k for k, (what, _) in enumerate(problem.unknowns.names) if what is What.CONSUMERS_A]


def _much_on(problem: FitProblem, start: Floats) -> Floats:
    """A start with far more on than is expected where a test asks for loads, and nothing else that drags a unit down."""
    u, much, consumers = problem.unknowns, start.copy(), _consumers(problem)
    much[[k for k, (what, _) in enumerate(u.names) if what is What.MORE_LOAD_A]] = 0.0
    much[consumers] += MUCH_WIDTHS * u.width[consumers]
    return much


def as_listed(problem: FitProblem, start: Floats) -> Floats:
    """A start with as much on as is expected where a test asks for loads.

    problem: readings and unknowns; start: all else
    """
    listed, consumers = start.copy(), _consumers(problem)
    listed[consumers] = problem.unknowns.centre[consumers]
    return listed


def either_higher(problem: FitProblem, shorted: Hypothesis, start: Floats) -> list[Trial]:
    """A way that conducts both ways, with the battery behind it the higher one asleep and the lower one: in between nothing flows, and
    no slope says where to.

    problem: readings and unknowns; shorted: the cause; start: all else
    """
    trials = []
    for c in shorted.changes:
        if (k := problem.unknowns.at(c.what, c.element)) is not None:
            for volts in (-c.spread, c.spread):
                begun = start.copy()
                begun[k] = volts
                trials.append(Trial.of(shorted).begun_at(begun))
    return trials


def with_its_unit(fitted: Fitted, start: Floats) -> Floats:
    """A start with what its units give as a fit has it: that was read, and what hangs on them by another cause may be quite another.

    fitted: the same causes, fitted before; start: all else
    """
    mixed = start.copy()
    for k, (what, _) in enumerate(fitted.problem.unknowns.names):
        if what in (What.LIMIT_SHARE, What.IDLE_SHARE):
            mixed[k] = fitted.row[k]
    return mixed


def taking_freely(problem: FitProblem, start: Floats) -> Floats:
    """A start with batteries that take a charge more freely than is expected: all that a unit gives, even where nothing is on, or so that
    several units stand against each other through a link and not alone.

    problem: readings and unknowns; start: all else
    """
    freely = start.copy()
    takes = [k for k, (what, _) in enumerate(problem.unknowns.names) if what is What.TAKES_SHARE]
    freely[takes] -= FREE_WIDTHS * _takes_width()
    return freely


def stiff(problem: FitProblem, start: Floats, widths: float, battery: str) -> Floats:
    """A start with a battery that takes whatever it gets at hardly more than it rests at: then loads on or off are all the same.

    problem: readings and unknowns; start: all else; widths: how much so, in standard deviations of how fast it takes a charge
    battery: its id
    """
    stiffened = start.copy()
    stiffened[problem.unknowns.place[What.TAKES_SHARE, battery]] -= widths * _takes_width()
    return stiffened


def full_behind(problem: FitProblem, start: Floats) -> Floats | None:
    """A start with the batteries behind DC-DC chargers nearly full; None where there are none.

    problem: readings and unknowns; start: all else
    A charger at its limit shows nothing of how slowly its battery takes a charge.
    """
    circuit = problem.model.circuit
    joined = {n for c in circuit.converters for n in reach(metal_of(circuit.branches), c.out_node)}
    fed = [b.id for b in circuit.batteries if b.positive_node in joined and b is not circuit.battery]
    if not fed:
        return None
    full = start.copy()
    for b in fed:
        full[problem.unknowns.place[What.TAKES_SHARE, b]] += FULL_WIDTHS * _takes_width()
    return full


def _takes_width() -> float:
    """Standard deviation of how slowly any battery takes a charge, by itself or with others."""
    return fault_table().tolerances[What.TAKES_SHARE][1]


def fit_nothing(problem: FitProblem, sound: Hypothesis) -> Fitted:
    """Nothing broken, from wherever that explains most: what was read at a known output and what was read otherwise each from its own.

    problem: readings and unknowns; sound: the hypothesis
    """
    prior = float(np.log(sound.weight))
    usual = starts(problem)
    fits = fit_trials(problem, [Trial(sound.causes, sound, prior, start) for start in usual])
    # By itself: beside the others it is far behind until it is ahead of them.
    if len(problem.model.circuit.alternators) > 1:
        fits += fit_trials(problem, [Trial(sound.causes, sound, prior, taking_freely(problem, usual[0]))])
    at_output = np.array([problem.evidence[k].setup.state is BenchState.AT_OUTPUT for k in problem.smooth.tolist()], dtype=bool)
    each = [f.log_likelihoods[problem.smooth] for f in fits]
    there = max(range(len(fits)), key=lambda k: float(each[k][at_output].sum()))
    elsewhere = max(range(len(fits)), key=lambda k: float(each[k][~at_output].sum()))
    best = max(fits, key=lambda f: f.log_evidence)
    if there != elsewhere:
        start = start_of(fits[elsewhere])
        charged = [k for k, (what, _) in enumerate(problem.unknowns.names) if what is What.CHARGED]
        start[charged] = fits[there].row[charged]
        best = max((best, *fit_trials(problem, [Trial(sound.causes, sound, prior, start)])), key=lambda f: f.log_evidence)
    short = fit_trials(problem, [best.trial.begun_at(start) for start in _one_short(best)], gathering=False)
    return max((best, *short), key=lambda f: f.log_evidence)


def _one_short(fitted: Fitted) -> list[Floats]:
    """Where a set ended, with one of several units giving little at idle: a link between them opens there, and the other holds its own side
    up. From where it is closed that is not seen."""
    u, ended = fitted.problem.unknowns, where_it_ended(fitted)
    units = fitted.problem.model.document.alternators
    starts = []
    for k in (u.place[What.IDLE_SHARE, a.id] for a in units if len(units) > 1):
        starts.append(ended.copy())
        starts[-1][k] = u.centre[k] - SHORT_WIDTHS * u.width[k]
    return starts


def begun_from(trial: Trial, other: Fitted) -> Trial:
    """A trial that begins where another set ended: in what both of their causes change, too."""
    u = other.problem.unknowns

    def changed(of: Hypothesis) -> set[int]:
        return {k for c in of.changes if (k := u.at(c.what, c.element)) is not None}

    mine, others = changed(trial.base), changed(other.trial.base)
    kept = frozenset(mine & others)
    start = start_of(other)
    start[list(kept)] = other.row[list(kept)]
    # A cause that hardly changes anything leaves a value that a sound part may have as well.
    for k in others - mine:
        if abs(other.row[k] - u.centre[k]) < SOUND_WIDTHS * u.width[k]:
            start[k] = other.row[k]
    return replace(trial, start=start, kept=kept)


def nearly_open(problem: FitProblem, h: Hypothesis, start: Floats) -> Trial:
    """A trial of resistances that leave a conductor next to nothing to carry: from where a usual one begins, a drop that the way round
    it makes is a slip.

    problem: readings and unknowns; h: a bad contact or cable; start: all else
    """
    high, u = start.copy(), problem.unknowns
    places = [k for c in h.changes if c.what is What.MORE_OHM and (k := u.at(c.what, c.element)) is not None]
    high[places] = NEARLY_OPEN_OHM
    return replace(Trial.of(h, high), kept=frozenset(places))


def start_of(fitted: Fitted) -> Floats:
    """Where another trial may begin from: the unknowns of one that was fitted, what its own causes change as expected of a sound vehicle."""
    u = fitted.problem.unknowns
    start = fitted.row.copy()
    for c in fitted.trial.base.changes:
        if (k := u.at(c.what, c.element)) is not None:
            start[k] = u.centre[k]
    return where_it_ended(replace(fitted, row=start))


def where_it_ended(fitted: Fitted) -> Floats:
    """The unknowns of one that was fitted, as a trial begins from them."""
    return np.concatenate((fitted.row, np.zeros(len(fitted.problem.runs))))
