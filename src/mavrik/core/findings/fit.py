"""Fitting a set of causes: the values of all unknowns that explain the readings best with it, and how well they then do.

Every unknown of the vehicle has an expectation, which the causes of the set move and widen; each run's output, read by a clamp, is an
unknown more. All readings speak at once, each along a straight line through the solved network, drawn anew as the unknowns move. The
evidence of a set is how likely it makes the readings over all that its unknowns might be: what a vehicle may differ in by itself
needs no fault, and readings that one unknown moves together count once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import special

from mavrik.core.effort import spend
from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import What
from mavrik.core.findings.densities import normal_density
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.likelihood import log_likelihood, slip_density
from mavrik.core.findings.outputs import outputs_likely
from mavrik.core.findings.unknowns import least_of
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import RUNNING, BenchState

JUDGED = 6
"""The network is solved again so often at most once slips are judged."""

GAINED = 0.15
"""A set whose likelihood a further step is expected to raise by less, by its natural logarithm, has come to rest."""

FAR_GAIN = 0.1
"""Of what a set is still behind the best after a step, so much more has to be gained by it: it is the less likely for that."""

LEFT = 0.02
"""What the last step is expected to raise it by less is left: of a probability a fiftieth of itself."""

HOPELESS = 20.0
"""A set whose likelihood is this far below the best, by its natural logarithm, is not waited for: it is 0.0 % whichever way it ends."""

HARDLY = 100.0
"""The same before slips are judged."""

TURNS, DAMPED_AFTER = 10, 5
"""So many steps at most along the same lines; the last ones are half as long."""

FAR_TIMES = 10.0
"""A reading this many times its scatter off pulls half as much as it otherwise would."""

MOST_LOG_STEP = 1.5
"""A magnitude that is open changes by no more than this factor's logarithm before the network is solved again."""

MOST_WIDTHS = 2.5
SOUND_WIDTHS = 3.0
"""What is called sound lies within so many standard deviations of what is expected of it."""

WORTH_PARTING = 0.8
"""Trials that have settled are left alone once so few still move."""

LEAST_RADIUS = 0.02
LARGEST_OHM = 2.0
SETTLED = 0.05
"""An unknown that moves by less of what its posterior is spread has settled."""

FIT_WORK = 0.008
"""What a set counts for beside solving its network, for each reading by the square of the unknowns; measured, rough."""

AT_ONCE = 2**17
"""Of all unknowns on all readings of all trials together: 1 MB of which there are a few at once."""

LEAST_AMOUNT = 1e-9
"""Of what a fault has some of: it has a logarithm."""

BEYOND = 2000.0
"""No reading of any bench is beyond this, in the unit of its quantity, a shaft's speed aside."""


