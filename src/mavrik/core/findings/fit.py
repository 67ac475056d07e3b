"""Fitting a set of causes: the resistances that explain all readings best with it, and how well they then do.

Every branch of metal has a resistance of its own. One that the set does not name lies near its sound value, within what length,
cable and joints differ by; one that it names has too much, how much is open. The clamp's error on the output is a further unknown
of each run: it moves all of that run's drops alike. Where there is more than one battery, what each takes of the output is known
from no voltage at rest, so that how much further each is charged is an unknown too.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import Floats, Shift
from mavrik.core.findings.day_models import Models
from mavrik.core.findings.hypotheses import Change, Hypothesis, What, fault_table, metal_of
from mavrik.core.findings.likelihood import log_likelihood, own_scatter, slip_density
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Observation, Setup

ROUNDS, GATHERING = 12, 5
"""So many rounds at most; in the first ones no reading is taken for a slip yet."""

FRESH = (0, GATHERING)
"""In these rounds what each branch does is found anew for all readings, in the others for those that a branch moves much."""

FAR_TIMES = 10.0
"""A reading this many times its scatter off pulls half as much as it otherwise would."""

CHARGE_STEP_V = 0.05
STEP_SHARE, STEP_OHM = 0.02, 2e-6
"""How far a resistance is moved to see what it does."""

MOST_LOG_STEP = 1.2
"""A magnitude that is open changes by no more than this factor's logarithm a round."""

MOST_TOLERANCES = 4.0
SOUND_TOLERANCES = 3.0
"""A branch called sound lies within so many standard deviations of its tolerance."""

MOST_SLOPE = 3.0
"""A drop that an ohm moves by more than so many times the output is no slope: currents divide, a second source adds at most as much."""

LARGEST_OHM = 2.0
SETTLED = 0.05
"""An unknown that moves by less of what its posterior is spread has settled."""

LOAD_SHARE = 0.1
"""What a load takes is known to about this. Our choice, no source."""

NO_READING = 1e-6

CHARGED_V = 1.0
"""How far one battery of several may be charged beyond another's state, for 12 V: standard deviation. Our choice, no source."""

OUTPUT_SHARE = 0.01
"""How well an output is known that nobody says the clamp of. Our choice, no source."""


@dataclass(frozen=True)
class Trial:
    """A set of causes to be fitted."""

    causes: tuple[str, ...]
    base: Hypothesis
    """With the changes of everything that is no resistance."""
    start: Mapping[str, float]
    """Excess to begin with, by branch, of those that the set names [ohm]."""
    log_prior: float


