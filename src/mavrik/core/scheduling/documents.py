"""What is kept of a schedule: where each piece of work was put, and what a person said about a job."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import AfterValidator, Field

from mavrik.core.document import Day, Document, Identifier, Moment, Problem
from mavrik.core.scheduling.workshop import QUARTER_MIN, TaskKind

MOST_PLACED = 1000
JobId = Annotated[int, Field(ge=1, le=2**31 - 1)]


def _by_the_clock(at: Any) -> Any:
    if at.tzinfo is not None:
        raise ValueError("A time on the workshop's clock, without a time zone")
    if at.minute % QUARTER_MIN or at.second or at.microsecond:
        raise ValueError("A quarter of an hour")
    return at


WallTime = Annotated[Moment, AfterValidator(_by_the_clock), Field(description="On the workshop's clock, in quarters of an hour")]
Minutes = Annotated[int, Field(ge=15, le=24000, description="Work of that kind [min]")]


class Placed(Document):
    """A piece of work that has its place."""

    job_id: JobId
    kind: TaskKind
    begins: WallTime
    bay: Identifier | None = Field(None, description="Null: on the bench")
    people: Annotated[tuple[Identifier, ...], Field(max_length=4)] = ()
    pinned: bool = Field(False, description="Stays where it is when all is laid out anew")

    @property
    def key(self) -> tuple[int, TaskKind]:
        """Which piece of work it is."""
        return self.job_id, self.kind


class Wish(Document):
    """What a person said about a job."""

    job_id: JobId
    minutes: Annotated[
        dict[TaskKind, Minutes], Field(max_length=len(TaskKind), description="Instead of what the steps come to")
    ] = Field(default_factory=dict)
    parts_on: Day | None = Field(None, description="Its parts are there on the morning of that day; null: by the stock list")
    left_out: bool = Field(False, description="It takes no place for now")


class Schedule(Document):
    """A workshop's schedule."""

    placed: Annotated[tuple[Placed, ...], Field(max_length=MOST_PLACED)] = ()
    wishes: Annotated[tuple[Wish, ...], Field(max_length=MOST_PLACED)] = ()


def check_schedule(schedule: Schedule) -> list[Problem]:
    """What stands twice in a schedule, each at its place.

    >>> from datetime import datetime
    >>> twice = Placed(job_id=3, kind=TaskKind.FIT, begins=datetime(2026, 11, 30, 8), bay="bay_1")
    >>> [p.field for p in check_schedule(Schedule(placed=(twice, twice)))]
    ['placed']
    """
    return list(_wrong(schedule))


def _wrong(schedule: Schedule) -> Iterator[Problem]:
    for (job_id, kind), times in Counter(p.key for p in schedule.placed).items():
        if times > 1:
            yield Problem(str(job_id), "placed", f"Work of the kind '{kind}' of job {job_id} is placed twice.")
    for job_id, times in Counter(w.job_id for w in schedule.wishes).items():
        if times > 1:
            yield Problem(str(job_id), "wishes", f"Job {job_id} is spoken of twice.")
