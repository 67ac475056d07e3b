"""Which changes together reach a goal for the least money: an integer programme over what each does alone, asked of the network again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp

from mavrik.core.planning.figures import Figures

Floats = NDArray[np.float64]
Chosen = frozenset[str]

MOST_TRIES = 40
"""Sets that turn out to miss a goal when the network is asked; each is struck out and the next cheapest taken."""

MOST_LOOKED_AT = 2
"""Sets with the most to spare that the network is asked for: what adds up and what it says lie close."""

WORTH_A = 1e-3
"""Where the most is wanted, a change that gives less than a tenth of an ampere for a hundred is left out. Our choice, no source."""

NO_LIMIT = 1e12


def spare_a(figures: Figures) -> float:
    """What is to spare at a hot idle [A]; of an engine that never idles less than any other."""
    return -NO_LIMIT if figures.idle_surplus_a is None else figures.idle_surplus_a


@dataclass(frozen=True)
class Goals:
    """What a plan has to reach; None or False: not asked."""

    idle_surplus_a: float | None = None
    least_v: float | None = None
    day_holds: bool = False
    budget: float | None = None

    def met_by(self, figures: Figures, cost: float) -> bool:
        """Whether figures and cost reach all of it."""
        slack = 1e-9
        return (
            (self.idle_surplus_a is None or spare_a(figures) >= self.idle_surplus_a - slack)
            and (self.least_v is None or (figures.least_v or 0.0) >= self.least_v - slack)
            and (not self.day_holds or figures.day_holds)
            and (self.budget is None or cost <= self.budget + slack)
        )


@dataclass(frozen=True)
class Candidate:
    """A change, or two that only count together, with what it does alone."""

    ids: tuple[str, ...]
    groups: tuple[str, ...]
    cost: float
    figures: Figures


@dataclass(frozen=True)
class Settled:
    """What was chosen, what it comes to, and what it costs."""

    ids: Chosen
    figures: Figures
    cost: float


@dataclass
class Chooser:
    """Chooses among candidates; remembers what the network said of every set that it asked."""

    as_found: Figures
    candidates: Sequence[Candidate]
    ask: Callable[[Chosen], Settled | None]
    """What a set comes to; None where it cannot be made."""
    settled: dict[Chosen, Settled | None] = field(default_factory=dict)

    def settle(self, ids: Chosen) -> Settled | None:
        """What the network says of a set, asked once."""
        if ids not in self.settled:
            self.settled[ids] = self.ask(ids)
        return self.settled[ids]

    def cheapest(self, goals: Goals) -> Settled | None:
        """The cheapest set that reaches the goals; None where none was found.

        goals: what it has to reach
        What each change does alone is taken to add up; a set that then misses a goal on the network is struck out, and the next
        cheapest is tried. So what is returned does reach it; that nothing cheaper would is as sure as what adds up.
        Source: HiGHS through scipy.optimize.milp.
        """
        struck: list[tuple[int, ...]] = []
        for _ in range(MOST_TRIES):
            chosen = self._solve(goals, struck)
            if chosen is None:
                return None
            choice = self.settle(self._ids(chosen))
            if choice is not None and goals.met_by(choice.figures, choice.cost):
                return choice
            struck.append(chosen)
        return None

    def most(self, budget: float | None = None) -> Settled | None:
        """The set with the most to spare at a hot idle, within a budget; of equals the cheapest."""
        struck: list[tuple[int, ...]] = []
        best: Settled | None = None
        for _ in range(MOST_LOOKED_AT):
            chosen = self._solve(Goals(budget=budget), struck, gains=self._more(lambda f: f.idle_surplus_a or 0.0))
            if chosen is None:
                break
            choice = self.settle(self._ids(chosen))
            if choice is None or (budget is not None and choice.cost > budget):
                pass
            elif best is None or spare_a(choice.figures) > spare_a(best.figures):
                best = choice
            struck.append(chosen)
        return best

    def _ids(self, chosen: Iterable[int]) -> Chosen:
        return frozenset(i for k in chosen for i in self.candidates[k].ids)

    def _more(self, value: Callable[[Figures], float]) -> Floats:
        base = value(self.as_found)
        return np.array([value(c.figures) - base for c in self.candidates])

    def estimate(self, goals: Goals) -> float | None:
        """What the goals would cost if all changes added up, nothing asked of the network; None where nothing reaches them."""
        chosen = self._solve(goals, ())
        return None if chosen is None else sum(self.candidates[k].cost for k in chosen)

    def _solve(self, goals: Goals, struck: Sequence[tuple[int, ...]], gains: Floats | None = None) -> tuple[int, ...] | None:
        """The cheapest set by what adds up, or the one with most of what is wanted, by place; None where there is none."""
        if not self.candidates:
            return None if struck or not goals.met_by(self.as_found, 0.0) else ()
        cost = np.array([c.cost for c in self.candidates])
        rows: list[tuple[Floats, float, float]] = []
        for group in sorted({g for c in self.candidates for g in c.groups}):
            rows.append((np.array([float(group in c.groups) for c in self.candidates]), 0, 1))
        asks: tuple[tuple[float | None, Callable[[Figures], float]], ...] = (
            (goals.idle_surplus_a, lambda f: f.idle_surplus_a or 0.0),
            (goals.least_v, lambda f: f.least_v or 0.0),
            (0.0 if goals.day_holds else None, lambda f: f.worst_net_ah),
        )
        for least, value in asks:
            if least is not None:
                rows.append((self._more(value), least - value(self.as_found) - 1e-6, np.inf))
        if goals.budget is not None:
            rows.append((cost, 0, goals.budget))
        for excluded in struck:
            # Not this very set: one of it left out, or another taken in.
            inside = np.isin(np.arange(len(cost)), excluded)
            rows.append((np.where(inside, -1.0, 1.0), 1.0 - inside.sum(), np.inf))
        # Of two at one price, the one of fewer steps.
        aim = cost + 1e-3 if gains is None else cost * WORTH_A - gains
        solved = milp(
            aim,
            integrality=np.ones(len(cost)),
            bounds=Bounds(0, 1),
            constraints=LinearConstraint(np.array([r[0] for r in rows]), [r[1] for r in rows], [r[2] for r in rows]),
        )
        if solved.x is None:
            return None
        return tuple(k for k, on in enumerate(solved.x) if on > 0.5)
