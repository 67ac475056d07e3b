"""The one inference: all readings of a job against every fault of the catalogue and the resistance of every branch.

First every fault is tried at a grid of magnitudes, each reading by itself; that finds the few sets of causes worth a closer look.
Those are then fitted: every branch has a resistance of its own, near its sound one unless the set says otherwise, all readings
speak at once, and how well a set explains them after the fit is its evidence. Branch verdicts, milliohms, causes, doubts and
the next reading are all read off this.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations

import numpy as np
from scipy import special, stats

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.day_models import Models, rest_voltages
from mavrik.core.findings.fit import FitProblem, Fitted, Trial, fit_trials
from mavrik.core.findings.hypotheses import NOTHING, Hypothesis, What, also_share, both, hypotheses
from mavrik.core.findings.likelihood import log_likelihood
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import IDLE_RPM, BenchState
from mavrik.core.procedures import Observation

FIRSTS, SECONDS = 4, 12
"""So many of the likeliest causes are tried beside so many others."""

PAIRS = 96
"""So many of those pairs are solved."""

CLOSER = 10
"""So many sets of causes are fitted, and as many pairs of causes that pull at each other."""

AMONG = 5
"""Of so many branches that all readings together pull above sound, every two are tried."""

GROWN = 3
"""So many of the best sets are grown by what their fit pulls at, so often."""

MOST_CAUSES = 3

PULLED = 1.0
"""A branch that a fit pulls so many times its tolerance above sound may have too much."""

CONFIDENCE = 0.95
QUANTILES = 41

WOULD_SHOW = 3.0
"""A branch is read where too much in it would move the readings by so many times what they scatter."""

LIKELY_SHARE = 0.05
"""Sets of at least this share of the probability, and the sound circuit, are asked for that."""

SHOWN_OHM = 0.002
"""As much too much as has to show, or as much again as a sound one has, whichever is more."""

ALONE = frozenset({BenchState.KEY_ON, BenchState.CRANKING, BenchState.BATTERY_LOAD})
"""States in which nothing charges."""

UNREAD_V = 0.15
"""Standard deviation of a battery's voltage at rest that nobody read, for 12 V: from two thirds charged to full. Our choice."""


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

    models: Models
    evidence: tuple[Observation, ...]
    candidates: tuple[Candidate, ...]
    """The likeliest first; nothing broken is always among them."""
    by_cause: dict[str, float]
    nominal: Floats
    """What every reading would be with all as the document has it."""
    estimates: dict[str, Estimate] = field(default_factory=dict)
    """By branch id; empty where no drop was read."""

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


def _as_charged(circuit: Circuit, of: Observation, observations: Sequence[Observation]) -> Observation:
    """A voltage that a battery gives by itself is known no better than how charged the battery is, where nobody read that."""
    by_battery = of.point.quantity == "voltage" and of.setup.state in ALONE
    if not by_battery or rest_voltages(circuit, observations):
        return of
    u = float(np.hypot(of.measured.uncertainty, COVERAGE * UNREAD_V * circuit.system_voltage_v / 12))
    return replace(of, measured=Measured(of.measured.value, u))


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
    evidence = tuple(_as_charged(circuit, o, observations) for o in at_idle(observations) if not o.point.own_rule)
    placed = [(o.point, o.setup) for o in evidence]
    points, measured = [o.point for o in evidence], [o.measured for o in evidence]
    models = Models(circuit, observations)
    suspects = hypotheses(circuit)
    predicted = models.predict(placed, suspects)
    log_likelihoods = log_likelihood(points, predicted, measured)
    weights = np.log([h.weight for h in suspects]) + log_likelihoods.sum(axis=1)
    if evidence:
        pairs = _pairs(suspects, log_likelihoods, weights, predicted, evidence)
        # The first row is the circuit with nothing broken: what faults are measured against.
        more = models.predict(placed, [suspects[0], *pairs])
        also = log_likelihood(points, more, measured)[1:]
        suspects = [*suspects, *pairs]
        predicted, log_likelihoods = np.concatenate((predicted, more[1:])), np.concatenate((log_likelihoods, also))
        weights = np.concatenate((weights, np.log([h.weight for h in pairs]) + also.sum(axis=1)))
    share = special.softmax(weights)
    of_set: dict[tuple[str, ...], float] = defaultdict(float)
    for h, p in zip(suspects, share.tolist(), strict=True):
        of_set[h.causes] += p
    best_row: dict[tuple[str, ...], int] = {}
    for k in np.argsort(-weights).tolist():
        best_row.setdefault(suspects[k].causes, k)
    grid = [Candidate(c, of_set[c], suspects[k], predicted[k], log_likelihoods[k]) for c, k in best_row.items()]
    grid.sort(key=lambda c: -c.probability)
    if any(o.point.quantity == "voltage_drop" for o in evidence):
        return _closer(circuit, models, evidence, grid)
    return Posterior(models, evidence, tuple(grid), _by_cause(grid), predicted[0])