@dataclass(frozen=True)
class FitProblem:
    """What all sets of causes share: the readings, the branches, what each may differ by."""

    models: Models
    evidence: tuple[Observation, ...]
    branch_ids: tuple[str, ...]
    sound_ohm: Floats
    tolerance_ohm: Floats
    """Standard deviation of a sound branch."""
    smooth: NDArray[np.int64]
    """Which readings follow the branches' resistances."""
    runs: tuple[int, ...]
    """Those with a known output."""
    output_share: Floats
    """Standard uncertainty of each of those outputs, of itself."""
    scaled: NDArray[np.bool_]
    """Which smooth readings each run's output scales (readings, runs)."""
    battery_ids: tuple[str, ...]
    """Of a circuit with several batteries and readings at an output."""
    slack: Floats
    """Of each smooth reading, of itself: what it moves where loads take more than the document says, by `LOAD_SHARE`."""
    nominal: Floats
    """What each would be with nothing broken."""
    lively: NDArray[np.int64]
    """Which of the smooth readings a branch's resistance moves much."""

    @classmethod
    def of(cls, circuit: Circuit, models: Models, evidence: tuple[Observation, ...], nominal: Floats) -> FitProblem:
        """The problem of a circuit and its readings; nominal: what each would be with nothing broken."""
        table, metal = fault_table(), metal_of(circuit)
        sound = np.array([b.sound_resistance_ohm(20.0) for b in metal])
        smooth = np.array(
            [k for k, o in enumerate(evidence) if not o.point.kind.yes_or_no and not o.point.indicator], dtype=np.int64
        )
        at_output = [o for o in evidence if o.setup.state is BenchState.AT_OUTPUT]
        runs = tuple(sorted({o.run for o in at_output}))
        share = [
            max((o.setup.output_u or 0.0) / COVERAGE / (o.setup.output_a or 1.0), 0.0) or OUTPUT_SHARE
            for r in runs
            for o in [next(o for o in at_output if o.run == r)]
        ]
        scaled = np.array(
            [[evidence[k].run == r and evidence[k].setup.state is BenchState.AT_OUTPUT for r in runs] for k in smooth.tolist()],
            dtype=bool,
        ).reshape(len(smooth), len(runs))
        moved = np.abs(models.more_load(LOAD_SHARE, [(o.point, o.setup) for o in evidence]) - nominal)
        several = len(circuit.batteries) > 1 and bool(at_output)
        lively = [
            j
            for j, k in enumerate(smooth.tolist())
            if evidence[k].setup.state is BenchState.AT_OUTPUT or evidence[k].point.quantity in ("voltage_drop", "resistance")
        ]
        return cls(
            models, evidence, tuple(b.id for b in metal), sound,
            (table.sound_share * sound + table.sound_joint_ohm) / COVERAGE, smooth, runs, np.array(share), scaled,
            tuple(b.id for b in circuit.batteries) if several else (),
            np.clip(np.nan_to_num(moved / np.maximum(np.abs(nominal), NO_READING)), 0.0, 1.0)[smooth],
            np.nan_to_num(nominal)[smooth], np.array(lively, dtype=np.int64),
        )  # fmt: skip

    def scatter(self, seen: Floats, graded: NDArray[np.bool_]) -> Floats:
        """Standard deviation of the smooth readings without their meters' (trials, readings).

        seen: what each trial predicts; graded: trials with a device fault, which has the magnitude of a step of the catalogue
        """
        points = [self.evidence[k].point for k in self.smooth.tolist()]
        own = np.stack([own_scatter(p, seen[:, k], False) for k, p in enumerate(points)], axis=1)
        step = fault_table().scatter["magnitude_share"] * (seen - self.nominal) * graded[:, None]
        step[:, self.lively] = 0.0
        return np.asarray(np.sqrt(own**2 + (self.slack * seen) ** 2 + step**2))

    @property
    def read(self) -> Floats:
        """Values of the smooth readings."""
        return np.array([self.evidence[k].measured.value for k in self.smooth.tolist()])


@dataclass(frozen=True)
class Fitted:
    """A set of causes with the resistances that fit."""

    trial: Trial
    problem: FitProblem
    excess_ohm: Floats
    """Of every branch, beyond sound."""
    spread: Floats
    """Standard deviation of it; of its natural logarithm for the branches that the set names."""
    named: NDArray[np.bool_]
    log_evidence: float
    hypothesis: Hypothesis
    predicted: Floats
    log_likelihoods: Floats
    gathered_ohm: Floats
    """The excess while no reading was taken for a slip yet: where all readings together would pull it."""
    charged_v: Floats
    """How much further than the document says each of several batteries was charged."""
    slopes: Floats
    """What an ohm more in each branch does to each smooth reading, over its scatter (readings, branches)."""

    def excess_of(self, branch_id: str) -> float:
        """Of one branch [ohm]."""
        return float(self.excess_ohm[self.problem.branch_ids.index(branch_id)])

    def gathered(self, branch_id: str) -> float:
        """The same of one branch before any reading was taken for a slip [ohm]."""
        return float(self.gathered_ohm[self.problem.branch_ids.index(branch_id)])

    def pulled(self, times: float) -> list[str]:
        """Branches that the set does not name and the fit pulls above sound by so many tolerances, the furthest first."""
        pull = np.where(self.named, 0.0, self.gathered_ohm / self.problem.tolerance_ohm)
        order = np.argsort(-pull)
        return [self.problem.branch_ids[k] for k in order.tolist() if pull[k] > times]

    def quantiles(self, branch: int, normal: Floats) -> Floats:
        """Of a branch's excess, at quantiles of the standard normal distribution [ohm]."""
        middle, spread = self.excess_ohm[branch], self.spread[branch]
        if self.named[branch]:
            return np.asarray(middle * np.exp(np.clip(spread * normal, -5.0, 5.0)))
        return np.asarray(middle + spread * normal)

    def shows(self, branch: int, more_ohm: float) -> float:
        """By how many times their scatter the readings would move with so much more in a branch."""
        return float(np.linalg.norm(self.slopes[:, branch] * more_ohm))


