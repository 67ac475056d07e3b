"""What cannot be of a schedule as it stands, in words: two in one bay, a person in two places, parts that are not there yet."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from itertools import pairwise

from mavrik.core.document import Document
from mavrik.core.scheduling.demand import Task
from mavrik.core.scheduling.documents import Placed
from mavrik.core.scheduling.hours import Hours
from mavrik.core.scheduling.workshop import IN_BAY, OVER_WORDS, TASK_WORDS, TaskKind, Workshop

Key = tuple[int, TaskKind]


class Conflict(Document):
    """Something that cannot be."""

    text: str
    job_ids: tuple[int, ...]


@dataclass(frozen=True)
class Stand:
    """A piece of work where it stands in the row of working quarters."""

    task: Task
    placed: Placed
    first: int

    @property
    def last(self) -> int:
        """The first quarter after it."""
        return self.first + self.task.quarters

    def meets(self, other: Stand) -> bool:
        """Whether both are done at one time."""
        return self.first < other.last and other.first < self.last


def stands(tasks: Iterable[Task], placed: Iterable[Placed], hours: Hours, now: datetime) -> tuple[Stand, ...]:
    """Where the work stands that has both a place and something left to do, which is done from now on; the earliest first."""
    known, first = {t.key: t for t in tasks}, hours.first_from(now)
    stands_from = (Stand(known[p.key], p, max(hours.first_from(p.begins), first)) for p in placed if p.key in known)
    return tuple(sorted(stands_from, key=lambda s: (s.first, s.placed.key)))


def says_day(day: date) -> str:
    """A day as it is spoken of.

    >>> says_day(date(2026, 12, 1))
    'Tue 1 Dec'
    """
    return f"{day:%a} {day.day} {day:%b}"


def says_time(at: datetime) -> str:
    """A time as it is spoken of.

    >>> says_time(datetime(2026, 12, 1, 8, 15))
    'Tue 1 Dec 08:15'
    """
    return f"{says_day(at.date())} {at:%H:%M}"


def title_of(task: Task) -> str:
    """A piece of work in words."""
    return f"{task.work.number} {task.work.label}, {TASK_WORDS[task.piece.kind].lower()}"


def conflicts_of(standing: Sequence[Stand], workshop: Workshop, hours: Hours) -> tuple[Conflict, ...]:
    """Everything that cannot be.

    standing: the work where it stands, `stands`; workshop: its means; hours: its working time
    Source: a bay holds one vehicle, a person is in one place, leads are made before they are fitted, nothing is fitted that has not come.
    """
    return tuple(_conflicts(standing, workshop, hours))


def _conflicts(standing: Sequence[Stand], workshop: Workshop, hours: Hours) -> Iterator[Conflict]:
    bays, people = {b.id: b.label for b in workshop.bays}, {w.id: w for w in workshop.people}
    by_key = {s.placed.key: s for s in standing}
    for s in standing:
        yield from _alone(s, bays, {i: w.label for i, w in people.items()}, hours, by_key)
        for who in (people[i] for i in s.placed.people if i in people):
            if off := next((h for h in hours.starts[s.first : s.last] if not who.is_there(h)), None):
                gone = f"is away on {says_day(off.date())}" if who.is_away(off.date()) else f"does not work on {says_time(off)}"
                yield _of(f"{who.label} {gone}: {title_of(s.task)}", s)
    of_bay, of_person = defaultdict(list), defaultdict(list)
    for s in standing:
        if s.placed.bay is not None:
            of_bay[s.placed.bay].append(s)
        for i in dict.fromkeys(s.placed.people):
            of_person[i].append(s)
    for bay, there in of_bay.items():
        for a, b in _meeting(there):
            yield _of(f"{bays.get(bay, bay)} has two vehicles from {_meet_at(a, b, hours)}: {_both(a, b)}", a, b)
    for person, there in of_person.items():
        for a, b in _meeting(there):
            name = people[person].label if person in people else person
            yield _of(f"{name} is in two places from {_meet_at(a, b, hours)}: {_both(a, b)}", a, b)
    for tool in workshop.tools:
        using = [(s.last - n, s) for s in standing if (n := tool.wanted(s.task.piece.kind, s.task.quarters))]
        worst = max(([(f, o) for f, o in using if f <= first < o.last] for first, _ in using), key=len, default=[])
        if len(worst) > tool.count:
            at = says_time(hours.start_of(max(first for first, _ in worst)))
            titles = "; ".join(title_of(s.task) for _, s in worst)
            yield _of(f"{tool.label}: {len(worst)} want it from {at}, there {_are(tool.count)}: {titles}", *(s for _, s in worst))


def _alone(
    s: Stand, bays: Mapping[str, str], people: Mapping[str, str], hours: Hours, by_key: Mapping[Key, Stand]
) -> Iterator[Conflict]:
    """What cannot be of one piece of work, whatever else there is."""
    title, kind = title_of(s.task), s.task.piece.kind
    if s.last > len(hours.starts):
        yield _of(f"{title} ends after all that is laid out", s)
        return
    if not hours.is_open(s.placed.begins) and s.placed.begins >= hours.starts[0]:
        yield _of(f"Nobody works on {says_time(s.placed.begins)}: {title} begins on {says_time(hours.start_of(s.first))}", s)
    if kind in IN_BAY and s.placed.bay not in bays:
        yield _of(f"{title} has no bay", s)
    if len({i for i in s.placed.people if i in people}) < s.task.piece.people:
        want, have = s.task.piece.people, len({i for i in s.placed.people if i in people})
        yield _of(
            f"{title} takes {'two people' if want == 2 else f'{want} people' if want > 1 else 'somebody'}, {have or 'nobody'} is on it",
            s,
        )
    parts = s.task.work.parts_on
    if parts is not None and hours.starts[s.first].date() < parts:
        yield _of(f"{title} begins on {says_day(hours.starts[s.first].date())}, its parts come on {says_day(parts)}", s)
    kinds = [p.kind for p in s.task.work.pieces]
    for before in (by_key.get((s.task.work.job_id, k)) for k in kinds[: kinds.index(kind)]):
        if before is not None and before.last > s.first:
            ends = says_time(hours.end_of(before.first, before.task.quarters))
            yield _of(f"{title} begins before {OVER_WORDS[before.task.piece.kind]}, on {ends}", s)


def _of(text: str, *at: Stand) -> Conflict:
    return Conflict(text=f"{text}.", job_ids=tuple(dict.fromkeys(s.task.work.job_id for s in at)))


def _meeting(there: Sequence[Stand]) -> Iterator[tuple[Stand, Stand]]:
    """Neighbours in time that meet, and whoever is still there under a long one."""
    longest = None
    for a, b in pairwise(sorted(there, key=lambda s: (s.first, s.last))):
        longest = a if longest is None or a.last > longest.last else longest
        if longest.meets(b):
            yield longest, b


def _meet_at(a: Stand, b: Stand, hours: Hours) -> str:
    return says_time(hours.start_of(max(a.first, b.first)))


def _both(a: Stand, b: Stand) -> str:
    return f"{title_of(a.task)}; {title_of(b.task)}"


def _are(count: int) -> str:
    return "is one" if count == 1 else f"are {count}"


def late_by(standing: Stand, hours: Hours) -> int:
    """Quarters of working time by which a job is over after the day it was promised for; 0 where it is not.

    standing: its last piece of work
    """
    promised = standing.task.work.promised
    return 0 if promised is None else max(0, standing.last - hours.after(promised))
