"""The one inference: all readings of a job against every fault of the catalogue and every unknown of the vehicle.

Every single fault is fitted, then those pairs and threes that the fits of the likeliest pull at. All are the same model with other
expectations (`unknowns`), so that how well each explains the readings, over all that its unknowns might be, can be compared. Branch
verdicts, milliohms, causes, doubts and the next reading are all read off this.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import scipy
from scipy import special

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import BenchModel, Floats
from mavrik.core.findings.charge import rest_voltages
from mavrik.core.findings.fit import FitProblem, Fitted, Trial, fit_trials
from mavrik.core.findings.hypotheses import (
    NOTHING,
    UNKNOWN_KIND,
    Fault,
    Hypothesis,
    What,
    both,
    fault_table,
    hypotheses,
    is_open,
    is_too_much,
)
from mavrik.core.findings.likelihood import log_likelihood
from mavrik.core.findings.sampling import sampled
from mavrik.core.findings.starting import begun_from, fit_nothing, full_behind, start_of, starts
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import IDLE_RPM, BenchState
from mavrik.core.procedures import Observation

FIRSTS, PAIRS = 5, 28
"""So many of the likeliest causes are tried beside others, and so many of those pairs are fitted."""

GROWN, MORE = 4, 12
"""So many of the best pairs are tried with a third cause, and so many of those are fitted."""

FIT_WORK = 1.2e8
"""So much is worked out to fit sets to a very large circuit, `_work_of_a_set` each: about two seconds of one processor. A circuit of
50 branches, a drop read on each, is within."""

SOLVED_WORK, CHARGER_SHARE = 27.0, 0.2
"""What a set of causes costs beside its readings by the square of its unknowns: for every state of the bench its nodes by its unknowns, so
many times; each charger, with its corners, more of that. Measured, rough."""

SINGLE_SHARE, PAIR_SHARE, MORE_SHARE = 0.65, 0.25, 0.1
LEAST_BRANCHES, LEAST_PAIRS = 6, 6
"""So many are fitted, whatever that takes."""

OF_A_UNIT = frozenset({What.LIMIT_SHARE, What.SLIP, What.SET_POINT})

UNLIKELY = 10.0
"""A set that is expected to end so far below the best, by the natural logarithm of its evidence, is not tried, nor one beside it."""

POLISHED, HOPEFUL = 10, 15.0
"""So many of the likeliest, of those so near the best by its natural logarithm, are fitted again from where the best ended."""

DRAWN, NEAR = 10, 6.0
"""The evidence of so many sets at most is drawn, of those so near the best by its natural logarithm."""

CONFIDENCE = 0.95
QUANTILES = 41

WOULD_SHOW = 3.0
"""A branch is read where too much in it would move the readings by so many times what they scatter."""

LIKELY_SHARE = 0.05
"""Sets of at least this share of the probability, and the sound circuit, are asked for that."""

LEAST_SHARE_SHOWN = 1e-4
"""A set below this share says nothing of a branch that anybody would see."""

SHOWN_OHM = 0.002
"""As much too much as has to show, or as much again as a sound one has, whichever is more."""

MOST_PULL = 12.0
"""What a pull is worth at most, in standard deviations: what is further off is no more of a fault."""

LOOSE, FREEDOM = 2.0, 2.0
"""Where something is wrong that nobody thought of, readings lie so many times as far from what is expected, and any of them anywhere:
by Student's distribution of so few degrees of freedom. Our choice, no source."""

UNKNOWN = f"{UNKNOWN_KIND}:"
"""The cause that is none of the catalogue's."""


@dataclass(frozen=True)
class Candidate:
    """A set of causes with its probability, and the values that explain the readings best with it."""

    causes: tuple[str, ...]
    probability: float
    hypothesis: Hypothesis
    predicted: Floats
    """Of every reading."""
    log_likelihoods: Floats
    """Logarithm of how likely each reading is."""
    fitted: Fitted | None = None
    """None for one that was not looked at closer."""


@dataclass(frozen=True)
class Estimate:
    """The resistance of one branch beyond that of a sound one, over all sets of causes."""

    excess_ohm: float
    """Median."""
    low_ohm: float
    """Lower end of the 95 % interval."""
    high_ohm: float
    probability: float
    """That it has too much, or is open."""
    read: bool
    """Whether its drop was read, or the readings would show it if it had."""


