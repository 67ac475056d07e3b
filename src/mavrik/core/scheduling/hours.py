"""Working time: a workshop's hours as a row of quarters of an hour, so that work goes on the next morning where it stopped."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from mavrik.core.scheduling.workshop import QUARTER_MIN, Workshop

QUARTER = timedelta(minutes=QUARTER_MIN)
LOOK_AHEAD_DAYS = 366
"""No further than that is anything laid out."""


class NeverOpenError(ValueError):
    """A workshop in which nobody ever works."""


@dataclass(frozen=True)
class Hours:
    """Working quarters of an hour, by number."""

    starts: tuple[datetime, ...]
    """When each begins, on the workshop's clock."""

    def first_from(self, at: datetime) -> int:
        """Number of the first that begins then or later; how many there are, where none does."""
        return bisect_left(self.starts, at)

    def start_of(self, number: int) -> datetime:
        """When a quarter begins; the last one for those beyond."""
        return self.starts[min(number, len(self.starts) - 1)]

    def after(self, day: date) -> int:
        """Number of the first that begins after a day is over."""
        return self.first_from(datetime.combine(day, time()) + timedelta(days=1))

    def is_open(self, at: datetime) -> bool:
        """Whether a working quarter begins just then."""
        k = self.first_from(at)
        return k < len(self.starts) and self.starts[k] == at

    def end_of(self, first: int, quarters: int) -> datetime:
        """When work of so many quarters is over that begins with a number; as if the last day went on, beyond the end."""
        last = first + quarters - 1
        if last < len(self.starts):
            return self.starts[last] + QUARTER
        return self.starts[-1] + QUARTER * (last - len(self.starts) + 2)

    def stretches(self, first: int, quarters: int) -> tuple[tuple[datetime, datetime], ...]:
        """The unbroken stretches of that work, from and to."""
        open_times: list[tuple[datetime, datetime]] = []
        for start in self.starts[first : first + quarters]:
            if open_times and open_times[-1][1] == start:
                open_times[-1] = (open_times[-1][0], start + QUARTER)
            else:
                open_times.append((start, start + QUARTER))
        return tuple(open_times)


def working_hours(workshop: Workshop, first: date, days: int = LOOK_AHEAD_DAYS) -> Hours:
    """The quarters of an hour in which a workshop works.

    workshop: its hours and the days it is closed; first: the first day; days: how many days
    Raises NeverOpenError where there is none.
    Source: counting; what has no hours or is closed is left out.

    >>> from mavrik.core.scheduling.workshop import usual_workshop
    >>> week = working_hours(usual_workshop(), date(2026, 11, 30), 7)
    >>> len(week.starts) / 4, str(week.end_of(week.first_from(datetime(2026, 11, 30, 16, 30)), 4))
    (39.0, '2026-12-01 08:30:00')
    """
    starts = []
    for k in range(days):
        day = first + timedelta(days=k)
        if any(c.covers(day) for c in workshop.closed):
            continue
        for shift in sorted((s for s in workshop.shifts if s.weekday == day.weekday()), key=lambda s: s.begins):
            at, ends = (datetime.combine(day, time.fromisoformat(x)) for x in (shift.begins, shift.ends))
            while at < ends:
                starts.append(at)
                at += QUARTER
    if not starts:
        raise NeverOpenError(f"The workshop is closed on every day from {first} on: look at its hours and closed days.")
    return Hours(tuple(starts))
