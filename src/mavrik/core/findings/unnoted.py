"""What nobody notes of a test and goes one way or the other: each set of causes is weighed with either."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

from mavrik.core.circuit import Circuit, LinkBranch
from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis, Unnoted, of_a_unit
from mavrik.core.findings.placing import CONSUMERS_OF
from mavrik.core.findings.starting import where_it_ended
from mavrik.core.operating.bench_states import RUNNING

OTHERWISE = 0.5
"""So many times as likely as what is usual is what is otherwise. Our choice, no source."""


def unnoted(problem: FitProblem) -> list[Unnoted]:
    """What these readings may depend on and nobody noted: whether anything was on that the document, which lists little, does not say,
    and whether a link had closed before.

    problem: readings and unknowns
    """
    setups = {o.setup for o in problem.evidence}
    with_consumers = [s for s in setups if CONSUMERS_OF.get(s.state) is What.CONSUMERS_A]
    assumed = any(problem.model.assembled(s).consumers_a for s in with_consumers)
    running = any(s.state in RUNNING for s in setups)
    return [
        *([Unnoted.LISTED_ALONE] if assumed else []),
        *([Unnoted.LINKS_CLOSED] if running and _links(problem.model.circuit) else []),
    ]


def otherwise(
    problem: FitProblem, suspects: Sequence[Hypothesis], ways: Sequence[Unnoted], starts: Sequence[Floats]
) -> list[Trial]:
    """Trials of those single causes, and of nothing broken, that what a unit has to spare decides on, with each of these otherwise, and
    of what is open with a link held closed by what another unit gives.

    problem: readings and unknowns; suspects: single causes with nothing broken first; ways: of `unnoted`; starts: where each begins from
    """
    to_spare = [
        h for h in suspects if h.causes == (NOTHING,) or of_a_unit(h) or any(c.what is What.MORE_LOAD_A for c in h.changes)
    ]
    opened = [h for h in suspects if any(c.what is What.OPEN for c in h.changes)]
    held = [(h, Unnoted.LINKS_CLOSED, starts[0]) for h in opened if Unnoted.LINKS_CLOSED in ways]
    return [
        replace(Trial.of(met_so(h, frozenset({way}))), start=begun_so(problem, {way}, start))
        for h, way, start in [*((h, way, start) for h in to_spare for way in ways for start in starts), *held]
    ]


def otherwise_too(problem: FitProblem, likely: Sequence[Fitted], ways: Sequence[Unnoted]) -> list[Trial]:
    """Sets once more with each of these otherwise, from where they ended.

    problem: readings and unknowns; likely: the sets, fitted; ways: of `unnoted`
    """
    return [
        f.trial.with_base(met_so(f.trial.base, f.trial.base.unnoted | {way})).begun_at(
            begun_so(problem, {way}, where_it_ended(f))
        )
        for f in likely
        for way in ways
        if way not in f.trial.base.unnoted
    ]


def met_so(h: Hypothesis, ways: frozenset[Unnoted]) -> Hypothesis:
    """A set of causes with just these otherwise than usual, and as likely as it then is.

    h: the set, whatever was otherwise with it; ways: what is to be

    >>> met_so(Hypothesis((NOTHING,), 0.8), frozenset({Unnoted.LISTED_ALONE})).weight
    0.4
    """
    return replace(h, weight=h.weight * OTHERWISE ** (len(ways) - len(h.unnoted)), unnoted=ways)


def in_words(circuit: Circuit, way: Unnoted) -> str:
    """One of these, otherwise than usual, in a sentence.

    circuit: the document

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> in_words(front_battery(12), Unnoted.LISTED_ALONE)
    'With the loads on nothing ran: the circuit lists none.'
    """
    if way is Unnoted.LINKS_CLOSED:
        links = " and ".join(b.label for b in _links(circuit))
        return f"{links} had closed before, and stayed closed while the engine ran."
    listed = [x.label for x in circuit.loads if not x.cranking]
    if not listed:
        return "With the loads on nothing ran: the circuit lists none."
    return f"With the loads on nothing ran but what the circuit lists: {', '.join(listed)}."


def _links(circuit: Circuit) -> list[LinkBranch]:
    return [b for b in circuit.branches if isinstance(b, LinkBranch) and b.override == "none"]


def begun_so(problem: FitProblem, ways: Collection[Unnoted], start: Floats) -> Floats:
    """Where a trial begins with some of these otherwise.

    problem: readings and unknowns; ways: which; start: all else
    """
    begun = start.copy()
    if Unnoted.LISTED_ALONE in ways:
        begun[problem.unknowns.place[What.CONSUMERS_A, problem.model.circuit.battery.id]] = 0.0
    return begun