class Fit:
    """Some trials on their way to what fits best."""

    def __init__(self, problem: FitProblem, trials: Sequence[Trial]) -> None:
        self.problem, self.trials, u = problem, list(trials), problem.unknowns
        self.placed = [(problem.evidence[k].point, problem.evidence[k].setup) for k in problem.smooth.tolist()]
        self.read = problem.read
        self.meter = np.array([problem.evidence[k].measured.uncertainty / COVERAGE for k in problem.smooth.tolist()])
        self.all = np.arange(len(self.placed))
        self.bent = np.array(
            [k for k, (_, setup) in enumerate(self.placed) if setup.state in RUNNING or setup.state is BenchState.AT_OUTPUT],
            dtype=np.int64,
        )
        self.most = np.array([np.inf if p.quantity == "speed" else BEYOND for p, _ in self.placed])
        self.slip = np.array(
            [slip_density(problem.evidence[k].point, problem.evidence[k].measured) for k in problem.smooth.tolist()]
        )
        centre, width, self.log = u.priors([t.base for t in trials])
        centre = centre + problem.offset
        count, gains, readings = len(trials), len(problem.runs), len(self.placed)
        self.loads = u.place[What.LISTED_SHARE, problem.model.circuit.battery.id]
        self.n, self.size = len(u.branch_ids), len(u)
        self.centre = np.concatenate((centre, np.zeros((count, gains))), axis=1)
        self.width = np.concatenate((width, np.broadcast_to(problem.output_share, (count, gains))), axis=1)
        self.now = self._begun()
        # No load gives, and nothing takes less than nothing.
        floor = {
            What.ANOTHERS_A: 0.0,
            What.MORE_LOAD_A: 0.0,
            What.CONSUMERS_A: 0.0,
            What.SLIP: 0.0,
        }
        asleep = {(What.DRAIN_A, battery): -amps for battery, amps in u.asleep_a.items()}
        lowest = [asleep.get(name, floor.get(name[0], -np.inf)) for name in u.names]
        least = np.concatenate((lowest, np.full(gains, -np.inf)))
        self.least = np.where(self.logs, -np.inf, least)
        self.step = np.where(self.logs, MOST_LOG_STEP, MOST_WIDTHS * self.width)
        self.radius = np.ones(count)
        self.solved = self.now.copy()
        """Where the lines go through."""
        self.predicted, self.by = np.zeros((count, readings)), np.zeros((count, readings, self.size))
        self.best = np.full(count, -np.inf)
        self.whole = np.zeros(count, dtype=bool)
        """Whether where a trial was best all of its lines were drawn, not only those with corners."""
        self.at_best = (self.now.copy(), self.predicted.copy(), self.by.copy())

    @property
    def logs(self) -> NDArray[np.bool_]:
        """Which are by their logarithm, the outputs' errors among them (trials, unknowns)."""
        return np.concatenate((self.log, np.zeros((len(self.log), len(self.problem.runs)), dtype=bool)), axis=1)

    def _begun(self) -> Floats:
        """Where each trial begins: where another one ended, but for what its own causes change."""
        begun, u = self.centre.copy(), self.problem.unknowns
        voltages = [k for k, (what, _) in enumerate(u.names) if what in (What.EMF, What.CHARGE) and self.problem.offset.any()]
        begun[:, voltages] = 0.0
        for row, t in enumerate(self.trials):
            if t.start is None:
                continue
            moved = {u.at(c.what, c.element) for c in t.base.changes} - t.kept
            others = np.array([k not in moved for k in range(begun.shape[1])])
            begun[row, others] = np.where(self.logs[row], np.log(np.maximum(t.start, LEAST_AMOUNT)), t.start)[others]
        return begun

    def amounts(self, now: Floats, rows: NDArray[np.int64]) -> Floats:
        """The unknowns of some trials as amounts, no branch below a tenth of sound nor beyond what a meter shows."""
        values = now[:, : self.size]
        in_units = np.where(self.log[rows], np.exp(np.minimum(values, 3.0)), values)
        branches = np.minimum(in_units[:, : self.n], LARGEST_OHM)
        in_units[:, : self.n] = np.maximum(branches, -0.9 * self.problem.unknowns.sound_ohm)
        return np.asarray(in_units)

    def _there(self, rows: NDArray[np.int64]) -> tuple[Floats, Floats, Floats]:
        """Of some trials where they are, along the lines: amounts, readings as the network has them, and what those are multiplied by."""
        now = self.now[rows]
        amounts, there = self.amounts(now, rows), self.amounts(self.solved[rows], rows)
        predicted = self.predicted[rows] + (self.by[rows] @ (amounts - there)[:, :, None])[:, :, 0]
        return amounts, predicted, self.scale(now)

    def scale(self, now: Floats) -> Floats:
        """What readings at a known output are multiplied by: by their output's error, and by what the loads leave (trials, readings)."""
        return np.asarray(1.0 + now[:, self.size :] @ self.problem.scaled.T + now[:, [self.loads]] * self.problem.by_loads)

    def seen(self, rows: NDArray[np.int64]) -> Floats:
        """Readings of some trials where they are, along the lines."""
        _, predicted, scale = self._there(rows)
        return predicted * scale

    def lines(self, rows: NDArray[np.int64]) -> tuple[Floats, Floats]:
        """Readings of some trials where they are, along the lines, and what each unknown does to them."""
        amounts, predicted, scale = self._there(rows)
        jacobian = np.empty((*predicted.shape, self.size + len(self.problem.runs)))
        inside, outputs = jacobian[:, :, : self.size], jacobian[:, :, self.size :]
        np.multiply(self.by[rows], np.where(self.log[rows], amounts, 1.0)[:, None, :], out=inside)
        inside *= scale[:, :, None]
        inside[:, :, self.loads] += predicted * self.problem.by_loads
        np.multiply(predicted[:, :, None], self.problem.scaled, out=outputs)
        return predicted * scale, jacobian

    def scatter(self, seen: Floats) -> Floats:
        """Standard deviation of every reading, its meter's with it."""
        return np.asarray(np.hypot(self.problem.scatter(seen), self.meter))

    def likely(self, off: Floats, sigma: Floats) -> tuple[Floats, Floats]:
        """How likely each reading is, and how likely it is then no slip."""
        share = fault_table().misread_share
        normal = (1 - share) * normal_density(off, sigma)
        return normal + self.slip, normal / (normal + self.slip)

    def objective(self, rows: NDArray[np.int64]) -> Floats:
        """Logarithm of how likely the readings and the unknowns of some trials are together, along the lines."""
        seen = self.seen(rows)
        strain = -0.5 * (((self.now[rows] - self.centre[rows]) / self.width[rows]) ** 2).sum(axis=1)
        return np.asarray(np.log(self.likely(self.read - seen, self.scatter(seen))[0]).sum(axis=1) + strain)

    def solve(self, rows: NDArray[np.int64], bent_alone: bool = False) -> None:
        """Draw the lines of some trials anew where they are, and keep what is better than before.

        bent_alone: only of readings in states that have corners; the others have followed theirs from nearby
        """
        if not len(rows):
            return
        which = self.bent if bent_alone else self.all
        if bent_alone:
            straight = np.setdiff1d(self.all, which)
            moved = (self.amounts(self.now[rows], rows) - self.amounts(self.solved[rows], rows))[:, :, None]
            self.predicted[np.ix_(rows, straight)] += (self.by[np.ix_(rows, straight)] @ moved)[:, :, 0]
        predicted, by = self.problem.model.slopes(
            [self.placed[k] for k in which.tolist()],
            [self.trials[k].base for k in rows.tolist()],
            self.amounts(self.now[rows], rows),
        )
        # A known output that has nowhere to go: no meter shows that, and nothing follows from how it moves.
        beyond = ~(np.abs(predicted) < self.most[which])
        by[beyond] = 0.0
        self.predicted[np.ix_(rows, which)] = np.clip(np.nan_to_num(predicted), -self.most[which], self.most[which])
        self.by[np.ix_(rows, which)] = np.nan_to_num(by)
        self.solved[rows] = self.now[rows]
        reached = self.objective(rows)
        better = reached > self.best[rows]
        self.radius[rows] = np.where(better, np.minimum(2 * self.radius[rows], 1.0), 0.3 * self.radius[rows])
        up = rows[better]
        self.best[up], self.whole[up] = reached[better], not bent_alone
        for into, part in zip(self.at_best, (self.now, self.predicted, self.by), strict=True):
            into[up] = part[up]

    def twice(self, rows: NDArray[np.int64]) -> NDArray[np.int64]:
        """Some trials a second time, from where they are, whatever was best before; returns where those are."""
        more = np.arange(len(self.trials), len(self.trials) + len(rows))
        self.trials += [self.trials[k] for k in rows.tolist()]
        for name in ("centre", "width", "log", "now", "least", "step", "radius", "solved", "predicted", "by", "best", "whole"):
            values = getattr(self, name)
            setattr(self, name, np.concatenate((values, values[rows])))
        best = (self.now, self.predicted, self.by)
        self.at_best = tuple(np.concatenate((a, b[rows])) for a, b in zip(self.at_best, best, strict=True))  # type: ignore[assignment]
        self.best[more] = self.objective(more)
        self.radius[more] = 1.0
        return more

    def ahead(self, rows: NDArray[np.int64]) -> tuple[Floats, Floats]:
        """By how much the likelihood of some trials should rise with the step they are about to take, and how far behind the best they
        will be then, both by the natural logarithm."""
        gain = self.objective(rows) - self.best[rows]
        return gain, np.maximum(self.best.max(initial=-np.inf) - self.best[rows] - gain, 0.0)

    def back_to_the_best(self, rows: NDArray[np.int64]) -> None:
        """Go on from where some trials were best."""
        now, predicted, by = self.at_best
        self.now[rows], self.solved[rows], self.predicted[rows], self.by[rows] = now[rows], now[rows], predicted[rows], by[rows]

    def along_the_lines(self, rows: NDArray[np.int64], gathering: bool) -> None:
        """Move the unknowns of some trials to what fits best as long as readings follow their lines.

        gathering: every reading pulls, the further off the less; otherwise one that may be a slip counts by how likely it is none
        """
        # Some at a time: what has to be looked through at each turn then stays where a processor has it at hand.
        at_once = max(1, AT_ONCE // (len(self.read) * self.now.shape[1] or 1))
        for k in range(0, len(rows), at_once):
            self._along(rows[k : k + at_once], gathering)

    def _along(self, rows: NDArray[np.int64], gathering: bool) -> None:
        width, centre, step = self.width[rows], self.centre[rows], self.step[rows]
        room = step * self.radius[rows][:, None] * (4.0 if gathering else 1.0)
        low, high = np.maximum(self.solved[rows] - room, self.least[rows]), self.solved[rows] + room
        every = np.arange(width.shape[1])
        for turn in range(TURNS):
            now = self.now[rows]
            seen, jacobian = self.lines(rows)
            sigma, off = self.scatter(seen), self.read - seen
            sure = 1 / (1 + (off / sigma) ** 2 / FAR_TIMES**2) if gathering else self.likely(off, sigma)[1]
            root = np.sqrt(sure) / sigma
            jacobian *= root[:, :, None]
            turned = np.swapaxes(jacobian, 1, 2)
            curvature = turned @ jacobian
            curvature[:, every, every] += 1 / width**2
            pull = (turned @ (root * off)[:, :, None])[:, :, 0] + (centre - now) / width**2
            move = np.clip(np.linalg.solve(curvature, pull[:, :, None])[:, :, 0], -step, step)
            # One that goes round in a circle comes to rest in its middle.
            after = np.clip(now + move * (1.0 if turn < DAMPED_AFTER else 0.5), low, high)
            self.now[rows] = after
            moving = (np.abs(after - now) * np.sqrt(curvature[:, every, every])).max(axis=1, initial=0.0) >= SETTLED
            if not moving.any():
                break
            if moving.sum() < WORTH_PARTING * len(rows):
                rows, width, centre, step, low, high = (a[moving] for a in (rows, width, centre, step, low, high))


def fit_trials(problem: FitProblem, trials: Sequence[Trial], gathering: bool = True, hardly: float = HARDLY) -> list[Fitted]:
    """Fit sets of causes, all at once.

    problem: readings and unknowns; trials: the sets; hardly: how far behind the best of them one may be before slips are judged, by the
    natural logarithm of its likelihood
    gathering: whether all readings pull before any is taken for a slip; otherwise a set goes on from where another one ended
    Source: iterated least squares with the expectations as further readings, along straight lines that the solved network gives, no
    step kept that explains less; a reading that may be a slip counts by how likely it is none.
    """
    if not trials:
        return []
    _spend_on(problem, len(trials))
    fit, every = Fit(problem, trials), np.arange(len(trials))
    fit.solve(every)
    fit.radius[:] = 1.0
    pull, live = np.zeros_like(fit.now), every
    left = every[:0]
    if gathering:
        pull, live = _gathered(fit, hardly)
        left = _left_behind(fit, live)
        _spend_on(problem, len(left))
        live = np.concatenate((live, fit.twice(left)))
    every = np.arange(len(fit.trials))
    for _ in range(JUDGED):
        fit.back_to_the_best(live)
        fit.along_the_lines(live, gathering=False)
        gain, behind = fit.ahead(live)
        live = live[(gain > GAINED + FAR_GAIN * behind) & (behind < HOPELESS) & (fit.radius[live] > LEAST_RADIUS)]
        if not len(live):
            break
        fit.solve(live, bent_alone=True)
    fit.back_to_the_best(every)
    # Once more in every state, and along those lines: what was straight nearby may not have been straight that far.
    rows = np.flatnonzero(fit.best > fit.best.max() - HOPELESS)
    followed = rows[~fit.whole[rows]]
    fit.best[followed] = -np.inf
    fit.solve(followed)
    fit.radius[rows] = 1.0
    fit.along_the_lines(rows, gathering=False)
    gain, behind = fit.ahead(rows)
    fit.solve(rows[gain > LEFT + FAR_GAIN * behind])
    fit.back_to_the_best(every)
    evidence = _evidence(fit, np.concatenate((pull, pull[left])))
    for k, f in zip(left.tolist(), evidence[len(trials) :], strict=True):
        evidence[k] = evidence[k].or_better(f)
    return evidence[: len(trials)]


def _spend_on(problem: FitProblem, trials: int) -> None:
    spend(FIT_WORK * trials * len(problem.smooth) * len(problem.unknowns) ** 2)


def _left_behind(fit: Fit, live: NDArray[np.int64]) -> NDArray[np.int64]:
    """Trials that explain less where all readings pulled them to than where they began, to go on from there as well: halfway to a large
    resistance nothing fits, and beyond it everything."""
    here = fit.objective(live)
    return live[(here < fit.best[live]) & (here > fit.best[live] - HOPELESS)]


def _gathered(fit: Fit, hardly: float) -> tuple[Floats, NDArray[np.int64]]:
    """Let all readings pull; returns how far each unknown went, and which trials are worth going on with."""
    every = np.arange(len(fit.trials))
    fit.along_the_lines(every, gathering=True)
    fit.solve(every)
    fit.radius[:] = 1.0
    fit.along_the_lines(every, gathering=True)
    pull = (fit.now - fit.centre) / fit.width
    # What is sound is nowhere far from sound: what would need that is a slip of the probe from here on.
    far = SOUND_WIDTHS * fit.width
    fit.now = np.where(fit.logs, fit.now, np.clip(fit.now, fit.centre - far, fit.centre + far))
    hopeful = np.maximum(fit.objective(every), fit.best)
    live = np.flatnonzero(hopeful > hopeful.max() - hardly)
    fit.solve(live)
    fit.radius[:] = 1.0
    return pull, live


def _evidence(fit: Fit, pull: Floats) -> list[Fitted]:
    """How well each set explains the readings once fitted, over all that its unknowns might be.

    Source: Laplace's approximation (MacKay, Information Theory, Inference, and Learning Algorithms, ch. 27, from memory).
    """
    problem, trials, u = fit.problem, fit.trials, fit.problem.unknowns
    every = np.arange(len(trials))
    seen, jacobian = fit.lines(every)
    amounts = fit.amounts(fit.now, every)
    placed = [(o.point, o.setup) for o in problem.evidence]
    others = problem.others.tolist()
    bases = [replace(trials[0].base, changes=(), indications={}, noticed={}), *(t.base for t in trials)]
    looked = np.zeros((len(bases), len(others)))
    if others:
        looked = problem.model.predict([placed[k] for k in others], bases, np.concatenate((amounts[:1], amounts)))
    by_eye = log_likelihood([placed[k][0] for k in others], looked, [problem.evidence[k].measured for k in others])[1:]
    sigmas = fit.scatter(seen)
    likely, sure = fit.likely(fit.read - seen, sigmas)
    strain = -0.5 * (((fit.now - fit.centre) / fit.width) ** 2).sum(axis=1)
    least, side = least_of(u, [t.base for t in trials])
    least += problem.offset
    # Each unknown in its standard deviations: nothing is then known less than before, however sharply another is.
    half = jacobian * (np.sqrt(sure) / sigmas)[:, :, None] * fit.width[:, None, :]
    curvature = np.swapaxes(half, 1, 2) @ half
    unknowns = np.arange(curvature.shape[1])
    curvature[:, unknowns, unknowns] += 1.0
    # The constants of the priors' and the integral's normal densities cancel, and so do the widths.
    logdet = np.linalg.slogdet(curvature)[1]
    covariances = np.linalg.inv(curvature) * fit.width[:, :, None] * fit.width[:, None, :]
    spreads = np.sqrt(covariances[:, unknowns, unknowns])[:, : fit.size]
    # Of what fits only what is on the fault's side is the fault.
    outputs = outputs_likely(problem, amounts).tolist()
    beyond = (special.log_ndtr(side * (fit.now[:, : fit.size] - least) / spreads) * (side != 0)).sum(axis=1)
    evidence = []
    for t, trial in enumerate(trials):
        covariance, spread = covariances[t], spreads[t]
        log_likelihoods, predicted = np.zeros(len(placed)), np.zeros(len(placed))
        log_likelihoods[problem.smooth], predicted[problem.smooth] = np.log(likely[t]), seen[t]
        log_likelihoods[problem.others], predicted[problem.others] = by_eye[t], looked[t + 1]
        made = Fitted(
            trial=trial,
            problem=problem,
            row=amounts[t],
            excess_ohm=amounts[t, : fit.n],
            spread=spread,
            covariance=covariance[: fit.size, : fit.size],
            by_logarithm=fit.log[t],
            log_evidence=trial.log_prior
            + float(log_likelihoods.sum())
            + float(strain[t])
            - 0.5 * float(logdet[t])
            + float(beyond[t])
            + outputs[t],
            hypothesis=trial.base,
            predicted=predicted,
            log_likelihoods=log_likelihoods,
            pull=pull[t, : fit.size],
            slopes=jacobian[t, :, : fit.n] / np.where(fit.log[t, : fit.n], amounts[t, : fit.n], 1.0) / sigmas[t][:, None],
            jacobian=jacobian[t],
            away=fit.now[t] - fit.centre[t],
            widths=fit.width[t],
            sigma=sigmas[t],
            whole=covariance,
            lines=(fit.predicted[t], fit.by[t]),
            outputs=outputs[t],
        )
        changes = tuple(
            c if u.at(c.what, c.element) is None else replace(c, amount=made.between(c)[0]) for c in trial.base.changes
        )
        evidence.append(replace(made, hypothesis=replace(trial.base, changes=changes)))
    return evidence
