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
from mavrik.core.findings.bench_model import At, Floats, Shift
from mavrik.core.findings.day_models import Models
from mavrik.core.findings.hypotheses import Change, Hypothesis, What, fault_table, metal_of
from mavrik.core.findings.likelihood import log_likelihood, scatter_terms, slip_density
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Observation, Setup

GATHERED, JUDGED = 1, 4
"""The network is solved again so often at most, as readings leave the lines they were taken to follow: while all of them pull, and after."""

FOLLOWED = 0.05
"""Lines that come so near what is solved, in standard deviations of the reading, have been followed far enough."""

FOLLOWED_FAR = 0.3
"""Readings that a branch moves little are found anew when their lines have moved them by so many standard deviations."""

HOPELESS = 25.0
"""A set whose likelihood is this far below the best, by its natural logarithm, is not waited for: it is 0.0 % whichever way it ends."""

TURNS, DAMPED_AFTER = 12, 6
"""So many steps at most along the same lines; the last ones are half as long."""

FAR_TIMES = 10.0
"""A reading this many times its scatter off pulls half as much as it otherwise would."""

CHARGE_STEP_V = 0.05
STEP_SHARE, STEP_OHM = 0.02, 2e-6
"""How far a resistance is moved to see what it does."""

MOST_LOG_STEP = 1.5
"""A magnitude that is open changes by no more than this factor's logarithm before the network is solved again."""

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
    terms: Floats
    """What each of them scatters, of itself and always (2, readings)."""

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
            np.array([scatter_terms(evidence[k].point, False) for k in smooth.tolist()]).reshape(-1, 2).T,
        )  # fmt: skip

    def scatter(self, seen: Floats, graded: NDArray[np.bool_]) -> Floats:
        """Standard deviation of the smooth readings without their meters' (trials, readings).

        seen: what each trial predicts; graded: trials with a device fault, which has the magnitude of a step of the catalogue
        """
        share, always = self.terms
        own = share * np.abs(seen) + always
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


@dataclass(frozen=True)
class _Place:
    """Where the unknowns of some trials are."""

    excess: Floats
    """Of every branch, beyond sound (trials, branches) [ohm]."""
    gain: Floats
    """Error of every run's output, of itself (trials, runs)."""
    charged: Floats
    """How much further each battery is charged (trials, batteries) [V]."""


class _Readings:
    """The smooth readings of some trials, on straight lines through the place where the network was last solved."""

    def __init__(self, problem: FitProblem, trials: Sequence[Trial]) -> None:
        self.problem = problem
        self.placed = [(problem.evidence[k].point, problem.evidence[k].setup) for k in problem.smooth.tolist()]
        self.bases = [_others(t.base) for t in trials]
        n, b, count = len(problem.branch_ids), len(problem.battery_ids), (len(trials), len(self.placed))
        self.lively = problem.lively
        self.quiet = np.setdiff1d(np.arange(len(self.placed)), self.lively)
        self._own, self._by_branch, self._by_charge = np.zeros(count), np.zeros((*count, n)), np.zeros((*count, b))
        self._before: dict[Setup, At] = {}
        self.solved, self.quiet_solved = np.zeros((len(trials), n)), np.zeros((len(trials), n))
        """The excess that the lines of lively and of quiet readings go through."""
        self._charged = np.zeros((len(trials), b))

    def solve(self, place: _Place, lively: bool, quiet: bool) -> None:
        """Draw the lines anew, of the readings that a branch moves much, of those it moves little, or of all."""
        problem = self.problem
        which = np.concatenate((self.lively if lively else [], self.quiet if quiet else [])).astype(np.int64)
        if len(which):
            shift = Shift(problem.branch_ids, place.excess, problem.battery_ids, place.charged if problem.battery_ids else None)
            found = problem.models.slopes([self.placed[k] for k in which.tolist()], self.bases, shift, self._before)
            for into, part in zip((self._own, self._by_branch, self._by_charge), found, strict=True):
                into[:, which] = np.nan_to_num(part)
        if lively:
            self.solved, self._charged = place.excess, place.charged
        if quiet:
            self.quiet_solved = place.excess

    def at(self, place: _Place) -> tuple[Floats, Floats, Floats]:
        """Values on the lines, and their slopes by branch and by charge."""
        charged = (place.charged - self._charged)[:, :, None]
        own = self._own.copy()
        for which, from_ in ((self.lively, self.solved), (self.quiet, self.quiet_solved)):
            own[:, which] += (self._by_branch[:, which] @ (place.excess - from_)[:, :, None])[:, :, 0]
            own[:, which] += (self._by_charge[:, which] @ charged)[:, :, 0]
        scale = 1.0 + place.gain @ self.problem.scaled.T
        return own * scale, self._by_branch * scale[:, :, None], self._by_charge * scale[:, :, None]


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

    def row(self, place: _Place) -> Floats:
        """Where they are."""
        excess = np.where(self.named, np.log(np.maximum(place.excess, 1e-9)), place.excess)
        return np.concatenate((excess, place.gain, place.charged), axis=1)

    def place(self, problem: FitProblem, row: Floats) -> _Place:
        """The same back again, no branch below a tenth of sound nor beyond what a meter shows."""
        n, g = len(problem.branch_ids), len(problem.runs)
        excess = np.where(self.named, np.minimum(np.exp(np.minimum(row[:, :n], 3.0)), LARGEST_OHM), row[:, :n])
        return _Place(np.maximum(excess, -0.9 * problem.sound_ohm), row[:, n : n + g], row[:, n + g :])

    def jacobian(self, problem: FitProblem, place: _Place, seen: Floats, by_branch: Floats, by_charge: Floats) -> Floats:
        """What each of them does to each reading (trials, readings, unknowns)."""
        return np.concatenate(
            (by_branch * np.where(self.named, place.excess, 1.0)[:, None, :], seen[:, :, None] * problem.scaled, by_charge),
            axis=2,
        )