@dataclass(frozen=True)
class Posterior:
    """What all readings say."""

    model: BenchModel
    evidence: tuple[Observation, ...]
    candidates: tuple[Candidate, ...]
    """The likeliest first; nothing broken is always among them."""
    by_cause: dict[str, float]
    nominal: Floats
    """What every reading would be with all as the document has it."""
    estimates: dict[str, Estimate] = field(default_factory=dict)
    """By branch id; empty where no drop was read."""
    not_weighed: tuple[str, ...] = ()
    """Branches of a very large circuit whose causes were weighed beside others only, the readings pulling at them least."""

    @property
    def sound(self) -> Candidate:
        """The one in which nothing is broken."""
        return next(c for c in self.candidates if c.causes == (NOTHING,))

    @property
    def best(self) -> Candidate:
        """The likeliest."""
        return self.candidates[0]


def at_idle(observations: Sequence[Observation]) -> list[Observation]:
    """The readings with pulley speeds brought to the engine speed that the catalogue speaks of.

    A pulley speed says something beside the engine's only: without that it is left out.
    """
    engine = next((o.measured for o in observations if o.point.id == "engine_rpm" and o.measured.value > 0), None)
    found = []
    for o in observations:
        if o.point.indicator != "shaft":
            found.append(o)
        elif engine is not None and o.measured.value > 0:
            value = o.measured.value * IDLE_RPM / engine.value
            share = float(np.hypot(o.measured.uncertainty / o.measured.value, engine.uncertainty / engine.value))
            found.append(replace(o, measured=Measured(value, share * value)))
    return found


def infer(circuit: Circuit, observations: Sequence[Observation]) -> Posterior:
    """Weigh every fault of the catalogue, and fit the resistance of every branch, by all that was read.

    circuit: the document, as it should be when sound; what was measured of its branches before is left aside
    observations: as `mavrik.core.procedures.observations` gives them
    Returns the sets of causes by probability, and the excess resistance of every branch with its 95 % interval.
    Raises CircuitError for a circuit that cannot be computed, NoOperatingPointError where nothing satisfies it.
    Source: the network solved for every hypothesis; Bayes' rule; evidence of a fitted set by Laplace's approximation (MacKay,
    Information Theory, Inference, and Learning Algorithms, ch. 27, from memory).

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = infer(front_battery(12), [])
    >>> len(found.evidence), max(found.by_cause.values()) < 0.5
    (0, True)
    """
    evidence = tuple(o for o in at_idle(observations) if not o.point.own_rule)
    rest_v = rest_voltages(circuit, observations)
    model = BenchModel(circuit, rest_v)
    suspects = hypotheses(circuit)
    if not evidence:
        weights = np.array([h.weight for h in suspects])
        by_weight = [
            Candidate(h.causes, float(w), h, np.zeros(0), np.zeros(0))
            for h, w in zip(suspects, weights / weights.sum(), strict=True)
        ]
        ranked = sorted(by_weight, key=lambda c: -c.probability)
        return Posterior(model, evidence, tuple(ranked), _by_cause(ranked), np.zeros(0))
    problem, nothing = _as_it_ran(circuit, model, evidence, suspects[0])
    model = problem.model
    nominal = model.predict([(o.point, o.setup) for o in evidence], suspects[:1])[0]
    extent = _Extent.of(problem, nothing, suspects)
    fitted = _sampled(_fitted(problem, nothing, suspects, extent))
    unknown = _not_in_the_catalogue(problem, fitted[0], fault_table().faults[UNKNOWN_KIND].weight)
    share = special.softmax([f.log_evidence for f in fitted] + [unknown.log_evidence])
    candidates = [
        Candidate(f.trial.causes, float(p), f.hypothesis, f.predicted, f.log_likelihoods, f)
        for f, p in zip([*fitted, unknown], share.tolist(), strict=True)
    ]
    ranked = sorted(candidates, key=lambda c: -c.probability)
    drops = any(o.point.quantity == "voltage_drop" for o in evidence)
    estimates = _estimates(problem, candidates) if drops else {}
    left_out = tuple(b for b in problem.branch_ids if b not in extent.branches)
    return Posterior(model, evidence, tuple(ranked), _by_cause(ranked), nominal, estimates, left_out)