def _with_excess(base: Hypothesis, branch_ids: Sequence[str], excess: Floats) -> Hypothesis:
    more = tuple(Change(What.MORE_OHM, b, float(r)) for b, r in zip(branch_ids, excess.tolist(), strict=True))
    return replace(base, changes=(*_others(base).changes, *more))


def _others(base: Hypothesis) -> Hypothesis:
    """A hypothesis without what it says of resistances."""
    return replace(base, changes=tuple(c for c in base.changes if c.what is not What.MORE_OHM))


class _Readings:
    """The smooth readings of some trials, and what every unknown does to them."""

    def __init__(self, problem: FitProblem, trials: Sequence[Trial]) -> None:
        self.problem = problem
        self.placed = [(problem.evidence[k].point, problem.evidence[k].setup) for k in problem.smooth.tolist()]
        self.bases = [_others(t.base) for t in trials]
        n, b, count = len(problem.branch_ids), len(problem.battery_ids), (len(trials), len(self.placed))
        self.lively, every = problem.lively, np.arange(len(self.placed))
        self.quiet = np.setdiff1d(every, self.lively)
        self.own, self.by_branch, self.by_charge = np.zeros(count), np.zeros((*count, n)), np.zeros((*count, b))
        self._lifts: dict[Setup, Floats] = {}
        self._excess = np.zeros((len(trials), n))
        """Where the quiet readings were found."""

    def at(self, excess: Floats, gain: Floats, charged: Floats, fresh: bool) -> tuple[Floats, Floats, Floats]:
        """Values with their slopes by branch and by charge; quiet ones follow their slopes unless all are to be found `fresh`.

        excess, gain, charged: of every trial
        """
        problem = self.problem
        which = np.arange(len(self.placed)) if fresh else self.lively
        if len(which):
            shift = Shift(problem.branch_ids, excess, problem.battery_ids, charged if problem.battery_ids else None)
            found = problem.models.slopes([self.placed[k] for k in which.tolist()], self.bases, shift, self._lifts)
            for into, part in zip((self.own, self.by_branch, self.by_charge), found, strict=True):
                into[:, which] = np.nan_to_num(part)
        if fresh:
            self._excess, self._fresh = excess, self.own[:, self.quiet]
        else:
            moved = self.by_branch[:, self.quiet] @ (excess - self._excess)[:, :, None]
            self.own[:, self.quiet] = self._fresh + moved[:, :, 0]
        scale = 1.0 + gain @ problem.scaled.T
        return self.own * scale, self.by_branch * scale[:, :, None], self.by_charge * scale[:, :, None]


