"""The search: every single cause is fitted, then those pairs and threes that the fits of the likeliest pull at, and what looks like them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from mavrik.core.findings.at_times import MOST_PULL, at_times, pulled_at_times
from mavrik.core.findings.dead_cells import beside_dead_cells, dead_cells, low_at_rest
from mavrik.core.findings.fit import fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import NOTHING, Fault, Hypothesis, What, both, fault_table, of_a_unit
from mavrik.core.findings.likelihood import log_likelihood
from mavrik.core.findings.sampling import sampled
from mavrik.core.findings.second_look import second_look, swapped
from mavrik.core.findings.starting import begun_from, full_behind, nearly_open, start_of, starts, where_it_ended, with_its_unit
from mavrik.core.findings.unnoted import met_so, otherwise, otherwise_too, unnoted

FIRSTS, PAIRS = 5, 28
"""So many of the likeliest causes are tried beside others, and so many of those pairs are fitted."""

SIDED = 12
"""So many of those that decide what a unit has to spare are begun on either side of its limit."""

GROWN, MORE = 4, 12
"""So many of the best pairs are tried with a third cause, and so many of those are fitted."""

FIT_WORK = 1.6e8
"""So much is worked out to fit sets to a very large circuit, `_work_of_a_set` each: about two seconds of one processor. A circuit of
50 branches, a drop read on each, is within."""

SOLVED_WORK, CHARGER_SHARE = 27.0, 0.2
"""What a set of causes costs beside its readings by the square of its unknowns: for every state of the bench its nodes by its unknowns, so
many times; each charger, with its corners, more of that. Measured, rough."""

SINGLE_SHARE, PAIR_SHARE, MORE_SHARE = 0.65, 0.25, 0.1
LEAST_BRANCHES, LEAST_PAIRS = 6, 6
"""So many are fitted, whatever that takes."""

UNLIKELY = 10.0
"""A set that is expected to end so far below the best, by the natural logarithm of its evidence, is not tried, nor one beside it."""

PAIR_LIKELY = 4.0
"""Where no pair comes so near the best by the natural logarithm of its evidence no third cause is tried: seen to end at 0.3 % at most."""

GONE = 4
"""So many conductors are fitted as missing by themselves."""

AHEAD, RISEN = 2.3, 3.0
"""Where a single cause is ahead of nothing broken by so much, by the natural logarithm of its evidence, and nothing broken explains by so
much more than it did from where that one ended, all single causes are fitted anew."""

POLISHED, HOPEFUL = 10, 15.0
"""So many of the likeliest, of those so near the best by its natural logarithm, are fitted again from where the best ended."""

DRAWN, NEAR = 10, 6.0
"""The evidence of so many sets at most is drawn, of those so near the best by its natural logarithm."""


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
    more: int

    @classmethod
    def of(cls, problem: FitProblem, nothing: Fitted, suspects: Sequence[Hypothesis]) -> Extent:
        """All branches, but where that were too many of so large a circuit those that the readings pull at most."""
        branches = frozenset(problem.branch_ids)
        within = [h for h in suspects if h.element in branches]
        room = FIT_WORK / _work_of_a_set(problem)
        kinds = max(len(within) / max(len(branches), 1), 1.0)
        most = max(int((SINGLE_SHARE * room - (len(suspects) - len(within))) / kinds), LEAST_BRANCHES)
        if most < len(branches):
            worth: dict[str, float] = {}
            for h, more in _guesses(problem, nothing, within, np.inf):
                worth[h.element] = max(more, worth.get(h.element, -np.inf))
            branches = frozenset(sorted(worth, key=lambda b: -worth[b])[:most])
        return cls(branches, min(max(int(PAIR_SHARE * room), LEAST_PAIRS), PAIRS), min(int(MORE_SHARE * room), MORE))


def search(problem: FitProblem, nothing: Fitted, suspects: list[Hypothesis], extent: Extent) -> list[Fitted]:
    """Sets of causes fitted: nothing broken first, then every single fault, and the pairs and threes worth a closer look.

    problem: readings and unknowns; nothing: nothing broken, fitted; suspects: single causes with nothing broken first; extent: how many
    """
    start, usual = start_of(nothing), starts(problem)
    left_out = frozenset(problem.branch_ids) - extent.branches
    alike_ones = [h for h in suspects if _lookalike(h) and h.element not in left_out]
    suspects = [h for h in suspects if not _lookalike(h)]
    tried = [Trial.of(h, start) for h in suspects[1:] if h.element not in left_out]
    # A unit that is weak begins on the other side of its limit, too, and with nobody behind it who takes all it has.
    full = full_behind(problem, start)
    sides = [usual[0], usual[2], *([] if full is None else [full])]
    tried += [Trial.of(h, one) for h in suspects[1:] if of_a_unit(h) for one in sides]
    cells = low_at_rest(problem, suspects)
    gone = _gone(problem, nothing, [h for h in alike_ones if _is_gone(h)])
    tried += gone
    ways = unnoted(problem)
    tried += otherwise(problem, suspects, ways, (usual[0], usual[2]))
    fits = [nothing, *_best_of_each([*fit_trials(problem, tried), *fit_trials(problem, dead_cells(problem, cells, usual))])]
    nothing, *_ = fits = _as_good_as_gone(problem, _out_of_a_trap(problem, fits), suspects)
    fits = _best_of_each([*fits, *fit_trials(problem, otherwise_too(problem, _near(fits), ways))])
    alike = at_times(problem, nothing, alike_ones)
    suspects = [h for h in suspects if not _fault(h).alone]
    known = {frozenset(f.trial.causes) for f in fits}
    newest = fits
    for firsts, most in ((FIRSTS, extent.pairs), (GROWN, extent.more)):
        top = max(f.log_evidence for f in fits)
        if newest is not fits and all(f.log_evidence < top - PAIR_LIKELY for f in newest):
            break
        likely = sorted(
            (
                f
                for f in newest
                if f.trial.causes != (NOTHING,) and not _fault(f.trial.base).alone and f.log_evidence > top - UNLIKELY
            ),
            key=lambda f: -f.log_evidence,
        )[:firsts]
        guessed: dict[frozenset[str], tuple[float, Trial]] = {}
        for f in likely:
            for h, more in _guesses(problem, f, suspects):
                causes = frozenset((*f.trial.causes, *h.causes))
                if causes in known or (causes in guessed and guessed[causes][0] >= f.log_evidence + more):
                    continue
                pair = both(f.trial.base, h)
                guessed[causes] = f.log_evidence + more, Trial.of(pair, start_of(f))
        chosen = sorted((g for g in guessed.values() if g[0] > top - UNLIKELY), key=lambda g: -g[0])[:most]
        twins = _twins(likely, alike)
        if newest is fits:
            twins += pulled_at_times(problem, nothing, alike, top - UNLIKELY)
        # As alone, so beside another cause.
        on_sides = [t for _, t in chosen if newest is fits and of_a_unit(t.base)][:SIDED]
        other_sides = [Trial.of(t.base, one) for t in on_sides for one in usual[1:3]]
        sets = [*(t for _, t in chosen), *other_sides, *beside_dead_cells(problem, [t.base for _, t in chosen], cells, usual[0])]
        grown = fit_trials(problem, [*sets, *twins])
        known |= {frozenset(f.trial.causes) for f in grown}
        newest = _best_of_each(grown[: len(sets)])
        fits = _best_of_each([*fits, *grown[len(sets) :], *newest])
    fits = _best_of_each(
        [*fits, *fit_trials(problem, second_look(problem, fits, suspects, alike, usual[1:3])[: 2 * extent.pairs])]
    )
    fits = _best_of_each([*fits, *fit_trials(problem, otherwise_too(problem, _near(fits), ways))])
    fits = _polished(problem, fits, alike)
    # What has come up only now has not been held against what looks like it.
    likeliest = max(fits, key=lambda f: f.log_evidence)
    met = likeliest.trial.base.unnoted
    late = [t.with_base(met_so(t.base, met)) for t in _twins([likeliest], alike) if met or frozenset(t.causes) not in known]
    return _best_of_each([*fits, *fit_trials(problem, [*late, *swapped(fits, suspects)])])


def _near(fitted: Sequence[Fitted]) -> list[Fitted]:
    """The likeliest, and those that come near."""
    ranked = sorted(fitted, key=lambda f: -f.log_evidence)[:POLISHED]
    return [f for f in ranked if f.log_evidence > ranked[0].log_evidence - HOPEFUL]


def _out_of_a_trap(problem: FitProblem, fitted: list[Fitted]) -> list[Fitted]:
    """Nothing broken and single causes, all again where nothing broken explains far more from where the likeliest of them ended: what
    began from a reading that was taken for a slip is held by it."""
    nothing, likeliest = fitted[0], max(fitted[1:], key=lambda f: f.log_evidence)
    if likeliest.log_evidence < nothing.log_evidence + AHEAD:
        return fitted
    risen = nothing.or_better(fit_trials(problem, [begun_from(nothing.trial, likeliest)], gathering=False)[0])
    if risen.log_evidence < nothing.log_evidence + RISEN:
        return fitted
    again = [t for f in fitted[1:] for t in (begun_from(f.trial, risen), f.trial.begun_at(where_it_ended(risen)))]
    return _best_of_each([risen, *fitted, *fit_trials(problem, again)])


def _gone(problem: FitProblem, nothing: Fitted, suspects: Sequence[Hypothesis]) -> list[Trial]:
    """Conductors that are not there, those that explain most with all else as nothing broken left it: that they look like a large
    resistance does not help where such a one is no more likely than anything else.

    suspects: missing conductors
    """
    if not suspects:
        return []
    points, measured = [o.point for o in problem.evidence], [o.measured for o in problem.evidence]
    placed = [(o.point, o.setup) for o in problem.evidence]
    predicted = problem.model.predict(placed, [nothing.trial.base, *suspects], np.tile(nothing.row, (len(suspects) + 1, 1)))
    explained = log_likelihood(points, predicted, measured).sum(axis=1)[1:] + np.log([h.weight for h in suspects])
    return [Trial.of(suspects[k], start_of(nothing)) for k in np.argsort(-explained)[:GONE].tolist()]


def _as_good_as_gone(problem: FitProblem, fitted: list[Fitted], suspects: Sequence[Hypothesis]) -> list[Fitted]:
    """Bad contacts of conductors that are likely to be gone, fitted as what carries next to nothing too: the drop along the way round a
    lead says no more of it. From where a contact usually begins, that drop is a slip."""
    top = max(f.log_evidence for f in fitted)
    likely = {_lookalike(f.trial.base): f for f in fitted if _is_gone(f.trial.base) and f.log_evidence > top - UNLIKELY}
    trials = [nearly_open(problem, h, start_of(likely[h.causes[0]])) for h in suspects if h.causes[0] in likely]
    return _best_of_each([*fitted, *fit_trials(problem, trials)])


def _is_gone(h: Hypothesis) -> bool:
    """Whether a set is one conductor that is not there."""
    return len(h.causes) == 1 and bool(_lookalike(h)) and h.changes[0].what is What.OPEN


def _fault(h: Hypothesis) -> Fault:
    """The catalogue's row of a set's first cause."""
    return fault_table().faults[h.causes[0].split(":", 1)[0]]


def _lookalike(h: Hypothesis) -> str:
    """The cause that this one looks like, on the same element; empty: none."""
    like = _fault(h).looks_like
    return f"{like}:{h.causes[0].split(':', 1)[1]}" if like else ""


def _twins(likely: Sequence[Fitted], alike: Sequence[Trial]) -> list[Trial]:
    """Causes that look like one that is likely, each from where that one ended; one that two of them lead to, from the likelier."""
    twins: dict[int, Trial] = {}
    for f in likely:
        if len(f.trial.causes) > 1:
            continue
        kind = f.trial.causes[0].split(":", 1)[0]
        for k, t in enumerate(alike):
            if _lookalike(t.base) == f.trial.causes[0] or _fault(t.base).looks_like_any == kind:
                twins.setdefault(k, begun_from(t, f))
    return list(twins.values())


def _looks_like(one: Hypothesis, other: Hypothesis) -> bool:
    """Whether one of two single causes is tried because it looks like the other, or both change one value: what a unit gives, say."""
    if len(one.causes) > 1 or len(other.causes) > 1:
        return False
    changed = [{(c.what, c.element) for c in h.changes} for h in (one, other)]
    return _lookalike(one) == other.causes[0] or _lookalike(other) == one.causes[0] or bool(changed[0] & changed[1])


def _best_of_each(fitted: Sequence[Fitted]) -> list[Fitted]:
    """Of each set of causes, in whatever order, the one that explains most."""
    best: dict[frozenset[str], Fitted] = {}
    for f in fitted:
        causes = frozenset(f.trial.causes)
        if causes not in best or f.log_evidence > best[causes].log_evidence:
            best[causes] = f
    return list(best.values())


def _polished(problem: FitProblem, fitted: list[Fitted], alike: Sequence[Trial]) -> list[Fitted]:
    """The likeliest again, and nothing broken, each from where the likeliest of the broken ended: a reading that one took for a slip may
    have trapped another that did not.

    alike: causes that look like others; those of a set point are tried from where nothing broken is, too: a few tenths of a volt in a
    sense wire look like nothing, not like a regulator set high
    """
    ranked = sorted(range(len(fitted)), key=lambda k: -fitted[k].log_evidence)
    near = ranked[: len(_near(fitted))]
    # All began where nothing broken ended: from there once more shows nothing new.
    first, second, *_ = broken = [k for k in ranked if k]
    # One cause alone, even where the best set has another beside it that it may not need.
    alone = next((fitted[k].trial.base for k in broken if len(fitted[k].trial.causes) == 1), fitted[first].trial.base)
    looking_alike = [k for k in ranked if _looks_like(fitted[k].trial.base, alone)]
    chosen = list(dict.fromkeys((0, *near, *looking_alike)))
    trials = [begun_from(fitted[k].trial, fitted[first if k != first else second]) for k in chosen]
    # What nobody noted may have been as it is with the best.
    met = fitted[first].trial.base.unnoted
    so_met = [t.with_base(met_so(t.base, met)) for t in trials if t.base.unnoted != met]
    hardly = [t.begun_at(where_it_ended(fitted[0])) for t in alike if t.base.changes[0].what is What.SET_POINT]
    slow = [f for f in fitted if any(c.what is What.SLOW for c in f.trial.base.changes)]
    sides = [f.trial.begun_at(with_its_unit(f, start_of(fitted[first]))) for f in slow]
    again = fit_trials(problem, [*trials, *hardly, *sides, *so_met], gathering=False)
    for k, f in zip(chosen, again, strict=False):
        fitted[k] = fitted[k].or_better(f)
    return _best_of_each([*fitted, *again[len(chosen) :]])


def evidence_drawn(fitted: list[Fitted]) -> list[Fitted]:
    """The same with the evidence of the likeliest as draws have it."""
    best = max(f.log_evidence for f in fitted)
    near = sorted((k for k, f in enumerate(fitted) if f.log_evidence > best - NEAR), key=lambda k: -fitted[k].log_evidence)[
        :DRAWN
    ]
    if len(near) < 2:
        # With nothing to be held against it is as likely whatever it is.
        return fitted
    drawn = sampled([fitted[k] for k in near])
    again = [(k, fitted[k].trial.begun_at(d.better)) for k, d in zip(near, drawn, strict=True) if d.better is not None]
    if again:
        refitted = fit_trials(fitted[0].problem, [t for _, t in again], gathering=False)
        for (k, _), f in zip(again, refitted, strict=True):
            fitted[k] = fitted[k].or_better(f)
        drawn = sampled([fitted[k] for k in near])
    for k, d in zip(near, drawn, strict=True):
        fitted[k] = replace(fitted[k], log_evidence=d.log_evidence)
    return fitted


def _guesses(
    problem: FitProblem, of: Fitted, suspects: Sequence[Hypothesis], most_pull: float = MOST_PULL
) -> list[tuple[Hypothesis, float]]:
    """What each further cause may be worth beside a set: by what its readings pull at, what is looked at, and how often it is met.

    most_pull: no cause is worth more, however hard the readings pull
    """
    u, guesses = problem.unknowns, []
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
            at = u.at(What.MORE_OHM if c.what is What.OPEN else c.what, c.element)
            if at is not None and not of.by_logarithm[at]:
                down = c.what in (What.LIMIT_SHARE, What.EMF) or c.amount < 0
                pulls.append(max(-of.pull[at] if down else of.pull[at], 0.0))
        pull = min(max(pulls, default=0.0), most_pull)
        prior = np.log(sets[k + 1].weight / of.trial.base.weight)
        guesses.append((h, 0.5 * pull**2 + float(by_eye[k + 1] - by_eye[0]) + float(prior)))
    return guesses
