"""A set of causes that was fitted, and what it says."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.changes import SHARES, Change, What
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.measuring.uncertainty import COVERAGE


@dataclass(frozen=True)
class Fitted:
    """A set of causes with the unknowns that fit."""

    trial: Trial
    problem: FitProblem
    row: Floats
    """The unknowns, as amounts."""
    excess_ohm: Floats
    """Of every branch, beyond sound."""
    spread: Floats
    """Standard deviation of every unknown; of its natural logarithm for what the set has some of."""
    covariance: Floats
    by_logarithm: NDArray[np.bool_]
    log_evidence: float
    hypothesis: Hypothesis
    """With its changes at the magnitudes that fit."""
    predicted: Floats
    log_likelihoods: Floats
    pull: Floats
    """How far all readings together would pull each unknown, in standard deviations of what is expected, before any was taken for a slip."""
    slopes: Floats
    """What an ohm more in each branch does to each smooth reading, over its scatter (readings, branches)."""
    jacobian: Floats
    """What each unknown and each run's output does to each smooth reading."""
    away: Floats
    """How far each of them is from what was expected."""
    widths: Floats
    """What it was expected to differ by."""
    sigma: Floats
    """Standard deviation of each smooth reading with all of them known."""
    whole: Floats
    """Covariance of the unknowns and the runs' outputs."""
    lines: tuple[Floats, Floats]
    """The smooth readings as last solved, and what each unknown does to them."""
    outputs: float
    """Logarithm of how likely it is that the unit gave what was read at its output during the drops."""

    def or_better(self, again: Fitted) -> Fitted:
        """This one, or the same set fitted from elsewhere where that explains more; what it was first pulled by stays."""
        return replace(again, trial=self.trial, pull=self.pull) if again.log_evidence > self.log_evidence else self

    def expected(self) -> tuple[Floats, Floats]:
        """The smooth readings before any was read, and their standard deviations, each by itself."""
        seen = self.predicted[self.problem.smooth] - self.jacobian @ self.away
        return seen, np.asarray(np.sqrt(self.jacobian**2 @ self.widths**2 + self.sigma**2))

    def together(self) -> Floats:
        """How the smooth readings scatter together by all that is unknown, each over its own scatter (readings, readings)."""
        moved = self.jacobian * self.widths / self.sigma[:, None]
        return np.asarray(np.eye(len(moved)) + moved @ moved.T)

    def by_themselves(self, which: NDArray[np.bool_]) -> tuple[Floats, Floats]:
        """The unknowns by some of the smooth readings alone, along the same lines: how far each is from what was expected, and its spread."""
        moved = (self.jacobian * self.widths / self.sigma[:, None])[which]
        off = ((self.problem.read - self.expected()[0]) / self.sigma)[which]
        covariance = np.linalg.inv(np.eye(moved.shape[1]) + moved.T @ moved)
        return self.widths * (covariance @ (moved.T @ off)), self.widths * np.sqrt(np.diag(covariance))

    @property
    def charged_v(self) -> Floats:
        """How much further than the document says each of several batteries was charged."""
        return self.row[[k for k, (what, _) in enumerate(self.problem.unknowns.names) if what is What.CHARGED]]

    def quantiles(self, branch: int, normal: Floats) -> Floats:
        """Of a branch's excess, at quantiles of the standard normal distribution [ohm]."""
        middle, spread = self.excess_ohm[branch], self.spread[branch]
        if self.by_logarithm[branch]:
            return np.asarray(middle * np.exp(np.clip(spread * normal, -5.0, 5.0)))
        return np.asarray(middle + spread * normal)

    def between(self, change: Change) -> tuple[float, float, float]:
        """A change's amount as it fits, and the ends of its interval (coverage 2), in the unit of the change."""
        u = self.problem.unknowns
        k = u.place[change.what, change.element]
        sd = COVERAGE * float(self.spread[k])
        if self.by_logarithm[k]:
            middle = float(self.row[k])
            return middle, middle * float(np.exp(-sd)), middle * float(np.exp(sd))
        middle = float(self.row[k] - u.centre[k])
        if change.what in SHARES:
            return float(np.exp(middle)), float(np.exp(middle - sd)), float(np.exp(middle + sd))
        return middle, middle - sd, middle + sd

    def shows(self, branch: int, more_ohm: float) -> float:
        """By how many times their scatter the readings would move with so much more in a branch."""
        return float(np.linalg.norm(self.slopes[:, branch] * more_ohm))
