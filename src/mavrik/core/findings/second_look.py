"""What is tried once the likeliest is known: what it takes for slips, and what one of its causes may be mistaken for."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from functools import reduce
from itertools import product
from math import inf

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import AS_LOGARITHM, What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis, both, contradictory, of_a_unit
from mavrik.core.findings.placing import CONSUMERS_OF
from mavrik.core.findings.starting import begun_from, nearly_open, start_of, where_it_ended
from mavrik.core.findings.unnoted import begun_so, met_so
from mavrik.core.operating.bench_states import RUNNING, BenchState
from mavrik.core.procedures.bench.charging_drops import CHARGING_DROPS

SLIPPED, SLIPS = -5.5, 2
"""A reading that is so unlikely, by its natural logarithm, is taken for a slip; where the likeliest takes so many for slips it is looked at
again."""

MOST_ACROSS = 10
"""So many sets are begun on the other side of what a unit has to spare."""


CHARGED_V = 3.0
"""A weak battery that stands so much higher, of 12 V, holds up what hangs on it."""

ACROSS_WIDTHS = 2.5
"""By so many standard deviations of how slowly a battery takes a charge."""


def second_look(
    problem: FitProblem,
    fitted: Sequence[Fitted],
    suspects: Sequence[Hypothesis],
    alike: Sequence[Trial],
    starts: Sequence[Floats],
) -> list[Trial]:
    """Where the likeliest takes several readings for slips: what would be read so of the parts they were read of, by itself where it
    comes and goes, beside what is likely and beside whatever a unit may have, from afresh. One slip is a slip; two that agree may be
    what is wrong.

    problem: readings and unknowns; fitted: sets so far; suspects: single causes; alike: those that look like others
    starts: where each trial begins from
    """
    likeliest = max(fitted, key=lambda f: f.log_evidence)
    slipped = [k for k in problem.smooth.tolist() if likeliest.log_likelihoods[k] < SLIPPED]
    if len(slipped) < SLIPS:
        return []
    parts = {problem.evidence[k].point.element for k in slipped}
    much = [h for h in suspects if h.element in parts and any(c.what in AS_LOGARITHM for c in h.changes)]
    beside = [h for h in suspects if of_a_unit(h) or h.causes[0] in likeliest.trial.causes]
    pairs = {frozenset((*m.causes, *b.causes)): both(m, b) for m in much for b in beside if m.causes != b.causes}
    at_times = [replace(t, start=start) for t in alike if t.base.element in parts and t.base.at_times for start in starts]
    # What nobody noted is as it is with the likeliest.
    met = likeliest.trial.base.unnoted
    afresh = [Trial.of(met_so(p, met), begun_so(problem, met, start)) for p in pairs.values() for start in starts]
    return at_times + afresh + _weak(problem, likeliest, [h for h in suspects if h.element in parts])


def stands_across(problem: FitProblem, fitted: Sequence[Fitted], suspects: Sequence[Hypothesis]) -> list[Trial]:
    """What is open, or next to it, where volts stand across a part or a side although the unit gave nothing, by itself and beside the
    likeliest, where that takes them for a slip: without a current no resistance pulls, however high.

    problem: readings and unknowns; fitted: sets so far; suspects: single causes
    """
    likeliest = max(fitted, key=lambda f: f.log_evidence)
    across = [problem.evidence[k].point for k in problem.smooth.tolist() if likeliest.log_likelihoods[k] < SLIPPED]
    across = [p for p in across if p.unheld and p.quantity == "voltage_drop"]
    if not across:
        return []
    read, sides = {o.point.id for o in problem.evidence}, {p.id for p in across}
    parts = {p.element for p in across}
    parts |= {p.element for p in CHARGING_DROPS.points(problem.model.document) if p.part_of in sides and p.id not in read}
    base, start = likeliest.trial.base, start_of(likeliest)
    trials = []
    for h in (h for h in suspects if h.element in parts and h.causes[0] not in base.causes):
        whats = {c.what for c in h.changes}
        if What.OPEN not in whats and What.MORE_OHM not in whats:
            continue
        for one in (h, both(h, base)) if base.causes != (NOTHING,) else (h,):
            if not contradictory(one.causes):
                trial = Trial.of(met_so(one, base.unnoted), start)
                trials.append(trial if What.OPEN in whats else nearly_open(problem, one, start))
    return trials


def _weak(problem: FitProblem, likeliest: Fitted, suspects: Sequence[Hypothesis]) -> list[Trial]:
    """What may be wrong with a battery, by itself and beside the likeliest, from where that one ended and the battery charged further: one
    that sags under what a DC-DC charger takes turns it off, and from there what the charger takes is not seen.

    suspects: single causes of the parts whose readings were taken for slips
    """
    u, base = problem.unknowns, likeliest.trial.base
    trials = []
    for h in (h for h in suspects if any(c.what is What.OHM_SHARE for c in h.changes) and h.causes[0] not in base.causes):
        for one in (h, both(h, base)) if base.causes != (NOTHING,) else (h,):
            trial = begun_from(Trial.of(met_so(one, base.unnoted)), likeliest)
            if trial.start is not None and (k := u.at(What.CHARGED, h.element)) is not None:
                trial.start[k] += CHARGED_V * problem.model.circuit.system_voltage_v / 12
            trials.append(trial)
    return trials


def across_the_limit(problem: FitProblem, fitted: Sequence[Fitted], near: float) -> list[Trial]:
    """Sets that take several readings of an engine that runs for slips, from where they ended with more taken and with less: by loads
    where those are on, by batteries where they are not. A unit that has output to spare shows nothing of its limit, and the way over it
    is downhill first.

    problem: readings and unknowns; fitted: sets so far; near: those that come so near the best by its natural logarithm are looked at
    """
    u, states = problem.unknowns, {k: problem.evidence[k].setup.state for k in problem.smooth.tolist()}
    with_loads = {s for s, what in CONSUMERS_OF.items() if what is What.CONSUMERS_A}
    consumers = u.place[What.CONSUMERS_A, problem.model.circuit.battery.id]
    joined = dict(u.group_of)
    takes = [
        [u.place[What.TAKES_SHARE, b] for b, group in joined.items() if group == first]
        for first in dict.fromkeys(joined.values())
    ]
    top = max(f.log_evidence for f in fitted)

    def slipped(where: Collection[BenchState]) -> list[Fitted]:
        there = [k for k, state in states.items() if state in where]
        some = [f for f in fitted if f.log_evidence > top - near and sum(f.log_likelihoods[k] < SLIPPED for k in there) >= SLIPS]
        return sorted(some, key=lambda f: -f.log_evidence)[:MOST_ACROSS]

    trials = list[Trial]()
    for f in slipped(with_loads):
        for amps in (u.centre[consumers] + u.width[consumers], max(u.centre[consumers] - u.width[consumers], 0.0)):
            begun = where_it_ended(f)
            begun[consumers] = amps
            trials.append(f.trial.begun_at(begun))
    for f in slipped(RUNNING - with_loads):
        for group, widths in product(takes, (-ACROSS_WIDTHS, ACROSS_WIDTHS)):
            begun = where_it_ended(f)
            begun[group] += widths * u.width[group]
            trials.append(f.trial.begun_at(begun))
    return trials


def in_between(fitted: Sequence[Fitted], suspects: Sequence[Hypothesis]) -> list[Trial]:
    """Sets that change one thing up and down at once, without either of the two, from where they ended.

    fitted: sets so far; suspects: single causes
    """
    single = {h.causes[0]: h for h in reversed(suspects)}
    trials = []
    for f in (f for f in fitted if contradictory(f.trial.causes) and all(c in single for c in f.trial.causes)):
        for cause in f.trial.causes:
            rest = reduce(both, [single[c] for c in f.trial.causes if c != cause])
            if not contradictory(rest.causes):
                trials.append(Trial.of(met_so(rest, f.trial.base.unnoted)).begun_at(where_it_ended(f)))
    return trials


def swapped(fitted: Sequence[Fitted], suspects: Sequence[Hypothesis]) -> list[Trial]:
    """The likeliest, if it is more than one cause, with each of them swapped for each other one of the same element that was not tried
    beside the rest: what was thought to be worth a fit was guessed from less.

    fitted: sets so far; suspects: single causes
    """
    likeliest = max(fitted, key=lambda f: f.log_evidence)
    causes = likeliest.trial.causes
    known = {frozenset(f.trial.causes) for f in fitted}
    single = {h.causes[0]: h for h in reversed(suspects) if h.causes != (NOTHING,)}
    if len(causes) < 2 or not all(c in single for c in causes):
        return []
    trials: dict[frozenset[str], Trial] = {}
    for cause in causes:
        rest = [single[c] for c in causes if c != cause]
        for h in single.values():
            others = frozenset((*(r.causes[0] for r in rest), h.causes[0]))
            if h.element == single[cause].element and len(others) == len(causes) and others not in known:
                pair = met_so(reduce(both, [*rest, h]), likeliest.trial.base.unnoted)
                if contradictory(pair.causes):
                    continue
                trials.setdefault(others, begun_from(Trial.of(pair), likeliest))
    return list(trials.values())


def without_one(
    fitted: Sequence[Fitted], suspects: Sequence[Hypothesis], near: float, begun: Mapping[frozenset[str], float]
) -> dict[frozenset[str], tuple[float, Trial]]:
    """Sets without one of their causes, where that was not tried, or explains less than with it, from where they ended: a third cause is
    tried beside pairs that are likely, and may be what one of them was there for; and a cause that adds nothing may have led another to
    where it fits. By their causes, with the evidence of the set each begins from.

    fitted: sets so far; suspects: single causes; near: sets that come so near the best by its natural logarithm are looked at
    begun: those that were begun so before, by their causes, with that evidence
    """
    top, known = max(f.log_evidence for f in fitted), {frozenset(f.trial.causes): f.log_evidence for f in fitted}
    single = {h.causes[0]: h for h in reversed(suspects)}
    trials: dict[frozenset[str], tuple[float, Trial]] = {}
    for f in sorted((f for f in fitted if f.log_evidence > top - near), key=lambda f: -f.log_evidence):
        causes = f.trial.causes
        if len(causes) < 2 or not all(c in single for c in causes):
            continue
        for cause in causes:
            rest = [single[c] for c in causes if c != cause]
            fewer = frozenset(r.causes[0] for r in rest)
            if max(known.get(fewer, -inf), begun.get(fewer, -inf)) < f.log_evidence and not contradictory(tuple(fewer)):
                trial = begun_from(Trial.of(met_so(reduce(both, rest), f.trial.base.unnoted)), f)
                trials.setdefault(fewer, (f.log_evidence, trial))
    return trials