def _by_cause(candidates: Sequence[Candidate]) -> dict[str, float]:
    found: dict[str, float] = defaultdict(float)
    for c in candidates:
        for cause in c.causes:
            found[cause] += c.probability
    return dict(found)


def _pairs(
    suspects: list[Hypothesis], log_likelihoods: Floats, weights: Floats, predicted: Floats, evidence: Sequence[Observation]
) -> list[Hypothesis]:
    """Two causes at once: the likeliest at their likeliest magnitude, beside each other suspect at all of its own.

    Those go on to be solved that explain the readings best as if what the two do to each reading just added up.
    """
    # What explains some reading far better than nothing broken does may be half of the truth, however it ranks alone.
    half = weights + np.maximum(log_likelihoods - log_likelihoods[0], 0).sum(axis=1)
    firsts = _best_of_each(suspects, weights, FIRSTS)
    seconds = {suspects[k].causes for k in _best_of_each(suspects, half, SECONDS)}
    found: list[tuple[int, int]] = []
    for k, i in enumerate(firsts):
        before = {suspects[j].causes for j in firsts[: k + 1]}
        found += [(i, j) for j, b in enumerate(suspects) if b.causes in seconds and b.causes not in before]
    if not found:
        return []
    first, second = np.array(found).T
    added = np.nan_to_num(predicted[first] + predicted[second] - predicted[0])
    points, measured = [o.point for o in evidence], [o.measured for o in evidence]
    guessed = log_likelihood(points, np.concatenate((predicted[:1], added)), measured)[1:].sum(axis=1)
    prior = np.log(
        [suspects[i].weight * suspects[j].weight * also_share((*suspects[i].causes, *suspects[j].causes)) for i, j in found]
    )
    best = np.sort(np.argsort(-(guessed + prior))[:PAIRS])
    return [both(suspects[found[k][0]], suspects[found[k][1]]) for k in best.tolist()]


def _best_of_each(suspects: list[Hypothesis], weights: Floats, count: int) -> list[int]:
    """The likeliest hypothesis of each of the likeliest causes, nothing broken aside."""
    best: dict[str, int] = {}
    for k in np.argsort(-weights).tolist():
        cause = suspects[k].causes[0]
        if cause != NOTHING:
            best.setdefault(cause, k)
    return list(best.values())[:count]


