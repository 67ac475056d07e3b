"""What is tried once the likeliest is known: what it takes for slips, and what one of its causes may be mistaken for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import reduce

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import AS_LOGARITHM, What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis, both, contradictory, of_a_unit
from mavrik.core.findings.placing import CONSUMERS_OF
from mavrik.core.findings.starting import begun_from, where_it_ended
from mavrik.core.findings.unnoted import begun_so, met_so

SLIPPED, SLIPS = -5.5, 2
"""A reading that is so unlikely, by its natural logarithm, is taken for a slip; where the likeliest takes so many for slips it is looked at
again."""

MOST_ACROSS = 10
"""So many sets are begun on the other side of what a unit has to spare."""


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
    return at_times + [Trial.of(met_so(p, met), begun_so(problem, met, start)) for p in pairs.values() for start in starts]


def across_the_limit(problem: FitProblem, fitted: Sequence[Fitted], near: float) -> list[Trial]:
    """Sets that take several readings with the loads on for slips, from where they ended with more on and with less: a unit that has
    output to spare there shows nothing of its limit, and the way over it is downhill first.

    problem: readings and unknowns; fitted: sets so far; near: those that come so near the best by its natural logarithm are looked at
    """
    with_loads = [k for k in problem.smooth.tolist() if CONSUMERS_OF.get(problem.evidence[k].setup.state) is What.CONSUMERS_A]
    u = problem.unknowns
    k = u.place[What.CONSUMERS_A, problem.model.circuit.battery.id]
    top, trials = max(f.log_evidence for f in fitted), list[Trial]()
    slipped = [f for f in fitted if sum(f.log_likelihoods[j] < SLIPPED for j in with_loads) >= SLIPS]
    for f in sorted((f for f in slipped if f.log_evidence > top - near), key=lambda f: -f.log_evidence)[:MOST_ACROSS]:
        for amps in (u.centre[k] + u.width[k], max(u.centre[k] - u.width[k], 0.0)):
            begun = where_it_ended(f)
            begun[k] = amps
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


def without_one(fitted: Sequence[Fitted], suspects: Sequence[Hypothesis], near: float) -> list[Trial]:
    """Sets of three and more, each without one of its causes where that was not tried: a third cause is tried beside pairs that are likely,
    and may be what one of them was there for.

    fitted: sets so far; suspects: single causes; near: sets that come so near the best by its natural logarithm are looked at
    """
    top, known = max(f.log_evidence for f in fitted), {frozenset(f.trial.causes) for f in fitted}
    single = {h.causes[0]: h for h in reversed(suspects)}
    trials: dict[frozenset[str], Trial] = {}
    for f in sorted((f for f in fitted if f.log_evidence > top - near), key=lambda f: -f.log_evidence):
        causes = f.trial.causes
        if len(causes) < 3 or not all(c in single for c in causes):
            continue
        for cause in causes:
            rest = [single[c] for c in causes if c != cause]
            fewer = frozenset(r.causes[0] for r in rest)
            if fewer not in known and not contradictory(tuple(fewer)):
                trials.setdefault(fewer, Trial.of(met_so(reduce(both, rest), f.trial.base.unnoted)).begun_at(where_it_ended(f)))
    return list(trials.values())