def _as_it_ran(
    circuit: Circuit, model: BenchModel, evidence: tuple[Observation, ...], sound: Hypothesis
) -> tuple[FitProblem, Fitted]:
    """The problem with what closes and runs by itself as it was during the drop test, and nothing broken in it.

    Nobody notes whether a voltage link had closed or a DC-DC charger ran: that is as the readings have it.
    """
    links = frozenset(b.id for b in circuit.branches if b.by_voltage and b.settable)
    chargers = frozenset(c.id for c in circuit.converters)
    ways = [model]
    if any(o.setup.state is BenchState.AT_OUTPUT for o in evidence):
        sets = {s for s in (links, chargers, links | chargers) if s}
        ways += [BenchModel(circuit, model.rest_v, True, idle) for idle in sorted(sets, key=sorted)]
    problems = [FitProblem.of(circuit, way, evidence) for way in ways]
    return max(((p, fit_nothing(p, sound)) for p in problems), key=lambda found: found[1].log_evidence)


def _element(h: Hypothesis) -> str:
    """What a single cause is of."""
    return h.causes[0].split(":", 1)[1]


def _work_of_a_set(problem: FitProblem) -> float:
    """About what fitting one set takes, as `FIT_WORK` counts it."""
    u, circuit = len(problem.unknowns), problem.model.circuit
    states = len({problem.evidence[k].setup for k in problem.smooth.tolist()})
    solved = states * len(circuit.nodes) * u * (1 + CHARGER_SHARE * len(circuit.converters))
    return max(len(problem.smooth) * u**2 + SOLVED_WORK * solved, 1.0)


@dataclass(frozen=True)
class _Extent:
    """What is fitted of all sets there might be."""

    branches: frozenset[str]
    """Those whose causes are fitted by themselves."""
    pairs: int
    more: int

    @classmethod
    def of(cls, problem: FitProblem, nothing: Fitted, suspects: Sequence[Hypothesis]) -> _Extent:
        """All branches, but where that were too many of so large a circuit those that the readings pull at most."""
        branches = frozenset(problem.branch_ids)
        own = [h for h in suspects if _element(h) in branches]
        room = FIT_WORK / _work_of_a_set(problem)
        kinds = max(len(own) / max(len(branches), 1), 1.0)
        most = max(int((SINGLE_SHARE * room - (len(suspects) - len(own))) / kinds), LEAST_BRANCHES)
        if most < len(branches):
            worth: dict[str, float] = {}
            for h, more in _guesses(problem, nothing, own, np.inf):
                worth[_element(h)] = max(more, worth.get(_element(h), -np.inf))
            branches = frozenset(sorted(worth, key=lambda b: -worth[b])[:most])
        return cls(branches, min(max(int(PAIR_SHARE * room), LEAST_PAIRS), PAIRS), min(int(MORE_SHARE * room), MORE))


