"""The one inference: all readings of a job against every fault of the catalogue and every unknown of the vehicle.

Every single fault is fitted, then those pairs and threes that the fits of the likeliest pull at. All are the same model with other
expectations (`unknowns`), so that how well each explains the readings, over all that its unknowns might be, can be compared. Branch
verdicts, milliohms, causes, doubts and the next reading are all read off this.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from scipy import special

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import BenchModel, Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.charge import loaded_voltages, may_have_stopped
from mavrik.core.findings.day import Day
from mavrik.core.findings.densities import log_student_density
from mavrik.core.findings.extent import Extent
from mavrik.core.findings.faults import BAD, NOTHING, UNKNOWN_KIND, bad_by, fault_table
from mavrik.core.findings.fit import fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis, hypotheses
from mavrik.core.findings.likelihood import slip_density
from mavrik.core.findings.lookalikes import fault_of
from mavrik.core.findings.phases import phases_equal
from mavrik.core.findings.searching import evidence_drawn, search
from mavrik.core.findings.starting import fit_nothing, where_it_ended
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import combine
from mavrik.core.operating.bench_states import AT_IDLE, IDLE_RPM, RUNNING, BenchState
from mavrik.core.procedures import Observation

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

LOOSE, FREEDOM = 2.0, 2.0
"""Where something is wrong that nobody thought of, readings lie so many times as far from what is expected, and any of them anywhere:
by Student's distribution of so few degrees of freedom. Our choice, no source."""

MOST_OTHERWISE, OTHERWISE_BETTER = 3, 1.0
"""So many of the likeliest are tried with what closes by itself otherwise than nothing broken has it, and all once more where one of them
then explains so much more, by the natural logarithm."""

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
    """That it has too much, is open, or does not block."""
    read: bool
    """Whether its drop was read, or the readings would show it if it had."""
    values: Floats = field(default_factory=lambda: np.zeros(0), compare=False, repr=False)
    """What it may be, in ascending order [ohm]."""
    shares: Floats = field(default_factory=lambda: np.zeros(0), compare=False, repr=False)
    """How likely each of those is; what lacks to one is that it is open."""

    def beyond(self, ohm: float) -> float:
        """How likely it is more than that, or open.

        ohm: excess [ohm]
        """
        return float(1 - self.shares[self.values <= ohm].sum())


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

    def bad_by(self, branch_id: str) -> dict[What, float]:
        """How likely a branch is bad, by what is wrong with it."""
        how = dict.fromkeys(BAD, 0.0)
        for cause, probability in self.by_cause.items():
            if what := bad_by(cause, branch_id):
                how[what] += probability
        return how


def at_idle(observations: Sequence[Observation]) -> list[Observation]:
    """The readings with pulley speeds brought to the engine speed that the catalogue speaks of.

    A pulley speed says something beside the engine's only: without that it is left out.
    """
    engine = next((o.measured for o in observations if o.point.id == "engine_rpm" and o.measured.value > 0), None)
    at_idle_points = []
    for o in observations:
        if o.point.indicator != "shaft":
            at_idle_points.append(o)
        elif engine is not None:
            ratio = IDLE_RPM / engine.value
            value, u = o.measured.value * ratio, o.measured.uncertainty * ratio
            at_idle_points.append(replace(o, measured=Measured(value, combine(u, value * engine.uncertainty / engine.value))))
    return at_idle_points


def weighed(observations: Sequence[Observation]) -> tuple[Observation, ...]:
    """The readings that speak of causes, and what was said of what none of them says.

    A reading and what somebody says of the same thing are not two: a set point that is high and never reached shows neither way.
    """
    every = [*at_idle(observations), *phases_equal(observations)]
    read = {o.point.id for o in every}
    return tuple(o for o in every if not o.point.own_rule and not o.point.said_by(read))


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
    evidence = weighed(observations)
    model = BenchModel(circuit, Day.of(circuit, observations))
    suspects = hypotheses(circuit, any(o.point.sense_wire for o in evidence))
    if not evidence:
        weights = np.array([h.weight for h in suspects])
        by_weight = [
            Candidate(h.causes, float(w), h, np.zeros(0), np.zeros(0))
            for h, w in zip(suspects, weights / weights.sum(), strict=True)
        ]
        ranked = sorted(by_weight, key=lambda c: -c.probability)
        return Posterior(model, evidence, tuple(ranked), _by_cause(ranked), np.zeros(0))
    asked_for_speed = [o.setup for o in evidence if o.setup.state in RUNNING - AT_IDLE]
    if asked_for_speed and all(s.engine_rpm is not None for s in asked_for_speed):
        # What it was is known.
        suspects = [h for h in suspects if not h.slow]
    # What only a reading that nobody took could show of the test itself is no cause of what was read.
    suspects = [h for h in suspects if not _of_no_reading(h, {o.setup.state for o in evidence})]
    problem, extent, found = _searched(_ways_it_ran(circuit, model, evidence, suspects[0]), suspects)
    model = problem.model
    nominal = model.predict([(o.point, o.setup) for o in evidence], suspects[:1])[0]
    fitted = evidence_drawn(found)
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


def _of_no_reading(suspect: Hypothesis, read: Collection[BenchState]) -> bool:
    """Whether a suspect is something of the test itself, in states in which nothing was read."""
    states = [c.states for c in suspect.changes]
    return bool(states) and fault_of(suspect).alone and all(s is not None and s.isdisjoint(read) for s in states)