class _Fit:
    """Some trials on their way to what fits best."""

    def __init__(self, problem: FitProblem, trials: Sequence[Trial]) -> None:
        self.problem, self.readings = problem, _Readings(problem, trials)
        self.read = problem.read
        self.meter = np.array([problem.evidence[k].measured.uncertainty / COVERAGE for k in problem.smooth.tolist()])
        self.slip = np.array([slip_density(p) for p, _ in self.readings.placed])
        named = np.array([[b in t.start for b in problem.branch_ids] for t in trials])
        start = [[max(t.start.get(b, 0.0), 1e-5) if b in t.start else 0.0 for b in problem.branch_ids] for t in trials]
        self.unknowns = _Unknowns.of(problem, named)
        self.graded = np.array([any(c.what is not What.OPEN for c in h.changes) for h in self.readings.bases])
        count = len(trials)
        self.place = _Place(np.array(start), np.zeros((count, len(problem.runs))), np.zeros((count, len(problem.battery_ids))))

    def scatter(self, seen: Floats) -> Floats:
        """Standard deviation of every reading, its meter's with it."""
        return np.asarray(np.hypot(self.problem.scatter(seen, self.graded), self.meter))

    def likely(self, off: Floats, sigma: Floats) -> tuple[Floats, Floats]:
        """How likely each reading is, and how likely it is then no slip."""
        share = fault_table().misread_share
        normal = (1 - share) * np.exp(-0.5 * (off / sigma) ** 2) / (sigma * np.sqrt(2 * np.pi))
        return normal + self.slip, normal / (normal + self.slip)

    def strain(self) -> Floats:
        """What the unknowns are away from where they were expected to be costs each trial, as a logarithm."""
        return -0.5 * np.asarray(
            (((self.unknowns.row(self.place) - self.unknowns.centre) / self.unknowns.width) ** 2).sum(axis=1)
        )

    def along_the_lines(self, gathering: bool) -> None:
        """Move the unknowns to what fits best as long as readings follow their lines.

        gathering: every reading pulls, the further off the less; otherwise one that may be a slip counts by how likely it is none
        """
        unknowns, width, n = self.unknowns, self.unknowns.width, len(self.problem.branch_ids)
        now, every = unknowns.row(self.place), np.arange(width.shape[1])
        solved = np.log(np.maximum(self.readings.solved, 1e-9))
        low, high = np.full_like(width, -np.inf), np.full_like(width, np.inf)
        low[:, :n] = np.where(unknowns.named, solved - MOST_LOG_STEP, -np.inf)
        high[:, :n] = np.where(unknowns.named, solved + MOST_LOG_STEP, np.inf)
        by_logarithm = np.zeros_like(width, dtype=np.bool_)
        by_logarithm[:, :n] = unknowns.named
        most = np.where(by_logarithm, MOST_LOG_STEP, MOST_TOLERANCES * width)
        for turn in range(TURNS):
            seen, by_branch, by_charge = self.readings.at(self.place)
            sigma, off = self.scatter(seen), self.read - seen
            sure = 1 / (1 + (off / sigma) ** 2 / FAR_TIMES**2) if gathering else self.likely(off, sigma)[1]
            weight = sure / sigma**2
            jacobian = unknowns.jacobian(self.problem, self.place, seen, by_branch, by_charge)
            curvature = np.swapaxes(jacobian, 1, 2) @ (weight[:, :, None] * jacobian)
            curvature[:, every, every] += 1 / width**2
            pull = (np.swapaxes(jacobian, 1, 2) @ (weight * off)[:, :, None])[:, :, 0] + (unknowns.centre - now) / width**2
            move = np.clip(np.linalg.solve(curvature, pull[:, :, None])[:, :, 0], -most, most)
            # One that goes round in a circle comes to rest in its middle.
            after = np.clip(now + move * (1.0 if turn < DAMPED_AFTER else 0.5), low, high)
            moved, now = np.abs(after - now) * np.sqrt(curvature[:, every, every]), after
            self.place = unknowns.place(self.problem, now)
            if float(moved.max()) < SETTLED:
                break

    def quiet_moved(self) -> bool:
        """Whether readings that a branch moves little have followed their lines far enough to be found anew."""
        far, quiet = self.place.excess - self.readings.quiet_solved, self.readings.quiet
        seen, by_branch, _ = self.readings.at(self.place)
        moved = (by_branch[:, quiet] @ far[:, :, None])[:, :, 0] / self.scatter(seen)[:, quiet]
        return bool(np.abs(moved).max(initial=0.0) > FOLLOWED_FAR)

    def solve(self, lively: bool = True, quiet: bool = False) -> bool:
        """Draw the readings' lines anew; whether all with some hope had followed them close enough to go no further."""
        expected = self.readings.at(self.place)[0]
        self.readings.solve(self.place, lively, quiet)
        found = self.readings.at(self.place)[0]
        sigma = self.scatter(found)
        likelihood = np.log(self.likely(self.read - found, sigma)[0]).sum(axis=1) + self.strain()
        hopeful = likelihood > likelihood.max() - HOPELESS
        return float((np.abs(found - expected) / sigma)[hopeful].max(initial=0.0)) < FOLLOWED