def _fitted(problem: FitProblem, nothing: Fitted, suspects: list[Hypothesis], extent: _Extent) -> list[Fitted]:
    """Nothing broken first, then every single fault, and the pairs and threes worth a closer look."""
    start, usual = start_of(nothing), starts(problem)
    left_out = frozenset(problem.branch_ids) - extent.branches
    alike = [h for h in suspects if _beside(h) and _element(h) not in left_out]
    suspects = [h for h in suspects if not _beside(h)]
    tried = [_trial(h, start) for h in suspects[1:] if _element(h) not in left_out]
    # A unit that is weak begins on the other side of its limit, too, and with nobody behind it who takes all it has.
    full = full_behind(problem, start)
    sides = [usual[0], usual[2], *([] if full is None else [full])]
    tried += [_trial(h, one) for h in suspects[1:] if any(c.what in OF_A_UNIT for c in h.changes) for one in sides]
    found = [nothing, *_best_of_each(fit_trials(problem, tried))]
    suspects = [h for h in suspects if not _fault(h).alone]
    known = {frozenset(f.trial.causes) for f in found}
    newest = found
    for firsts, most in ((FIRSTS, extent.pairs), (GROWN, extent.more)):
        likely = sorted(
            (
                f
                for f in newest
                if f.trial.causes != (NOTHING,)
                and not _fault(f.trial.base).alone
                and f.log_evidence > max(g.log_evidence for g in found) - UNLIKELY
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
                guessed[causes] = f.log_evidence + more, _trial(pair, start_of(f))
        top = max(f.log_evidence for f in found) - UNLIKELY
        chosen = sorted((g for g in guessed.values() if g[0] > top), key=lambda g: -g[0])[:most]
        twins = _twins(likely, alike)
        grown = fit_trials(problem, [*(t for _, t in chosen), *twins])
        known |= {frozenset(f.trial.causes) for f in grown}
        found += _best_of_each(grown[len(chosen) :])
        newest = grown[: len(chosen)]
        found += newest
    return _polished(problem, found)


def _fault(h: Hypothesis) -> Fault:
    """The catalogue's row of a set's first cause."""
    return fault_table().faults[h.causes[0].split(":", 1)[0]]


def _beside(h: Hypothesis) -> str:
    """The cause that this one looks like, on the same element; empty: none."""
    like = _fault(h).beside
    return f"{like}:{h.causes[0].split(':', 1)[1]}" if like else ""


def _twins(likely: Sequence[Fitted], alike: Sequence[Hypothesis]) -> list[Trial]:
    """Causes that look like one that is likely, each from where that one ended; one that two of them lead to, from the likelier."""
    found: dict[int, Trial] = {}
    for f in likely:
        if len(f.trial.causes) > 1:
            continue
        kind = f.trial.causes[0].split(":", 1)[0]
        for k, h in enumerate(alike):
            if _beside(h) == f.trial.causes[0] or _fault(h).beside_any == kind:
                found.setdefault(k, begun_from(_trial(h), f))
    return list(found.values())


def _looks_like(one: Hypothesis, other: Hypothesis) -> bool:
    """Whether one of two single causes is tried because it looks like the other, or both change one value: what a unit gives, say."""
    if len(one.causes) > 1 or len(other.causes) > 1:
        return False
    changed = [{(c.what, c.element) for c in h.changes} for h in (one, other)]
    return _beside(one) == other.causes[0] or _beside(other) == one.causes[0] or bool(changed[0] & changed[1])


def _best_of_each(fitted: Sequence[Fitted]) -> list[Fitted]:
    """Of each set of causes the one that explains most."""
    best: dict[tuple[str, ...], Fitted] = {}
    for f in fitted:
        if f.trial.causes not in best or f.log_evidence > best[f.trial.causes].log_evidence:
            best[f.trial.causes] = f
    return list(best.values())


def _polished(problem: FitProblem, found: list[Fitted]) -> list[Fitted]:
    """The likeliest again, and nothing broken, each from where the best of the others ended: a reading that one took for a slip may have
    trapped another that did not."""
    ranked = sorted(range(len(found)), key=lambda k: -found[k].log_evidence)
    near = [k for k in ranked[:POLISHED] if found[k].log_evidence > found[ranked[0]].log_evidence - HOPEFUL]
    # One cause alone, even where the best set has another beside it that it may not need.
    alone = next((found[k].trial.base for k in ranked if len(found[k].trial.causes) == 1 and k), found[ranked[0]].trial.base)
    alike = [k for k in ranked if _looks_like(found[k].trial.base, alone)]
    chosen = list(dict.fromkeys((0, *near, *alike)))
    trials = [begun_from(found[k].trial, found[ranked[0] if k != ranked[0] else ranked[1]]) for k in chosen]
    again = fit_trials(problem, trials, gathering=False)
    for k, f in zip(chosen, again, strict=True):
        found[k] = found[k].or_better(f)
    return found


def _sampled(fitted: list[Fitted]) -> list[Fitted]:
    """The same with the evidence of the likeliest as draws have it."""
    best = max(f.log_evidence for f in fitted)
    near = sorted((k for k, f in enumerate(fitted) if f.log_evidence > best - NEAR), key=lambda k: -fitted[k].log_evidence)[
        :DRAWN
    ]
    drawn = sampled([fitted[k] for k in near])
    again = [(k, fitted[k].trial.begun_at(d.better)) for k, d in zip(near, drawn, strict=True) if d.better is not None]
    if again:
        found = fit_trials(fitted[0].problem, [t for _, t in again], gathering=False)
        for (k, _), f in zip(again, found, strict=True):
            fitted[k] = fitted[k].or_better(f)
        drawn = sampled([fitted[k] for k in near])
    for k, d in zip(near, drawn, strict=True):
        fitted[k] = replace(fitted[k], log_evidence=d.log_evidence)
    return fitted


def _trial(of: Hypothesis, start: Floats | None = None) -> Trial:
    return Trial(of.causes, of, float(np.log(of.weight)), start)


def _guesses(
    problem: FitProblem, of: Fitted, suspects: Sequence[Hypothesis], most_pull: float = MOST_PULL
) -> list[tuple[Hypothesis, float]]:
    """What each further cause may be worth beside a set: by what its readings pull at, what is looked at, and how often it is met.

    most_pull: no cause is worth more, however hard the readings pull
    """
    u, found = problem.unknowns, []
    placed = [(problem.evidence[k].point, problem.evidence[k].setup) for k in problem.others.tolist()]
    points, measured = [p for p, _ in placed], [problem.evidence[k].measured for k in problem.others.tolist()]
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
        found.append((h, 0.5 * pull**2 + float(by_eye[k + 1] - by_eye[0]) + float(prior)))
    return found


def _not_in_the_catalogue(problem: FitProblem, nothing: Fitted, weight: float) -> Fitted:
    """Something that nobody thought of: readings lie anywhere round what a sound vehicle lets expect, each by itself."""
    sound = replace(nothing.trial.base, causes=(UNKNOWN,), weight=weight)
    trial = Trial((UNKNOWN,), sound, float(np.log(weight)))
    log_likelihoods = nothing.log_likelihoods.copy()
    seen, sigma = nothing.expected()
    log_likelihoods[problem.smooth] = scipy.stats.t.logpdf(problem.read, FREEDOM, seen, LOOSE * sigma)
    log_likelihoods[problem.others] = np.maximum(log_likelihoods[problem.others], np.log(0.5))
    return replace(
        nothing,
        trial=trial,
        hypothesis=sound,
        log_likelihoods=log_likelihoods,
        log_evidence=trial.log_prior + float(log_likelihoods.sum()),
    )


def _by_cause(candidates: Sequence[Candidate]) -> dict[str, float]:
    found: dict[str, float] = defaultdict(float)
    for c in candidates:
        for cause in c.causes:
            found[cause] += c.probability
    return dict(found)


def _estimates(problem: FitProblem, candidates: Sequence[Candidate]) -> dict[str, Estimate]:
    """Every branch's excess over all fitted sets, each by its probability."""
    levels = (np.arange(QUANTILES) + 0.5) / QUANTILES
    normal = special.ndtri(levels)
    total = sum(c.probability for c in candidates)
    likely = [c.fitted for c in candidates if c.fitted and (c.probability >= LIKELY_SHARE * total or c.causes == (NOTHING,))]
    worth = [c for c in candidates if c.probability >= LEAST_SHARE_SHOWN * total or c.causes == (NOTHING,)]
    found = {}
    own = {o.point.element for o in problem.evidence if o.point.quantity == "voltage_drop"}
    for k, branch_id in enumerate(problem.branch_ids):
        values, shares, faulty = [], [], 0.0
        for c in worth:
            assert c.fitted is not None
            share = c.probability / total
            if any(is_open(cause, branch_id) for cause in c.causes):
                faulty += share
                continue
            if any(is_too_much(cause, branch_id) for cause in c.causes):
                faulty += share
            values.append(c.fitted.quantiles(k, normal))
            shares.append(np.full(QUANTILES, share / QUANTILES))
        if not values:
            continue
        every, weight = np.concatenate(values), np.concatenate(shares)
        order = np.argsort(every)
        reached = np.cumsum(weight[order]) / weight.sum()
        ends = ((1 - CONFIDENCE) / 2, 0.5, (1 + CONFIDENCE) / 2)
        low, middle, high = (float(every[order][np.searchsorted(reached, q)]) for q in ends)
        much = max(SHOWN_OHM, float(problem.unknowns.sound_ohm[k]))
        shown = branch_id in own or any(f.shows(k, much) >= WOULD_SHOW for f in likely)
        found[branch_id] = Estimate(middle, low, high, faulty, shown)
    return found