@dataclass(frozen=True)
class _Unknowns:
    """What a fit may move, in one row a trial: excess, its logarithm where it is named, then outputs' errors and charges."""

    named: NDArray[np.bool_]
    """Which branches each trial names (trials, branches)."""
    centre: Floats
    width: Floats

    @classmethod
    def of(cls, problem: FitProblem, named: NDArray[np.bool_]) -> _Unknowns:
        """With their priors."""
        table, count = fault_table(), len(named)
        volts = problem.models.circuit.system_voltage_v / 12
        more = np.concatenate((problem.output_share, np.full(len(problem.battery_ids), CHARGED_V * volts)))
        return cls(
            named,
            np.concatenate((np.where(named, np.log(table.too_much_ohm), 0.0), np.zeros((count, len(more)))), axis=1),
            np.concatenate(
                (np.where(named, table.too_much_spread, problem.tolerance_ohm), np.broadcast_to(more, (count, len(more)))), axis=1
            ),
        )

    def row(self, excess: Floats, gain: Floats, charged: Floats) -> Floats:
        """Where they are."""
        return np.concatenate((np.where(self.named, np.log(np.maximum(excess, 1e-9)), excess), gain, charged), axis=1)

    def jacobian(self, problem: FitProblem, excess: Floats, seen: Floats, by_branch: Floats, by_charge: Floats) -> Floats:
        """What each of them does to each reading (trials, readings, unknowns)."""
        return np.concatenate(
            (by_branch * np.where(self.named, excess, 1.0)[:, None, :], seen[:, :, None] * problem.scaled, by_charge), axis=2
        )


def fit_trials(problem: FitProblem, trials: Sequence[Trial]) -> list[Fitted]:
    """Fit sets of causes, all at once.

    problem: readings and branches; trials: the sets
    Source: iterated least squares with the priors as further readings; a reading that may be a slip counts by how likely it is none.
    """
    if not trials:
        return []
    table = fault_table()
    n, g, count = len(problem.branch_ids), len(problem.runs), len(trials)
    readings = _Readings(problem, trials)
    read = problem.read
    meter = np.array([problem.evidence[k].measured.uncertainty / COVERAGE for k in problem.smooth.tolist()])
    slip = np.array([slip_density(p) for p, _ in readings.placed])
    named = np.array([[b in t.start for b in problem.branch_ids] for t in trials])
    excess = np.array([[max(t.start.get(b, 0.0), 1e-5) if b in t.start else 0.0 for b in problem.branch_ids] for t in trials])
    gain, charged, gathered = np.zeros((count, g)), np.zeros((count, len(problem.battery_ids))), excess
    graded = np.array([any(c.what is not What.OPEN for c in h.changes) for h in readings.bases])
    unknowns = _Unknowns.of(problem, named)
    width = unknowns.width
    by_logarithm: NDArray[np.bool_] = np.concatenate((named, np.zeros((count, width.shape[1] - n), dtype=np.bool_)), axis=1)
    most = np.where(by_logarithm, MOST_LOG_STEP, MOST_TOLERANCES * width)
    turn = 0
    while turn < ROUNDS:
        seen, by_branch, by_charge = readings.at(excess, gain, charged, turn in FRESH)
        sigma = np.hypot(problem.scatter(seen, graded), meter)
        off = read - seen
        normal = (1 - table.misread_share) * np.exp(-0.5 * (off / sigma) ** 2) / (sigma * np.sqrt(2 * np.pi))
        # At first every reading pulls, the further the less: one far off would otherwise count as a slip before it was tried.
        sure = normal / (normal + slip) if turn >= GATHERING else 1 / (1 + (off / sigma) ** 2 / FAR_TIMES**2)
        weight = sure / sigma**2
        jacobian = unknowns.jacobian(problem, excess, seen, by_branch, by_charge)
        now = unknowns.row(excess, gain, charged)
        curvature = np.swapaxes(jacobian, 1, 2) @ (weight[:, :, None] * jacobian)
        every = np.arange(width.shape[1])
        curvature[:, every, every] += 1 / width**2
        pull = (np.swapaxes(jacobian, 1, 2) @ (weight * off)[:, :, None])[:, :, 0] + (unknowns.centre - now) / width**2
        move = np.clip(np.linalg.solve(curvature, pull[:, :, None])[:, :, 0], -most, most)
        settled = float((np.abs(move) * np.sqrt(curvature[:, every, every])).max()) < SETTLED
        after = now + move
        excess = np.where(named, np.minimum(np.exp(np.minimum(after[:, :n], 3.0)), LARGEST_OHM), after[:, :n])
        excess = np.maximum(excess, -0.9 * problem.sound_ohm)
        gain, charged = after[:, n : n + g], after[:, n + g :]
        if turn < GATHERING:
            gathered = excess
            if settled or turn == GATHERING - 1:
                # A sound branch is nowhere far from sound: what would need that is a slip of the probe from here on.
                far = SOUND_TOLERANCES * problem.tolerance_ohm
                excess = np.where(named, excess, np.clip(excess, -far, far))
                turn = GATHERING - 1
        elif settled:
            break
        turn += 1
    seen, by_branch, by_charge = readings.at(excess, gain, charged, fresh=True)
    jacobian = unknowns.jacobian(problem, excess, seen, by_branch, by_charge)
    now = unknowns.row(excess, gain, charged)
    return _evidence(problem, trials, excess, gathered, unknowns, now, seen, by_branch, jacobian, meter, slip, graded)


