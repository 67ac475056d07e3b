"""Fitting a set of causes: the resistances that explain all readings best with it, and how well they then do.

Every branch of metal has a resistance of its own. One that the set does not name lies near its sound value, within what length,
cable and joints differ by; one that it names has too much, how much is open. The clamp's error on the output is a further unknown
of each run: it moves all of that run's drops alike.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.hypotheses import Change, Hypothesis, What, fault_table, metal_of
from mavrik.core.findings.likelihood import log_likelihood, own_scatter, slip_density
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Observation

if TYPE_CHECKING:
    from mavrik.core.findings.inference import Models

ROUNDS, GATHERING = 10, 5
"""So many rounds at most; in the first ones no reading is taken for a slip yet."""

FAR_TIMES = 10.0
"""A reading this many times its scatter off pulls half as much as it otherwise would."""

STEP_SHARE, STEP_OHM = 0.02, 2e-6
"""How far a resistance is moved to see what it does."""

MOST_LOG_STEP = 1.2
"""A magnitude that is open changes by no more than this factor's logarithm a round."""

MOST_TOLERANCES = 4.0
LARGEST_OHM = 2.0
SETTLED = 1e-3

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

    @classmethod
    def of(cls, circuit: Circuit, models: Models, evidence: tuple[Observation, ...]) -> FitProblem:
        """The problem of a circuit and its readings."""
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
        return cls(
            models, evidence, tuple(b.id for b in metal), sound,
            (table.sound_share * sound + table.sound_joint_ohm) / COVERAGE, smooth, runs, np.array(share), scaled,
        )  # fmt: skip

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
    told: Floats
    gathered_ohm: Floats
    """The excess while no reading was taken for a slip yet: where all readings together would pull it."""
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
    own = tuple(c for c in base.changes if c.what is not What.MORE_OHM)
    more = tuple(Change(What.MORE_OHM, b, float(r)) for b, r in zip(branch_ids, excess.tolist(), strict=True))
    return replace(base, changes=(*own, *more))


def fit_trials(problem: FitProblem, trials: Sequence[Trial]) -> list[Fitted]:
    """Fit sets of causes, all at once.

    problem: readings and branches; trials: the sets
    Source: iterated least squares with the priors as further readings; a reading that may be a slip counts by how likely it is none.
    """
    if not trials:
        return []
    table = fault_table()
    n, g, count = len(problem.branch_ids), len(problem.runs), len(trials)
    placed = [(o.point, o.setup) for o in problem.evidence]
    smooth = problem.smooth
    smooth_placed = [placed[k] for k in smooth.tolist()]
    read = problem.read
    meter = np.array([problem.evidence[k].measured.uncertainty / COVERAGE for k in smooth.tolist()])
    slip = np.array([slip_density(p) for p, _ in smooth_placed])
    named = np.array([[b in t.start for b in problem.branch_ids] for t in trials])
    excess = np.array([[max(t.start.get(b, 0.0), 1e-5) if b in t.start else 0.0 for b in problem.branch_ids] for t in trials])
    gain, gathered = np.zeros((count, g)), excess
    # Unknowns: excess of sound branches, its logarithm for named ones, then the outputs' errors.
    centre = np.concatenate((np.where(named, np.log(table.too_much_ohm), 0.0), np.zeros((count, g))), axis=1)
    width = np.concatenate(
        (np.where(named, table.too_much_spread, problem.tolerance_ohm), np.broadcast_to(problem.output_share, (count, g))), axis=1
    )

    def predicted(excess: Floats, gain: Floats) -> tuple[Floats, Floats]:
        """Smooth readings of every trial, and what each branch's excess does to them (trials, readings, branches)."""
        step = STEP_SHARE * (problem.sound_ohm + np.maximum(excess, 0.0)) + STEP_OHM
        rows = [
            _with_excess(t.base, problem.branch_ids, e)
            for t, own, h in zip(trials, excess, step, strict=True)
            for e in (own, *(own + np.diag(h)))
        ]
        answers = problem.models.predict(smooth_placed, rows).reshape(count, n + 1, len(smooth))
        answers = np.nan_to_num(answers)
        slopes = (answers[:, 1:] - answers[:, :1]) / step[:, :, None]
        scale = 1.0 + gain @ problem.scaled.T
        return answers[:, 0] * scale, np.swapaxes(slopes, 1, 2) * scale[:, None, :].swapaxes(1, 2)

    for turn in range(ROUNDS):
        seen, slopes = predicted(excess, gain)
        sigma = np.stack(
            [np.hypot(own_scatter(p, seen[:, k], False), meter[k]) for k, (p, _) in enumerate(smooth_placed)], axis=1
        )
        off = read - seen
        normal = (1 - table.misread_share) * np.exp(-0.5 * (off / sigma) ** 2) / (sigma * np.sqrt(2 * np.pi))
        # At first every reading pulls, the further the less: one far off would otherwise count as a slip before it was tried.
        sure = normal / (normal + slip) if turn >= GATHERING else 1 / (1 + (off / sigma) ** 2 / FAR_TIMES**2)
        weight = sure / sigma**2
        jacobian = np.concatenate((slopes * np.where(named, excess, 1.0)[:, None, :], seen[:, :, None] * problem.scaled), axis=2)
        now = np.concatenate((np.where(named, np.log(np.maximum(excess, 1e-9)), excess), gain), axis=1)
        curvature = np.swapaxes(jacobian, 1, 2) @ (weight[:, :, None] * jacobian)
        curvature[:, np.arange(n + g), np.arange(n + g)] += 1 / width**2
        pull = (np.swapaxes(jacobian, 1, 2) @ (weight * off)[:, :, None])[:, :, 0] + (centre - now) / width**2
        move = np.linalg.solve(curvature, pull[:, :, None])[:, :, 0]
        most = np.where(np.concatenate((named, np.zeros((count, g), dtype=bool)), axis=1), MOST_LOG_STEP, MOST_TOLERANCES * width)
        move = np.clip(move, -most, most)
        after = now + move
        excess = np.where(named, np.minimum(np.exp(np.minimum(after[:, :n], 3.0)), LARGEST_OHM), after[:, :n])
        excess = np.maximum(excess, -0.9 * problem.sound_ohm)
        gain = after[:, n:]
        if turn < GATHERING:
            gathered = excess
        if turn >= GATHERING and (np.abs(move) / width).max() < SETTLED:
            break
    seen, slopes = predicted(excess, gain)
    return _evidence(problem, trials, excess, gain, gathered, named, centre, width, seen, slopes, meter, slip)


