"""A schedule as iCalendar, for the calendar of a telephone, and days that are closed out of one.

Source: RFC 5545, by the library icalendar. Times are floating (section 3.3.5, form 1): those of the workshop's clock, wherever it is read.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from typing import Any

from icalendar import Calendar, Event
from icalendar.error import BrokenCalendarProperty
from pydantic import Field

from mavrik.core.document import EARLIEST_YEAR, LATEST_YEAR, Document
from mavrik.core.scheduling.conflicts import says_time
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.view import Block, ScheduleView
from mavrik.core.scheduling.workshop import QUARTER_MIN, TASK_WORDS, Closed, Workshop

LARGEST = 200_000
MOST_CLOSED = 200
MOST_MOVES = 2000
OURS = re.compile(r"^job-(\d{1,9})-([a-z]+)-(\d{1,4})@mavrik$")
"""What an entry of `schedule_to_ics` goes by."""


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
    sentences = [f"By {' and '.join(people.get(i, i) for i in block.people)}."] if block.people else []
    if block.late:
        sentences.append(f"Late: {block.late}.")
    if sentences:
        entry.add("description", " ".join(sentences))
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
    entries = _read(text, MOST_CLOSED)
    closed = [c for c in (_closed(e) for e in entries) if c is not None]
    return ClosedRead(
        closed=tuple(sorted(set(closed), key=lambda c: (c.first, c.last, c.label))), skipped=len(entries) - len(closed),
        repeated=sum("RRULE" in e for e in entries),
    )  # fmt: skip


def _read(text: str, most: int) -> list[Any]:
    """The entries of a calendar. Raises CalendarError."""
    if len(text) > LARGEST:
        raise CalendarError(f"A calendar of more than {LARGEST // 1000} kB is not read.")
    try:
        entries = list(_entries(text))
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise CalendarError("This is no calendar: it is read as iCalendar, a file that ends in .ics.") from error
    if len(entries) > most:
        raise CalendarError(f"There are {len(entries)} entries in it, and {most} can be read.")
    return entries


class MovesRead(Document):
    """A schedule with what a calendar has elsewhere than it stood, not kept yet."""

    document: Schedule
    messages: tuple[str, ...] = Field(description="What was moved, and what was not taken, in words")


def moved_by_ics(text: str, schedule: Schedule, view: ScheduleView) -> MovesRead:
    """A schedule with its work where a calendar has moved it to.

    text: an iCalendar file that was written as `schedule_to_ics` does, and moved about in some calendar program since; schedule: as it
    stands; view: what it comes to
    Where a piece of work begins is what counts; a later stretch that was moved by itself, and work that has begun, stay. What is not in the
    file stays where it was: a calendar of one person holds no other's work. Times with a zone are those of that zone's clock, times in UTC
    those of this machine's; all go to the quarter of an hour that they lie in.
    Raises CalendarError for what is no calendar, is too long or has too many entries.
    """
    entries = _read(text, MOST_MOVES)
    blocks = {(b.job_id, b.kind.value): b for b in view.blocks}
    begins: dict[tuple[int, str], datetime] = {}
    messages, strange = [], 0
    for entry in entries:
        ours, at = OURS.match(str(entry.get("UID", ""))), _clock(entry)
        block = blocks.get((int(ours[1]), ours[2])) if ours else None
        if ours is None or block is None or at is None or int(ours[3]) >= len(block.stretches):
            strange += 1
            continue
        if at == block.stretches[int(ours[3])].begins:
            continue
        title = f"{block.number} {block.label}, {TASK_WORDS[block.kind].lower()}"
        if block.begun:
            messages.append(f"{title}: it has begun, and stays.")
        elif int(ours[3]):
            messages.append(f"{title}: a later stretch was moved, and its beginning was not. It goes on as the hours have it.")
        else:
            begins[block.job_id, block.kind.value] = at
            messages.append(f"{title}: from {says_time(block.begins)} to {says_time(at)}.")
    if strange:
        messages.append(f"{strange} {'entry is' if strange == 1 else 'entries are'} of nothing that has a place here.")
    if not messages:
        messages.append("Nothing in it lies elsewhere than here.")
    placed = tuple(
        p.model_copy(update={"begins": at}) if (at := begins.get((p.job_id, p.kind.value))) else p for p in schedule.placed
    )
    return MovesRead(document=schedule.model_copy(update={"placed": placed}), messages=tuple(messages))


def _clock(entry: Any) -> datetime | None:
    """When an entry begins, by the workshop's clock; None for whole days, and beyond any calendar."""
    try:
        at = getattr(entry.get("DTSTART"), "dt", None)
    except BrokenCalendarProperty:
        return None
    if not isinstance(at, datetime) or not EARLIEST_YEAR < at.year < LATEST_YEAR:
        return None
    if at.tzname() == "UTC":
        at = at.astimezone()
    return at.replace(tzinfo=None, minute=at.minute // QUARTER_MIN * QUARTER_MIN, second=0, microsecond=0)


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