def _evidence(
    problem: FitProblem,
    trials: Sequence[Trial],
    excess: Floats,
    gathered: Floats,
    unknowns: _Unknowns,
    now: Floats,
    seen: Floats,
    by_branch: Floats,
    jacobian: Floats,
    meter: Floats,
    slip: Floats,
    graded: NDArray[np.bool_],
) -> list[Fitted]:
    """How well each set explains the readings once fitted, over all that its open values might be."""
    table, n = fault_table(), len(problem.branch_ids)
    read, width, centre = problem.read, unknowns.width, unknowns.centre
    hypotheses = [_with_excess(t.base, problem.branch_ids, e) for t, e in zip(trials, excess, strict=True)]
    placed = [(o.point, o.setup) for o in problem.evidence]
    others = [k for k in range(len(placed)) if k not in set(problem.smooth.tolist())]
    nothing = replace(trials[0].base, changes=(), indications={})
    rest = (
        problem.models.predict([placed[k] for k in others], [nothing, *hypotheses]) if others else np.zeros((len(trials) + 1, 0))
    )
    likelihoods_rest = log_likelihood([placed[k][0] for k in others], rest, [problem.evidence[k].measured for k in others])[1:]
    sigmas = np.hypot(problem.scatter(seen, graded), meter)
    found = []
    for t, trial in enumerate(trials):
        sigma = sigmas[t]
        off = (read - seen[t]) / sigma
        normal = (1 - table.misread_share) * np.exp(-0.5 * off**2) / (sigma * np.sqrt(2 * np.pi))
        likelihoods_smooth = np.log(normal + slip)
        weight = normal / (normal + slip) / sigma**2
        curvature = jacobian[t].T @ (weight[:, None] * jacobian[t])
        curvature[np.diag_indices(len(curvature))] += 1 / width[t] ** 2
        prior = -0.5 * float((((now[t] - centre[t]) / width[t]) ** 2).sum()) - float(np.log(width[t]).sum())
        # Laplace: the constants of the priors' and the integral's normal densities cancel.
        _, logdet = np.linalg.slogdet(curvature)
        spread = np.sqrt(np.diag(np.linalg.inv(curvature)))[:n]
        log_likelihoods = np.zeros(len(placed))
        predicted = np.zeros(len(placed))
        log_likelihoods[problem.smooth], predicted[problem.smooth] = likelihoods_smooth, seen[t]
        log_likelihoods[others], predicted[others] = likelihoods_rest[t], rest[t + 1]
        log_evidence = trial.log_prior + float(log_likelihoods.sum()) + prior - 0.5 * float(logdet)
        scaled = by_branch[t] / sigma[:, None]
        charged = now[t, n + len(problem.runs) :]
        found.append(
            Fitted(
                trial, problem, excess[t], spread, unknowns.named[t], log_evidence, hypotheses[t], predicted, log_likelihoods, gathered[t], charged, scaled
            )
        )  # fmt: skip
    return found