def _closer(circuit: Circuit, models: Models, evidence: tuple[Observation, ...], grid: list[Candidate]) -> Posterior:
    """Fit the likeliest sets of causes, and those that their fits pull towards."""
    single: dict[str, float] = defaultdict(float)
    rows: dict[str, int] = defaultdict(int)
    for h in hypotheses(circuit):
        single[h.causes[0]] += h.weight
        rows[h.causes[0]] += 1
    nominal = next(c for c in grid if c.causes == (NOTHING,)).predicted
    problem = FitProblem.of(circuit, models, evidence, nominal)
    known: dict[frozenset[str], Fitted] = {}
    grid_of = {frozenset(c.causes): c for c in grid}

    def trial(causes: tuple[str, ...], start: dict[str, float], base: Hypothesis) -> Trial:
        # A device at the magnitude the grid liked best has that magnitude's share of its weight.
        weight = 1.0
        for cause in causes:
            weight *= single[cause] / (1 if cause.startswith("resistance:") else rows[cause])
        return Trial(causes, base, start, float(np.log(weight * also_share(causes))))

    def started(candidate: Candidate) -> Trial:
        start = {c.element: c.amount for c in candidate.hypothesis.changes if c.what is What.MORE_OHM}
        return trial(candidate.causes, start, candidate.hypothesis)

    singles = [c for c in grid if len(c.causes) == 1]
    pairs = [c for c in grid if len(c.causes) > 1]
    chosen = {frozenset(c.causes): c for c in (*singles[:CLOSER], *pairs[:CLOSER])}
    chosen[frozenset((NOTHING,))] = grid_of[frozenset((NOTHING,))]
    for f in fit_trials(problem, [started(c) for c in chosen.values()]):
        known[frozenset(f.trial.causes)] = f
    nothing = known[frozenset((NOTHING,))]
    among = nothing.pulled(PULLED)[:AMONG]
    together = [
        trial(
            (f"resistance:{a}", f"resistance:{b}"),
            {a: max(nothing.gathered(a), SHOWN_OHM), b: max(nothing.gathered(b), SHOWN_OHM)},
            nothing.trial.base,
        )
        for a, b in combinations(among, 2)
    ]
    for f in fit_trials(problem, [t for t in together if frozenset(t.causes) not in known]):
        known[frozenset(f.trial.causes)] = f
    for _ in range(MOST_CAUSES):
        grown: list[Trial] = []
        for f in _worth_growing(known):
            causes = tuple(c for c in f.trial.causes if c != NOTHING)
            for branch_id in f.pulled(PULLED)[:GROWN]:
                more = (*causes, f"resistance:{branch_id}")
                if frozenset(more) in known or any(frozenset(g.causes) == frozenset(more) for g in grown):
                    continue
                start = {**{b: f.excess_of(b) for b in f.trial.start}, branch_id: max(f.gathered(branch_id), SHOWN_OHM)}
                grown.append(trial(more, start, f.trial.base))
        if not grown:
            break
        for f in fit_trials(problem, grown):
            known[frozenset(f.trial.causes)] = f
    fitted = list(known.values())
    within = special.softmax([f.log_evidence for f in fitted])
    left = [c for c in grid if frozenset(c.causes) not in known]
    tail = sum(c.probability for c in left)
    candidates = [
        Candidate(f.trial.causes, float(p) * (1 - tail), f.hypothesis, f.predicted, f.log_likelihoods, f)
        for f, p in zip(fitted, within, strict=True)
    ]
    ranked = sorted([*candidates, *left], key=lambda c: -c.probability)
    return Posterior(models, evidence, tuple(ranked), _by_cause(ranked), nominal, _estimates(problem, candidates))


def _worth_growing(known: Mapping[frozenset[str], Fitted]) -> list[Fitted]:
    """The best sets that pull at a branch they do not name, and the best of those that are contacts alone.

    A fork whose drop is beyond what one bad way of it can give is log_likelihoods by two: then neither of them ranks by itself.
    """
    able = [f for f in known.values() if f.pulled(PULLED) and sum(c != NOTHING for c in f.trial.causes) < MOST_CAUSES]
    ranked = sorted(able, key=lambda f: -f.log_evidence)
    contacts = [f for f in ranked if all(c.startswith("resistance:") for c in f.trial.causes)]
    return [*ranked[:GROWN], *(f for f in contacts[:GROWN] if f not in ranked[:GROWN])]


def _estimates(problem: FitProblem, candidates: Sequence[Candidate]) -> dict[str, Estimate]:
    """Every branch's excess over all fitted sets, each by its probability."""
    levels = (np.arange(QUANTILES) + 0.5) / QUANTILES
    normal = stats.norm.ppf(levels)
    total = sum(c.probability for c in candidates)
    likely = [c.fitted for c in candidates if c.fitted and (c.probability >= LIKELY_SHARE * total or c.causes == (NOTHING,))]
    found = {}
    own = {o.point.element for o in problem.evidence if o.point.quantity == "voltage_drop"}
    for k, branch_id in enumerate(problem.branch_ids):
        values, shares, faulty = [], [], 0.0
        for c in candidates:
            assert c.fitted is not None
            share = c.probability / total
            if f"open:{branch_id}" in c.causes:
                faulty += share
                continue
            if f"resistance:{branch_id}" in c.causes:
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
        much = max(SHOWN_OHM, float(problem.sound_ohm[k]))
        shown = branch_id in own or any(f.shows(k, much) >= WOULD_SHOW for f in likely)
        found[branch_id] = Estimate(middle, low, high, faulty, shown)
    return found
