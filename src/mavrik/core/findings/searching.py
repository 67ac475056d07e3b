"""The search: every single cause is fitted, then those pairs and threes that the fits of the likeliest pull at, and what looks like them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from mavrik.core.findings.at_times import at_times, pulled_at_times
from mavrik.core.findings.changes import What
from mavrik.core.findings.dead_cells import beside_dead_cells, dead_cells, low_at_rest
from mavrik.core.findings.extent import Extent
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.fit import fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.guesses import guesses
from mavrik.core.findings.hypotheses import Hypothesis, both, contradictory, of_a_unit
from mavrik.core.findings.likelihood import log_likelihood
from mavrik.core.findings.lookalikes import alike_or_one_value, fault_of, is_gone, lookalike, twins_of
from mavrik.core.findings.sampling import sampled
from mavrik.core.findings.second_look import across_the_limit, in_between, second_look, stands_across, swapped, without_one
from mavrik.core.findings.starting import (
    as_listed,
    begun_from,
    either_higher,
    full_behind,
    nearly_open,
    start_of,
    starts,
    taking_freely,
    where_it_ended,
    with_its_unit,
)
from mavrik.core.findings.unnoted import met_so, otherwise, otherwise_too, unnoted

FIRSTS = 5
"""So many of the likeliest causes are tried beside others."""

SIDED = 12
"""So many of those that decide what a unit has to spare are begun on either side of its limit."""

GROWN = 4
"""So many of the best pairs are tried with a third cause."""

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

PATIENT = 300.0
"""A set of the last look may be so far behind the best of them before slips are judged, by the natural logarithm of its likelihood."""

DRAWN, NEAR = 10, 6.0
"""The evidence of so many sets at most is drawn, of those so near the best by its natural logarithm."""


def search(problem: FitProblem, nothing: Fitted, suspects: list[Hypothesis], extent: Extent) -> list[Fitted]:
    """Sets of causes fitted: nothing broken first, then every single fault, and the pairs and threes worth a closer look.

    problem: readings and unknowns; nothing: nothing broken, fitted; suspects: single causes with nothing broken first; extent: how many
    """
    by = _Search(problem, suspects, extent)
    fits = by.singles(nothing)
    by.alike = at_times(problem, fits[0], by.looking_alike)
    return by.once_known(by.together(fits))


class _Search:
    """One search: what is tried, and where that begins."""

    def __init__(self, problem: FitProblem, suspects: Sequence[Hypothesis], extent: Extent) -> None:
        left_out = frozenset(problem.branch_ids) - extent.branches
        self.problem, self.extent = problem, extent
        self.suspects = [h for h in suspects if not lookalike(h) or fault_of(h).shows_itself]
        """Single causes with nothing broken first, but those that show only where another is likely, which they look like."""
        self.looking_alike = [h for h in suspects if lookalike(h) and h.element not in left_out]
        self.by_themselves = [h for h in self.suspects[1:] if h.element not in left_out]
        self.beside = [h for h in self.suspects if not fault_of(h).alone]
        self.cells, self.usual, self.ways = low_at_rest(problem, self.suspects), starts(problem), unnoted(problem)
        self.alike: Sequence[Trial] = ()
        self.known: set[frozenset[str]] = set()
        self.begun: dict[frozenset[str], float] = {}
        """Sets that were begun without a cause of another one, with that one's evidence."""

    def fitted(self, fits: Sequence[Fitted], trials: Sequence[Trial]) -> list[Fitted]:
        """Some sets, and some more of them fitted."""
        return _best_of_each([*fits, *fit_trials(self.problem, trials)])

    def singles(self, nothing: Fitted) -> list[Fitted]:
        """Nothing broken, and every single cause."""
        start, usual = start_of(nothing), self.usual
        tried = [Trial.of(h, start) for h in self.by_themselves]
        # A unit that is weak begins on the other side of its limit, too, and with nobody behind it who takes all it has, or everybody.
        full, freely = full_behind(self.problem, start), taking_freely(self.problem, usual[0])
        sides = [usual[0], usual[2], freely, *([] if full is None else [full])]
        tried += [Trial.of(h, one) for h in self.suspects[1:] if of_a_unit(h) for one in sides]
        # What hangs on it unlisted begins where no more is on than was expected: the one does what the other does.
        more = [h for h in self.suspects[1:] if any(c.what is What.MORE_LOAD_A for c in h.changes)]
        tried += [Trial.of(h, as_listed(self.problem, one)) for h in more for one in (start, usual[2])]
        shorted = [h for h in self.by_themselves if any(c.what is What.SHORTED for c in h.changes)]
        tried += [t for h in shorted for t in either_higher(self.problem, h, start)]
        gone = [h for h in self.looking_alike if is_gone(h)]
        tried += _gone(self.problem, nothing, gone)
        tried += otherwise(self.problem, [*self.suspects, *gone], self.ways, (usual[0], usual[2], freely))
        with_cells = fit_trials(self.problem, dead_cells(self.problem, self.cells, usual))
        fits = [nothing, *_best_of_each([*fit_trials(self.problem, tried), *with_cells])]
        fits = _as_good_as_gone(self.problem, _out_of_a_trap(self.problem, fits), self.suspects)
        return self.fitted(fits, otherwise_too(self.problem, _near(fits), self.ways))

    def together(self, fits: list[Fitted]) -> list[Fitted]:
        """With pairs of the likeliest with what their readings pull at, and threes of those."""
        self.known, newest = {frozenset(f.trial.causes) for f in fits}, fits
        for firsts, most in ((FIRSTS, self.extent.pairs), (GROWN, self.extent.more)):
            singles, top = newest is fits, max(f.log_evidence for f in fits)
            if not singles and all(f.log_evidence < top - PAIR_LIKELY for f in newest):
                break
            likely = sorted(
                (f for f in newest if f.log_evidence > top - UNLIKELY and _may_be_beside(f)), key=lambda f: -f.log_evidence
            )
            likely = likely[:firsts]
            chosen = self._beside(likely, top)[:most]
            twins = twins_of(likely, self.alike)
            sided = list[Trial]()
            if singles:
                twins += pulled_at_times(self.problem, fits[0], self.alike, top - UNLIKELY)
                # As alone, so beside another cause.
                sided = [
                    Trial.of(t.base, one) for t in [t for t in chosen if of_a_unit(t.base)][:SIDED] for one in self.usual[1:3]
                ]
            sets = [*chosen, *sided, *beside_dead_cells(self.problem, [t.base for t in chosen], self.cells, self.usual[0])]
            grown = fit_trials(self.problem, [*sets, *twins])
            self.known |= {frozenset(f.trial.causes) for f in grown}
            newest = _best_of_each(grown[: len(sets)])
            fits = _best_of_each([*fits, *grown[len(sets) :], *newest])
        return fits

    def _beside(self, likely: Sequence[Fitted], top: float) -> list[Trial]:
        """What may be wrong beside these, what is worth most first.

        top: how likely the best is, by the natural logarithm
        """
        guessed: dict[frozenset[str], tuple[float, Trial]] = {}
        for f in likely:
            for h, more in guesses(self.problem, f, self.beside):
                causes = frozenset((*f.trial.causes, *h.causes))
                if causes in self.known or (causes in guessed and guessed[causes][0] >= f.log_evidence + more):
                    continue
                guessed[causes] = f.log_evidence + more, Trial.of(both(f.trial.base, h), start_of(f))
        return [t for worth, t in sorted(guessed.values(), key=lambda g: -g[0]) if worth > top - UNLIKELY]

    def once_known(self, fits: list[Fitted]) -> list[Fitted]:
        """With what is tried once the likeliest is known."""
        fits = [f for f in self.fitted(fits, in_between(fits, self.beside)) if not contradictory(f.trial.causes)]
        fits = self._without_one(fits)
        fits = self.fitted(fits, stands_across(self.problem, fits, self.beside))
        again = second_look(self.problem, fits, self.beside, self.alike, self.usual[1:3])
        fits = self.fitted(fits, again[: 2 * self.extent.pairs])
        across = across_the_limit(self.problem, fits, HOPEFUL)
        fits = self.fitted(fits, [*otherwise_too(self.problem, _near(fits), self.ways), *across])
        fits = _polished(self.problem, fits, self.alike)
        # What has come up only now has not been held against what looks like it.
        likeliest = max(fits, key=lambda f: f.log_evidence)
        met = likeliest.trial.base.unnoted
        twins = [t for t in twins_of([likeliest], self.alike) if met or frozenset(t.causes) not in self.known]
        fits = self.fitted(fits, [*(t.with_base(met_so(t.base, met)) for t in twins), *swapped(fits, self.beside)])
        fits = self._patiently(self._without_one(fits))
        return [f for f in fits if not contradictory(f.trial.causes)]

    def _patiently(self, fits: list[Fitted]) -> list[Fitted]:
        """With another look where the likeliest takes several readings for slips after all: what explains them has a long way to go."""
        again = second_look(self.problem, fits, self.beside, self.alike, self.usual[1:3])
        return _best_of_each([*fits, *fit_trials(self.problem, again[: 2 * self.extent.pairs], hardly=PATIENT)])

    def _without_one(self, fits: list[Fitted]) -> list[Fitted]:
        """With sets that are one cause fewer, each begun once from what explains as much; those that are new from afresh, too."""
        known = {frozenset(f.trial.causes) for f in fits}
        fewer = without_one(fits, [*self.beside, *self.looking_alike], PAIR_LIKELY, self.begun)
        self.begun |= {causes: evidence for causes, (evidence, _) in fewer.items()}
        afresh = [Trial.of(t.base, self.usual[0]) for causes, (_, t) in fewer.items() if causes not in known]
        return self.fitted(fits, [*(t for _, t in fewer.values()), *afresh])


def _may_be_beside(f: Fitted) -> bool:
    """Whether a set is something that may be one of several."""
    return f.trial.causes != (NOTHING,) and not fault_of(f.trial.base).alone


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
    likely = {lookalike(f.trial.base): f for f in fitted if is_gone(f.trial.base) and f.log_evidence > top - UNLIKELY}
    trials = [nearly_open(problem, h, start_of(likely[h.causes[0]])) for h in suspects if h.causes[0] in likely]
    return _best_of_each([*fitted, *fit_trials(problem, trials)])


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
    looking_alike = [k for k in ranked if alike_or_one_value(fitted[k].trial.base, alone)]
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
