"""Laying out the work: nobody promised anything that cannot be, little is moved, and all of it as early as it can be."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import inf
from typing import Any

from mavrik.core.scheduling.demand import Task
from mavrik.core.scheduling.documents import Placed
from mavrik.core.scheduling.first_fit import Spot, earliest_of, first_fit, stays_at
from mavrik.core.scheduling.hours import Hours
from mavrik.core.scheduling.workshop import IN_BAY, TaskKind, Workshop

LATE, MOVED, SHIFTED, OTHER_PLACE = 40, 16, 2, 4
"""What a quarter of an hour late, a move, each quarter moved, and another bay or another person weigh, in quarters that something is
done earlier. So nothing moves only to be earlier, and an hour late weighs as much as forty hours earlier. Our choice."""
SEARCH_S = 3.5
"""Longest search [s]. Our choice: the best until then is what is proposed."""
CANNOT_BE = "There is no way to lay this out: what is pinned is in its own way, or it takes more people than there are."
NONE_FOUND = "No way to lay this out was found in the time there was: take something off, or try again."
SEARCHERS = 8
"""Ways of searching that run side by side and tell one another what they find. Measured: forty jobs in four bays are laid out within a
tenth of the best, where one way alone stays at thrice of it."""

Key = tuple[int, TaskKind]


@dataclass(frozen=True)
class Layout:
    """Where the work was put."""

    placed: tuple[Placed, ...]
    cost: float
    """Weighed as above."""
    bound: float
    """Nothing weighs less than that."""

    @property
    def proven(self) -> bool:
        """Whether nothing better can be."""
        return self.cost <= self.bound + 0.5


class CannotBeError(ValueError):
    """No way to lay the work out, whatever is moved."""


@dataclass(frozen=True)
class SearchProgress:
    """How far the search is."""

    share: float
    """Of the time it may take."""
    cost: float
    bound: float


def lay_out(
    tasks: Sequence[Task],
    before: Sequence[Placed],
    workshop: Workshop,
    hours: Hours,
    now: datetime,
    search_s: float = SEARCH_S,
    watch: Callable[[SearchProgress], bool] | None = None,
) -> Layout:
    """Put every piece of work into a bay, to people and at a time.

    tasks: the work that is left; before: where it stood, to be moved little; workshop, hours: its means and its working time, the first
    quarter no later than now; now: the time; search_s: longest search [s]; watch: told of every better one, and answers whether to go on
    What is pinned stays in its bay at its time. Of all else the sum is least of: quarters late after the day of the promise, moves, and
    when each piece of work is over, weighed with LATE, MOVED, SHIFTED and OTHER_PLACE; what has begun is moved if it does not go on now.
    Raises CannotBeError where pinned work excludes itself, more hands are wanted than there are, or nothing was found in the time.
    Source: job-shop scheduling as constraint programming with optional intervals, the way that the documentation of OR-tools lays it out;
    what weighs how much is our choice.

    >>> from datetime import date
    >>> from mavrik.core.scheduling.demand import JobWork, Piece, tasks_of
    >>> from mavrik.core.scheduling.hours import working_hours
    >>> from mavrik.core.scheduling.workshop import usual_workshop
    >>> shop = usual_workshop()
    >>> jobs = [JobWork(k, f"26-000{k}", "Van", (Piece(TaskKind.FIT, 240),), promised=date(2026, 11, 30)) for k in (1, 2, 3)]
    >>> monday = datetime(2026, 11, 30, 8)
    >>> done = lay_out(tasks_of(jobs), (), shop, working_hours(shop, monday.date(), 14), monday)
    >>> sorted(str(p.begins.time()) for p in done.placed), done.proven
    (['08:00:00', '08:00:00', '13:00:00'], True)
    """
    from ortools.sat.python import cp_model  # a second to load, and only who lays work out needs it

    if not tasks:
        return Layout((), 0.0, 0.0)
    model = cp_model.CpModel()
    known, first = {p.key: p for p in before}, hours.first_from(now)
    drawn = _Drawing(model, tasks, known, workshop, hours, first)
    model.minimize(drawn.cost())
    spots = first_fit(tasks, known, workshop, hours, first)
    drawn.begin_with(spots)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = search_s
    solver.parameters.num_workers = SEARCHERS

    class Watch(cp_model.CpSolverSolutionCallback):
        def on_solution_callback(self) -> None:
            if watch and not watch(
                SearchProgress(min(1.0, self.wall_time / search_s), self.objective_value, self.best_objective_bound)
            ):
                self.stop_search()

    status = solver.solve(model, Watch())
    if status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        chosen = {t.key: drawn.spot(t, solver) for t in tasks}
        return Layout(drawn.placed(chosen), solver.objective_value, solver.best_objective_bound)
    if status == cp_model.INFEASIBLE:
        raise CannotBeError(CANNOT_BE)
    if status != cp_model.UNKNOWN:
        raise RuntimeError(f"The solver refuses the model: {solver.status_name(status)}, {model.validate()}")
    # Too slow a machine to begin: what was put together first is a layout too, and nobody knows how good.
    if len(spots) < len(tasks):
        raise CannotBeError(NONE_FOUND)
    return Layout(drawn.placed(spots), inf, 0.0)


class _Drawing:
    """The work as variables and what must hold of them."""

    def __init__(
        self, model: Any, tasks: Sequence[Task], before: Mapping[Key, Placed], workshop: Workshop, hours: Hours, now: int
    ) -> None:
        self.model, self.tasks, self.before, self.workshop, self.hours, self.now = model, tasks, before, workshop, hours, now
        self.open = len(hours.starts)
        self.start: dict[Key, Any] = {}
        self.end: dict[Key, Any] = {}
        self.bay: dict[Key, dict[str, Any]] = {}
        self.people: dict[Key, dict[str, Any]] = {}
        self.whole: dict[Key, Any] = {}
        self.in_bay: dict[str, list[Any]] = {b.id: [] for b in workshop.bays}
        self.on_person: dict[str, list[Any]] = {w.id: [] for w in workshop.people}
        for t in tasks:
            self._place(t)
        self._in_order()
        self._one_at_a_time()

    def _place(self, t: Task) -> None:
        model, key, n = self.model, t.key, t.quarters
        old = self.before.get(key)
        name = f"{key[0]}:{key[1]}"
        fixed = stays_at(old, self.hours, self.now)
        if fixed is not None:
            start = model.new_constant(fixed)
        else:
            start = model.new_int_var(min(earliest_of(t, self.hours, self.now), self.open), self.open, name)
        end = model.new_int_var(0, self.open + n, f"{name}:end")
        model.add(end == start + n)
        self.start[key], self.end[key] = start, end
        self.whole[key] = model.new_interval_var(start, n, end, f"{name}:whole")
        if t.piece.kind in IN_BAY:
            self.bay[key] = {b.id: model.new_bool_var(f"{name}:{b.id}") for b in self.workshop.bays}
            model.add_exactly_one(self.bay[key].values())
            for b, here in self.bay[key].items():
                self.in_bay[b].append(model.new_optional_interval_var(start, n, end, here, f"{name}:in:{b}"))
            if fixed is not None and old and old.bay in self.bay[key]:
                model.add(self.bay[key][old.bay] == 1)
        self.people[key] = {w.id: model.new_bool_var(f"{name}:{w.id}") for w in self.workshop.people}
        model.add(sum(self.people[key].values()) == t.piece.people)
        for w, on in self.people[key].items():
            self.on_person[w].append(model.new_optional_interval_var(start, n, end, on, f"{name}:by:{w}"))

    def _in_order(self) -> None:
        for t in self.tasks:
            kinds = [p.kind for p in t.work.pieces]
            for kind in kinds[: kinds.index(t.piece.kind)]:
                if (before := self.end.get((t.work.job_id, kind))) is not None:
                    self.model.add(self.start[t.key] >= before)

    def _one_at_a_time(self) -> None:
        for there in self.in_bay.values():
            self.model.add_no_overlap(there)
        for worker in self.workshop.people:
            away = [
                self.model.new_fixed_size_interval_var(first, n, f"{worker.id}:away:{first}")
                for first, n in _runs(k for k, at in enumerate(self.hours.starts) if not worker.is_there(at))
            ]
            self.model.add_no_overlap([*self.on_person[worker.id], *away])
        for tool in self.workshop.tools:
            using = [self._using(t, last) for t in self.tasks if (last := tool.wanted(t.piece.kind, t.quarters))]
            if len(using) > tool.count:
                self.model.add_cumulative(using, [1] * len(using), tool.count)

    def _using(self, t: Task, last: int) -> Any:
        """When a piece of work has a tool that it wants for its last quarters."""
        if last == t.quarters:
            return self.whole[t.key]
        end = self.end[t.key]
        return self.model.new_interval_var(end - last, last, end, f"{t.key[0]}:{t.key[1]}:tool:{last}")

    def cost(self) -> Any:
        """What is to be least."""
        parts: list[Any] = []
        for t in self.tasks:
            start, end, old = self.start[t.key], self.end[t.key], self.before.get(t.key)
            parts.append(end)
            if t.work.promised is not None and t.piece is t.work.pieces[-1]:
                late = self.model.new_int_var(0, self.open + t.quarters, "late")
                self.model.add(late >= end - self.hours.after(t.work.promised))
                parts.append(LATE * late)
            if old is None:
                continue
            at = max(self.hours.first_from(old.begins), self.now)
            if at > self.now or t.piece.begun:
                by = self.model.new_int_var(0, self.open, "by")
                self.model.add(by >= start - at)
                self.model.add(by >= at - start)
                moved = self.model.new_bool_var("moved")
                self.model.add(by <= self.open * moved)
                parts += [MOVED * moved, SHIFTED * by]
            if old.bay in self.bay.get(t.key, {}):
                parts.append(OTHER_PLACE * (1 - self.bay[t.key][old.bay]))
            parts += [OTHER_PLACE * (1 - self.people[t.key][w]) for w in old.people if w in self.people[t.key]]
        return sum(parts)

    def begin_with(self, spots: Mapping[Key, Spot]) -> None:
        """A layout to search on from."""
        for key, spot in spots.items():
            # What is pinned is a constant, and constants of one value are one variable, which takes one hint.
            if stays_at(self.before.get(key), self.hours, self.now) is None:
                self.model.add_hint(self.start[key], spot.first)
            for b, here in self.bay.get(key, {}).items():
                self.model.add_hint(here, b == spot.bay)
            for w, on in self.people[key].items():
                self.model.add_hint(on, w in spot.people)

    def spot(self, t: Task, solver: Any) -> Spot:
        """Where a piece of work was put by the search."""
        bay = next((b for b, here in self.bay.get(t.key, {}).items() if solver.value(here)), None)
        return Spot(solver.value(self.start[t.key]), bay, tuple(w for w, on in self.people[t.key].items() if solver.value(on)))

    def placed(self, spots: Mapping[Key, Spot]) -> tuple[Placed, ...]:
        """The same by the clock."""
        pieces = []
        for t in self.tasks:
            old, spot = self.before.get(t.key), spots[t.key]
            stays = old is not None and t.piece.begun and self.hours.first_from(old.begins) < self.now and spot.first == self.now
            begins = old.begins if stays and old else self.hours.start_of(spot.first)
            pinned = old.pinned if old else False
            pieces.append(
                Placed(job_id=t.work.job_id, kind=t.piece.kind, begins=begins, pinned=pinned, bay=spot.bay, people=spot.people)
            )
        return tuple(sorted(pieces, key=lambda p: (p.begins, p.job_id, p.kind)))


def _runs(numbers: Any) -> list[tuple[int, int]]:
    """Unbroken runs of ascending numbers: first and how many."""
    runs: list[tuple[int, int]] = []
    for k in numbers:
        if runs and k == sum(runs[-1]):
            runs[-1] = (runs[-1][0], runs[-1][1] + 1)
        else:
            runs.append((k, 1))
    return runs
