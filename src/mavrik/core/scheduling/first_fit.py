"""A first layout to search on from: one piece of work after the other, each as early as a bay, hands and tools are free for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from mavrik.core.scheduling.demand import Task
from mavrik.core.scheduling.documents import Placed
from mavrik.core.scheduling.hours import Hours
from mavrik.core.scheduling.workshop import IN_BAY, TaskKind, Workshop

Key = tuple[int, TaskKind]
Free = NDArray[np.bool_]


@dataclass(frozen=True)
class Spot:
    """Where a piece of work was put: number of its first quarter, bay, people."""

    first: int
    bay: str | None
    people: tuple[str, ...]


def earliest_of(task: Task, hours: Hours, now: int) -> int:
    """Number of the first quarter a piece of work may begin in, by its parts alone."""
    parts = task.work.parts_on
    return now if parts is None or task.piece.begun else max(now, hours.first_from(datetime.combine(parts, datetime.min.time())))


def stays_at(old: Placed | None, hours: Hours, now: int) -> int | None:
    """Number of the quarter that pinned work stays in; None: it may be moved."""
    if old is None or not old.pinned:
        return None
    at = hours.first_from(old.begins)
    return at if at >= now else None


def first_fit(tasks: Sequence[Task], before: Mapping[Key, Placed], workshop: Workshop, hours: Hours, now: int) -> dict[Key, Spot]:
    """A layout that can be, though it may not be the best; without what finds no place before the hours end.

    tasks: the work; before: where it stood; workshop, hours: means and working time; now: number of the first quarter that is left
    What stays is put first, then what had a place in the order it had, then the rest by the day it was promised for.
    Source: serial schedule generation, as any text on project scheduling has it.
    """
    room = _Room(workshop, hours)
    known = {t.key: t for t in tasks}
    fixed = {k: at for k, t in known.items() if (at := stays_at(before.get(k), hours, now)) is not None}
    spots: dict[Key, Spot] = {}
    for key, at in fixed.items():
        spots[key] = room.put(known[key], at, before[key])

    def turn(t: Task) -> tuple[int, int, int]:
        old = before.get(t.key)
        due = len(hours.starts) if t.work.promised is None else hours.after(t.work.promised)
        return (0, hours.first_from(old.begins), 0) if old else (1, due, t.work.job_id)

    ends: dict[int, int] = {}
    pieces = {p: k for t in tasks for k, p in enumerate(t.work.pieces)}
    for t in sorted((t for t in tasks if t.key not in fixed), key=lambda t: (turn(t), pieces[t.piece])):
        old = before.get(t.key)
        least = max(earliest_of(t, hours, now), ends.get(t.work.job_id, 0), hours.first_from(old.begins) if old else 0)
        if (spot := room.find(t, least, old)) is not None:
            spots[t.key] = spot
            ends[t.work.job_id] = spot.first + t.quarters
    return spots


class _Room:
    """What is free, quarter by quarter."""

    def __init__(self, workshop: Workshop, hours: Hours) -> None:
        open_ = len(hours.starts)
        self.bays = {b.id: np.ones(open_, bool) for b in workshop.bays}
        self.people = {w.id: np.array([w.is_there(at) for at in hours.starts], bool) for w in workshop.people}
        self.tools = [(tool, np.full(open_, tool.count)) for tool in workshop.tools]

    def find(self, task: Task, least: int, old: Placed | None) -> Spot | None:
        """The first place from a quarter on, taken; where it was before rather than elsewhere. None: there is none."""
        n = task.quarters
        bays = {b: _windows(free, n) for b, free in self.bays.items()} if task.piece.kind in IN_BAY else {}
        people = {w: _windows(free, n) for w, free in self.people.items()}
        fits = np.sum(list(people.values()), axis=0) >= task.piece.people
        if bays:
            fits &= np.any(list(bays.values()), axis=0)
        for tool, left in self.tools:
            if last := tool.wanted(task.piece.kind, n):
                # What is free from n - last quarters later on.
                free_then = _windows(left > 0, last)
                fits[: free_then.size - (n - last)] &= free_then[n - last :]
        at = np.flatnonzero(fits[least:])
        if at.size == 0:
            return None
        first = least + int(at[0])
        bay = next(iter(sorted((b for b in bays if bays[b][first]), key=lambda b: not (old and b == old.bay))), None)
        free = sorted((w for w in people if people[w][first]), key=lambda w: not (old and w in old.people))
        return self._take(task, Spot(first, bay, tuple(free[: task.piece.people])))

    def put(self, task: Task, first: int, old: Placed) -> Spot:
        """Where it stays, whatever else is there."""
        bay = (old.bay if old.bay in self.bays else next(iter(self.bays))) if task.piece.kind in IN_BAY else None
        people = dict.fromkeys([*(w for w in old.people if w in self.people), *self.people])
        return self._take(task, Spot(first, bay, tuple(people)[: task.piece.people]))

    def _take(self, task: Task, spot: Spot) -> Spot:
        quarters = slice(spot.first, spot.first + task.quarters)
        if spot.bay is not None:
            self.bays[spot.bay][quarters] = False
        for w in spot.people:
            self.people[w][quarters] = False
        for tool, left in self.tools:
            left[max(quarters.stop - tool.wanted(task.piece.kind, task.quarters), 0) : quarters.stop] -= 1
        return spot


def _windows(free: Free, n: int) -> Free:
    """Of each quarter whether it and all that follow, n of them, are free."""
    busy = np.concatenate(([0], np.cumsum(~free)))
    begins = np.zeros(free.size, bool)
    if n <= free.size:
        begins[: free.size - n + 1] = busy[n:] == busy[:-n]
    return begins