def fit_trials(problem: FitProblem, trials: Sequence[Trial]) -> list[Fitted]:
    """Fit sets of causes, all at once.

    problem: readings and branches; trials: the sets
    Source: iterated least squares with the priors as further readings, along straight lines that the solved network gives; a
    reading that may be a slip counts by how likely it is none.
    """
    if not trials:
        return []
    fit = _Fit(problem, trials)
    fit.solve(quiet=True)
    fit.along_the_lines(gathering=True)
    for _ in range(GATHERED):
        if fit.solve():
            break
        fit.along_the_lines(gathering=True)
    gathered = fit.place.excess
    # A sound branch is nowhere far from sound: what would need that is a slip of the probe from here on.
    far = SOUND_TOLERANCES * problem.tolerance_ohm
    fit.place = replace(fit.place, excess=np.where(fit.unknowns.named, gathered, np.clip(gathered, -far, far)))
    fit.solve(quiet=fit.quiet_moved())
    for _ in range(JUDGED):
        fit.along_the_lines(gathering=False)
        if fit.solve():
            break
    if fit.quiet_moved():
        fit.solve(lively=False, quiet=True)
    return _evidence(fit, trials, gathered)


def _evidence(fit: _Fit, trials: Sequence[Trial], gathered: Floats) -> list[Fitted]:
    """How well each set explains the readings once fitted, over all that its open values might be."""
    problem, unknowns, excess = fit.problem, fit.unknowns, fit.place.excess
    n, width = len(problem.branch_ids), unknowns.width
    seen, by_branch, by_charge = fit.readings.at(fit.place)
    jacobian, now = unknowns.jacobian(problem, fit.place, seen, by_branch, by_charge), unknowns.row(fit.place)
    hypotheses = [_with_excess(t.base, problem.branch_ids, e) for t, e in zip(trials, excess, strict=True)]
    placed = [(o.point, o.setup) for o in problem.evidence]
    others = [k for k in range(len(placed)) if k not in set(problem.smooth.tolist())]
    nothing = replace(trials[0].base, changes=(), indications={})
    rest = (
        problem.models.predict([placed[k] for k in others], [nothing, *hypotheses]) if others else np.zeros((len(trials) + 1, 0))
    )
    likelihoods_rest = log_likelihood([placed[k][0] for k in others], rest, [problem.evidence[k].measured for k in others])[1:]
    sigmas = fit.scatter(seen)
    likely, sure = fit.likely(fit.read - seen, sigmas)
    strain = fit.strain() - np.log(width).sum(axis=1)
    found = []
    for t, trial in enumerate(trials):
        sigma = sigmas[t]
        likelihoods_smooth, weight = np.log(likely[t]), sure[t] / sigma**2
        curvature = jacobian[t].T @ (weight[:, None] * jacobian[t])
        curvature[np.diag_indices(len(curvature))] += 1 / width[t] ** 2
        # Laplace: the constants of the priors' and the integral's normal densities cancel.
        _, logdet = np.linalg.slogdet(curvature)
        spread = np.sqrt(np.diag(np.linalg.inv(curvature)))[:n]
        log_likelihoods = np.zeros(len(placed))
        predicted = np.zeros(len(placed))
        log_likelihoods[problem.smooth], predicted[problem.smooth] = likelihoods_smooth, seen[t]
        log_likelihoods[others], predicted[others] = likelihoods_rest[t], rest[t + 1]
        log_evidence = trial.log_prior + float(log_likelihoods.sum()) + float(strain[t]) - 0.5 * float(logdet)
        scaled = by_branch[t] / sigma[:, None]
        charged = now[t, n + len(problem.runs) :]
        found.append(
            Fitted(
                trial, problem, excess[t], spread, unknowns.named[t], log_evidence, hypotheses[t], predicted, log_likelihoods, gathered[t], charged, scaled
            )
        )  # fmt: skip
    return found
