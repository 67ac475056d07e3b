"""What there is to do: the work of each job in pieces, with how long, how many hands, and from when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import ceil

from mavrik.core.fabrication.bench import WorkStep
from mavrik.core.fabrication.steps import Phase
from mavrik.core.scheduling.documents import Wish
from mavrik.core.scheduling.workshop import QUARTER_MIN, TaskKind


@dataclass(frozen=True)
class Piece:
    """Work of one job that is done in one go."""

    kind: TaskKind
    minutes: float
    people: int = 1
    begun: bool = False
    """Whether some of it is done already."""


@dataclass(frozen=True)
class JobWork:
    """What a job asks of the workshop."""

    job_id: int
    number: str
    label: str
    pieces: tuple[Piece, ...]
    """In the order they are done in."""
    promised: date | None = None
    parts_on: date | None = None
    """The morning its parts are there; None: they are."""


@dataclass(frozen=True)
class Task:
    """A piece of work as it is laid out."""

    work: JobWork
    piece: Piece

    @property
    def key(self) -> tuple[int, TaskKind]:
        """Which piece of work it is."""
        return self.work.job_id, self.piece.kind

    @property
    def quarters(self) -> int:
        """Quarters of an hour that it takes, at least one."""
        return max(1, ceil(self.piece.minutes / QUARTER_MIN - 1e-9))


def tasks_of(works: Sequence[JobWork]) -> tuple[Task, ...]:
    """Every piece of work of some jobs."""
    return tuple(Task(w, p) for w in works for p in w.pieces)


def pieces_of(steps: Sequence[WorkStep]) -> tuple[Piece, ...]:
    """What is left of a job's steps: leads on the bench, then the vehicle in a bay.

    steps: those of the job, `build_view`
    Two hands at one step want two people for as long as the vehicle is in: nobody is fetched for five minutes from another bay.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.bench import build_view
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> car = front_battery(12)
    >>> view = build_view(car, car, BuildBook(anew=("charge_cable",)), usual_prices())
    >>> [(p.kind.value, round(p.minutes)) for p in pieces_of(view.steps)]
    [('make', 10), ('fit', 35)]
    """
    made, fitted = [s for s in steps if s.phase is Phase.MAKE], [s for s in steps if s.phase is not Phase.MAKE]
    pieces = []
    for kind, of in ((TaskKind.MAKE, made), (TaskKind.FIT, fitted)):
        left = [s for s in of if not s.done]
        if left:
            minutes, people = sum(s.minutes for s in left), max(s.people for s in left)
            pieces.append(Piece(kind, minutes, people, begun=len(left) < len(of)))
    return tuple(pieces)


def as_wished(work: JobWork, wish: Wish) -> JobWork:
    """A job's work with what a person said about it.

    >>> from dataclasses import replace
    >>> job = JobWork(1, "26-0001", "Street sweeper", (Piece(TaskKind.MEASURE, 90),))
    >>> as_wished(job, Wish(job_id=1, minutes={"measure": 30})).pieces[0].minutes
    30.0
    """
    pieces = tuple(
        Piece(p.kind, float(wish.minutes[p.kind]), p.people, p.begun) if p.kind in wish.minutes else p for p in work.pieces
    )
    return JobWork(
        work.job_id, work.number, work.label, () if wish.left_out else pieces, work.promised, wish.parts_on or work.parts_on
    )