Way = tuple[FitProblem, Fitted]
"""What closes and runs by itself as it may have been during the drop test, and nothing broken with it."""


def _ways_it_ran(circuit: Circuit, model: BenchModel, evidence: tuple[Observation, ...], sound: Hypothesis) -> list[Way]:
    """The problem with what closes and runs by itself as it may have been during the drop test: that first with which nothing broken
    explains most.

    Nobody notes whether a voltage link had closed or a DC-DC charger ran: that is as the readings have it. A charger that had no reason
    to stop ran, unless it is broken.
    """
    links = frozenset(b.id for b in circuit.branches if b.by_voltage and b.settable)
    loaded_v = loaded_voltages(evidence)
    chargers = frozenset(c.id for c in circuit.converters if may_have_stopped(circuit, c, model.day.rest_v, loaded_v))
    ways = [model]
    if (links or chargers) and any(o.setup.state is BenchState.AT_OUTPUT for o in evidence):
        # Left to its voltage a link would close with one set of causes and open with another, and those be weighed by that.
        sets = {frozenset[str](), links, chargers, links | chargers}
        ways = [BenchModel(circuit, model.day, True, idle) for idle in sorted(sets, key=sorted)]
    problems = [FitProblem.of(circuit, way, evidence) for way in ways]
    return sorted(((p, fit_nothing(p, sound)) for p in problems), key=lambda way: -way[1].log_evidence)


def _searched(ways: Sequence[Way], suspects: list[Hypothesis]) -> tuple[FitProblem, Extent, list[Fitted]]:
    """The sets of causes worth a closer look, fitted the way it ran: as nothing broken has it, or as the likeliest of them have it where
    that explains more.

    ways: the one first with which nothing broken explains most; suspects: single causes with nothing broken first
    """

    def by(way: Way) -> tuple[FitProblem, Extent, list[Fitted]]:
        problem, nothing = way
        extent = Extent.of(problem, nothing, suspects)
        return problem, extent, search(problem, nothing, suspects, extent)

    first = by(ways[0])
    near = sorted(first[2], key=lambda f: -f.log_evidence)[:MOST_OTHERWISE]
    best, other = near[0].log_evidence + OTHERWISE_BETTER, None
    for way in ways[1:]:
        trials = [f.trial.begun_at(start) for f in near for start in (where_it_ended(f), where_it_ended(way[1]))]
        so = max(f.log_evidence for f in fit_trials(way[0], trials))
        if so > best:
            best, other = so, way
    if other is None:
        return first
    again = by(other)
    return max((first, again), key=lambda found: max(f.log_evidence for f in found[2]))


def _not_in_the_catalogue(problem: FitProblem, nothing: Fitted, weight: float) -> Fitted:
    """Something that nobody thought of: readings lie anywhere round what a sound vehicle lets expect, each by itself."""
    sound = replace(nothing.trial.base, causes=(UNKNOWN,), weight=weight)
    trial = Trial((UNKNOWN,), sound, float(np.log(weight)))
    log_likelihoods = nothing.log_likelihoods.copy()
    seen, sigma = nothing.expected()
    log_likelihoods[problem.smooth] = log_student_density(problem.read - seen, LOOSE * sigma, FREEDOM)
    for k in problem.others.tolist():
        point = problem.evidence[k].point
        anywhere = 0.5 if point.kind.yes_or_no else slip_density(point) / fault_table().misread_share
        log_likelihoods[k] = max(log_likelihoods[k], float(np.log(anywhere)))
    return replace(
        nothing,
        trial=trial,
        hypothesis=sound,
        log_likelihoods=log_likelihoods,
        log_evidence=trial.log_prior + float(log_likelihoods.sum()),
    )


def _by_cause(candidates: Sequence[Candidate]) -> dict[str, float]:
    by_cause: dict[str, float] = defaultdict(float)
    for c in candidates:
        for cause in c.causes:
            by_cause[cause] += c.probability
    return dict(by_cause)


def _estimates(problem: FitProblem, candidates: Sequence[Candidate]) -> dict[str, Estimate]:
    """Every branch's excess over all fitted sets, each by its probability."""
    levels = (np.arange(QUANTILES) + 0.5) / QUANTILES
    normal = special.ndtri(levels)
    total = sum(c.probability for c in candidates)
    likely = [c.fitted for c in candidates if c.fitted and (c.probability >= LIKELY_SHARE * total or c.causes == (NOTHING,))]
    worth = [c for c in candidates if c.probability >= LEAST_SHARE_SHOWN * total or c.causes == (NOTHING,)]
    estimates = {}
    with_drops = {o.point.element for o in problem.evidence if o.point.quantity == "voltage_drop"}
    for k, branch_id in enumerate(problem.branch_ids):
        values, shares, faulty = [], [], 0.0
        for c in worth:
            assert c.fitted is not None
            share = c.probability / total
            how = {bad_by(cause, branch_id) for cause in c.causes} - {None}
            if how:
                faulty += share
            if What.OPEN in how:
                continue
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
        shown = branch_id in with_drops or any(f.shows(k, much) >= WOULD_SHOW for f in likely)
        estimates[branch_id] = Estimate(middle, low, high, faulty, shown, every[order], weight[order])
    return estimates
