"""What a workshop has to work with: bays, people, hours, days it is closed, tools that there are not enough of."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import date, datetime
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, Self

from pydantic import Field, model_validator

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Day, Document, Identifier, Label

QUARTER_MIN = 15
"""Work is laid out in quarters of an hour. Our choice: nobody holds a finer plan in a workshop."""

Clock = Annotated[
    str,
    Field(
        pattern=r"^([01][0-9]|2[0-3]):(00|15|30|45)$", description="Time of day on the workshop's clock, in quarters of an hour"
    ),
]


class TaskKind(StrEnum):
    """What is done of a job in one go."""

    MEASURE = "measure"
    MAKE = "make"
    FIT = "fit"


TASK_WORDS = {
    TaskKind.MEASURE: "Test and find",
    TaskKind.MAKE: "Make leads",
    TaskKind.FIT: "Work on the vehicle",
}
OVER_WORDS = {
    TaskKind.MEASURE: "it is tested",
    TaskKind.MAKE: "its leads are made",
    TaskKind.FIT: "the vehicle is done",
}
"""When it is over, as the middle of a sentence."""
IN_BAY = frozenset({TaskKind.MEASURE, TaskKind.FIT})
"""Leads are made on the bench; all else wants the vehicle in a bay."""


class Shift(Document):
    """Hours of one day of the week."""

    weekday: Annotated[int, Field(ge=0, le=6, description="0 is Monday")]
    begins: Clock
    ends: Clock

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.begins >= self.ends:
            raise ValueError(f"Hours end after they begin, not {self.begins} to {self.ends}")
        return self


class Closed(Document):
    """Days on which nobody works, or one does not."""

    first: Day
    last: Day
    label: Annotated[str, Field(max_length=80)] = ""

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.first > self.last:
            raise ValueError(f"The last day comes after the first, not {self.first} to {self.last}")
        return self

    def covers(self, day: date) -> bool:
        """Whether a day is one of them."""
        return self.first <= day <= self.last


class Bay(Document):
    """A place for one vehicle."""

    id: Identifier
    label: Label


class Worker(Document):
    """Somebody who works there."""

    id: Identifier
    label: Label
    away: Annotated[tuple[Closed, ...], Field(max_length=100)] = ()
    shifts: Annotated[tuple[Shift, ...], Field(max_length=40, description="Hours of their own; empty: the workshop's")] = ()

    def is_there(self, at: datetime) -> bool:
        """Whether they work in the quarter of an hour that begins then, if the workshop does.

        at: on the workshop's clock

        >>> mornings = Worker(id="w", label="W", shifts=(Shift(weekday=0, begins="08:00", ends="12:00"),))
        >>> [mornings.is_there(datetime(2026, 11, 30, h)) for h in (8, 12)]
        [True, False]
        """
        if self.is_away(at.date()):
            return False
        shifts, clock = [s for s in self.shifts if s.weekday == at.weekday()], f"{at:%H:%M}"
        return not self.shifts or any(s.begins <= clock < s.ends for s in shifts)

    def is_away(self, day: date) -> bool:
        """Whether they are not there on a day."""
        return any(c.covers(day) for c in self.away)


class SharedTool(Document):
    """A tool that several jobs want at once."""

    id: Identifier
    label: Label
    count: Annotated[int, Field(ge=1, le=20, description="How many there are")] = 1
    tasks: Annotated[tuple[TaskKind, ...], Field(max_length=len(TaskKind), description="It is wanted for work of these kinds")]
    at_end_min: Annotated[int, Field(ge=15, le=2400)] | None = Field(
        None, description="For so long at its end, as for the tests of what was done [min]; null: all through it"
    )

    def wanted(self, kind: TaskKind, quarters: int) -> int:
        """For how many quarters of an hour at the end of a piece of work it is wanted; 0: not at all.

        kind, quarters: of the work

        >>> bank = SharedTool(id="b", label="Load bank", tasks=("fit",), at_end_min=30)
        >>> bank.wanted(TaskKind.FIT, 12), bank.wanted(TaskKind.FIT, 1), bank.wanted(TaskKind.MAKE, 12)
        (2, 1, 0)
        """
        if kind not in self.tasks:
            return 0
        return quarters if self.at_end_min is None else min(quarters, -(-self.at_end_min // QUARTER_MIN))


class Workshop(Document):
    """A workshop's means. Its clock is that of the machine it is kept on."""

    bays: Annotated[tuple[Bay, ...], Field(min_length=1, max_length=20)]
    people: Annotated[tuple[Worker, ...], Field(min_length=1, max_length=30)]
    shifts: Annotated[tuple[Shift, ...], Field(min_length=1, max_length=40)]
    closed: Annotated[tuple[Closed, ...], Field(max_length=200)] = ()
    tools: Annotated[tuple[SharedTool, ...], Field(max_length=20)] = ()
    measure_min: Annotated[
        int, Field(ge=15, le=2400, description="A job of which nothing is planned yet takes so long [min]")
    ] = 90

    @model_validator(mode="after")
    def _is_one(self) -> Self:
        if wrong := next(iter(_twice(self)), None):
            raise ValueError(wrong)
        return self


def _twice(workshop: Workshop) -> Iterator[str]:
    """What stands twice, in words."""
    every: tuple[tuple[str, Sequence[Bay | Worker | SharedTool]], ...] = (
        ("bays", workshop.bays), ("people", workshop.people), ("tools", workshop.tools)
    )  # fmt: skip
    for what, things in every:
        for known_as, times in Counter(x.id for x in things).items():
            if times > 1:
                yield f"Two {what} go by '{known_as}'"
    whose = [("", workshop.shifts), *((f" of {w.label}", w.shifts) for w in workshop.people)]
    for of, shifts in whose:
        for early, late in pairwise(sorted(shifts, key=lambda s: (s.weekday, s.begins))):
            if early.weekday == late.weekday and late.begins < early.ends:
                yield f"Hours{of} overlap: {early.begins} to {early.ends} and {late.begins} to {late.ends}"


class WorkshopTable(Table):
    """The file ``workshop.json``."""

    workshop: Workshop


def usual_workshop() -> Workshop:
    """What a workshop begins with: invented, to be replaced by its own.

    >>> [b.label for b in usual_workshop().bays]
    ['Bay 1', 'Bay 2']
    """
    return load_table("workshop", WorkshopTable).workshop
