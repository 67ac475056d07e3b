"""A schedule as iCalendar, for the calendar of a telephone, and days that are closed out of one.

Source: RFC 5545, by the library icalendar. Times are floating (section 3.3.5, form 1): those of the workshop's clock, wherever it is read.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, timedelta
from typing import Any

from icalendar import Calendar, Event
from icalendar.error import BrokenCalendarProperty
from pydantic import Field

from mavrik.core.document import EARLIEST_YEAR, LATEST_YEAR, Document
from mavrik.core.scheduling.view import Block, ScheduleView
from mavrik.core.scheduling.workshop import TASK_WORDS, Closed, Workshop

LARGEST = 200_000
MOST_CLOSED = 200


class CalendarError(ValueError):
    """A text that is no calendar, or has too much in it."""


class ClosedRead(Document):
    """What a calendar says of days on which nobody works."""

    closed: tuple[Closed, ...]
    skipped: int = Field(description="Entries that are no whole days, lie too far away, or say nothing")
    repeated: int = Field(description="Entries that come again, of which only the first time is taken")


def schedule_to_ics(view: ScheduleView, workshop: Workshop, name: str, at: datetime, person: str | None = None) -> bytes:
    """The work of a schedule, an entry for each unbroken stretch.

    view: the schedule; workshop: for the names of bays and people; name: of the calendar; at: when it is written, with its time zone;
    person: id of the only one whose work is wanted
    """
    made = Calendar()
    made.add("prodid", "-//Mavrik//schedule//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", name)
    for block in view.blocks:
        if person is None or person in block.people:
            for k, stretch in enumerate(block.stretches):
                made.add_component(_event(block, k, stretch.begins, stretch.ends, workshop, at))
    return bytes(made.to_ical())


def _event(block: Block, k: int, begins: datetime, ends: datetime, workshop: Workshop, at: datetime) -> Event:
    bays, people = {b.id: b.label for b in workshop.bays}, {w.id: w.label for w in workshop.people}
    entry = Event()
    entry.add("uid", f"job-{block.job_id}-{block.kind}-{k}@mavrik")
    entry.add("dtstamp", at)
    entry.add("dtstart", begins)
    entry.add("dtend", ends)
    entry.add("summary", f"{block.number} {block.label}: {TASK_WORDS[block.kind].lower()}")
    entry.add("location", bays.get(block.bay, block.bay) if block.bay else "Bench")
    said = [f"By {' and '.join(people.get(i, i) for i in block.people)}."] if block.people else []
    if block.late:
        said.append(f"Late: {block.late}.")
    if said:
        entry.add("description", " ".join(said))
    return entry


def closed_from_ics(text: str) -> ClosedRead:
    """The whole days of a calendar, as days on which nobody works.

    text: an iCalendar file, such as the public holidays of a country
    Raises CalendarError for what is none, is too long or has too many entries.

    >>> lines = ["BEGIN:VCALENDAR", "BEGIN:VEVENT", "UID:1", "SUMMARY:Harvest day", "DTSTART;VALUE=DATE:20261224",
    ...          "DTEND;VALUE=DATE:20261227", "END:VEVENT", "END:VCALENDAR", ""]
    >>> [(str(c.first), str(c.last), c.label) for c in closed_from_ics(chr(10).join(lines)).closed]
    [('2026-12-24', '2026-12-26', 'Harvest day')]
    """
    if len(text) > LARGEST:
        raise CalendarError(f"A calendar of more than {LARGEST // 1000} kB is not read.")
    try:
        entries = list(_entries(text))
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise CalendarError("This is no calendar: it is read as iCalendar, a file that ends in .ics.") from error
    if len(entries) > MOST_CLOSED:
        raise CalendarError(f"There are {len(entries)} entries in it, and {MOST_CLOSED} can be read.")
    found = [c for c in (_closed(e) for e in entries) if c is not None]
    return ClosedRead(
        closed=tuple(sorted(set(found), key=lambda c: (c.first, c.last, c.label))), skipped=len(entries) - len(found),
        repeated=sum("RRULE" in e for e in entries),
    )  # fmt: skip


def _entries(text: str) -> Iterator[Any]:
    calendars = Calendar.from_ical(text, multiple=True)
    if not calendars or any(c.name != "VCALENDAR" for c in calendars):
        raise ValueError("no calendar")
    for one in calendars:
        yield from one.walk("VEVENT")


def _closed(entry: Any) -> Closed | None:
    """The days of an entry; None where it is not of whole days."""
    first, last = _day(entry, "DTSTART"), _day(entry, "DTEND")
    if first is None:
        return None
    until = last - timedelta(days=1) if last is not None and last > first else first
    if not EARLIEST_YEAR <= first.year <= until.year <= LATEST_YEAR:
        return None
    return Closed(first=first, last=until, label=str(entry.get("SUMMARY", ""))[:80].strip())


def _day(entry: Any, name: str) -> date | None:
    try:
        value = getattr(entry.get(name), "dt", None)
    except BrokenCalendarProperty:
        return None
    return value if isinstance(value, date) and not isinstance(value, datetime) else None