def _evidence(
    problem: FitProblem,
    trials: Sequence[Trial],
    excess: Floats,
    gain: Floats,
    gathered: Floats,
    named: NDArray[np.bool_],
    centre: Floats,
    width: Floats,
    seen: Floats,
    slopes: Floats,
    meter: Floats,
    slip: Floats,
) -> list[Fitted]:
    """How well each set explains the readings once fitted, over all that its open values might be."""
    table, n = fault_table(), len(problem.branch_ids)
    read = problem.read
    hypotheses = [_with_excess(t.base, problem.branch_ids, e) for t, e in zip(trials, excess, strict=True)]
    placed = [(o.point, o.setup) for o in problem.evidence]
    others = [k for k in range(len(placed)) if k not in set(problem.smooth.tolist())]
    nothing = replace(trials[0].base, changes=(), indications={})
    rest = (
        problem.models.predict([placed[k] for k in others], [nothing, *hypotheses]) if others else np.zeros((len(trials) + 1, 0))
    )
    told_rest = log_likelihood([placed[k][0] for k in others], rest, [problem.evidence[k].measured for k in others])[1:]
    found = []
    for t, trial in enumerate(trials):
        points = [placed[k][0] for k in problem.smooth.tolist()]
        sigma = np.array([float(np.hypot(own_scatter(p, seen[t, k : k + 1], False)[0], meter[k])) for k, p in enumerate(points)])
        off = (read - seen[t]) / sigma
        normal = (1 - table.misread_share) * np.exp(-0.5 * off**2) / (sigma * np.sqrt(2 * np.pi))
        told_smooth = np.log(normal + slip)
        weight = normal / (normal + slip) / sigma**2
        jacobian = np.concatenate((slopes[t] * np.where(named[t], excess[t], 1.0), seen[t][:, None] * problem.scaled), axis=1)
        curvature = jacobian.T @ (weight[:, None] * jacobian)
        curvature[np.diag_indices(len(curvature))] += 1 / width[t] ** 2
        now = np.concatenate((np.where(named[t], np.log(np.maximum(excess[t], 1e-9)), excess[t]), gain[t]))
        prior = -0.5 * float((((now - centre[t]) / width[t]) ** 2).sum()) - float(np.log(width[t]).sum())
        # Laplace: the constants of the priors' and the integral's normal densities cancel.
        _, logdet = np.linalg.slogdet(curvature)
        spread = np.sqrt(np.diag(np.linalg.inv(curvature)))[:n]
        told = np.zeros(len(placed))
        predicted = np.zeros(len(placed))
        told[problem.smooth], predicted[problem.smooth] = told_smooth, seen[t]
        told[others], predicted[others] = told_rest[t], rest[t + 1]
        log_evidence = trial.log_prior + float(told.sum()) + prior - 0.5 * float(logdet)
        scaled = slopes[t] / sigma[:, None]
        found.append(
            Fitted(trial, problem, excess[t], spread, named[t], log_evidence, hypotheses[t], predicted, told, gathered[t], scaled)
        )
    return found
