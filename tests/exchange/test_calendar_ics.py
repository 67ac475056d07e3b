"""The schedule as iCalendar, its lines read here by RFC 5545 itself; and closed days out of other people's calendars."""

from __future__ import annotations

import random
import re
from contextlib import suppress
from datetime import UTC, date, datetime

import pytest

from mavrik.core.scheduling.demand import JobWork, Piece
from mavrik.core.scheduling.documents import Placed, Schedule
from mavrik.core.scheduling.view import Scene, schedule_view
from mavrik.core.scheduling.workshop import TaskKind, usual_workshop
from mavrik.exchange.calendar_ics import LARGEST, CalendarError, closed_from_ics, moved_by_ics, schedule_to_ics

MONDAY = datetime(2026, 11, 30, 8)


def lines_of(data: bytes) -> list[str]:
    """Section 3.1: lines end in CR LF, and one that begins with a space goes on with the one before."""
    text = data.decode()
    assert "\n" not in text.replace("\r\n", "")
    assert all(len(line.encode()) <= 75 for line in text.split("\r\n"))
    return re.sub("\r\n[ \t]", "", text).split("\r\n")


def entries_of(data: bytes) -> list[dict[str, str]]:
    listed: list[dict[str, str]] = []
    for line in lines_of(data):
        if line == "BEGIN:VEVENT":
            listed.append({})
        elif listed and ":" in line and line != "END:VCALENDAR":
            name, _, value = line.partition(":")
            # Section 3.3.11: commas, semicolons and backslashes of a text are escaped.
            listed[-1][name] = re.sub(r"\\([,;\\])", r"\1", value)
    return listed


def works(label: str = "Library bus") -> tuple[JobWork, ...]:
    return (
        JobWork(7, "26-0007", label, (Piece(TaskKind.MAKE, 60), Piece(TaskKind.FIT, 360)), promised=date(2026, 11, 30)),
        JobWork(8, "26-0008", "Ferry", (Piece(TaskKind.MEASURE, 90),)),
    )


JOBS = works()
STOOD = Schedule(
    placed=(
        Placed(job_id=7, kind=TaskKind.MAKE, begins=MONDAY, people=("first",)),
        Placed(job_id=7, kind=TaskKind.FIT, begins=MONDAY.replace(hour=10), bay="bay_1", people=("first", "second")),
        Placed(job_id=8, kind=TaskKind.MEASURE, begins=MONDAY, bay="bay_2", people=("second",)),
    )
)


def calendar(person: str | None = None, label: str = "Library bus") -> bytes:
    view = schedule_view(STOOD, Scene(works(label), usual_workshop(), MONDAY))
    return schedule_to_ics(view, usual_workshop(), "The workshop", datetime(2026, 11, 29, 12, tzinfo=UTC), person)


def moved(change: str, to: str) -> tuple[dict[str, str], tuple[str, ...]]:
    """Where the work begins once a calendar program has changed one text of the file, and what is said of it."""
    text = calendar().decode()
    assert change in text
    read = moved_by_ics(text.replace(change, to), STOOD, schedule_view(STOOD, Scene(JOBS, usual_workshop(), MONDAY)))
    return {f"{p.job_id} {p.kind.value}": f"{p.begins:%d %H:%M}" for p in read.document.placed}, read.messages


AS_IT_WAS = {"7 make": "30 08:00", "7 fit": "30 10:00", "8 measure": "30 08:00"}


@pytest.mark.parametrize(
    ("change", "to", "where", "message"),
    [
        (
            "DTSTART:20261130T100000",
            "DTSTART:20261201T091500",
            {"7 fit": "01 09:15"},
            "from Mon 30 Nov 10:00 to Tue 1 Dec 09:15.",
        ),
        # A telephone writes its own zone, and minutes that are no quarter.
        ("DTSTART:20261130T100000", "DTSTART;TZID=Europe/Paris:20261201T092200", {"7 fit": "01 09:15"}, "to Tue 1 Dec 09:15."),
        ("DTSTART:20261130T130000", "DTSTART:20261130T140000", {}, "a later stretch was moved"),
        ("DTSTART:20261130T100000", "DTSTART;VALUE=DATE:20261201", {}, "1 entry is of nothing that has a place here."),
        ("UID:job-8-measure-0@mavrik", "UID:dentist@elsewhere", {}, "1 entry is of nothing that has a place here."),
        ("UID:job-8-measure-0@mavrik", "UID:job-9-measure-0@mavrik", {}, "1 entry is of nothing that has a place here."),
        ("UID:job-7-fit-1@mavrik", "UID:job-7-fit-9@mavrik", {}, "1 entry is of nothing that has a place here."),
        ("DTSTART:20261130T100000", "DTSTART:99991231T235959", {}, "1 entry is of nothing that has a place here."),
        ("VERSION:2.0", "VERSION:2.0", {}, "Nothing in it lies elsewhere than here."),
    ],
)
def test_work_goes_where_a_calendar_has_moved_its_beginning_to(change: str, to: str, where: dict[str, str], message: str) -> None:
    placed, messages = moved(change, to)
    assert placed == AS_IT_WAS | where
    assert len(messages) == 1 and message in messages[0]


def test_work_that_has_begun_stays_whatever_a_calendar_says() -> None:
    begun = (JobWork(8, "26-0008", "Ferry", (Piece(TaskKind.MEASURE, 60, begun=True),)),)
    stood = Schedule(placed=tuple(p for p in STOOD.placed if p.job_id == 8))
    view = schedule_view(stood, Scene(begun, usual_workshop(), MONDAY.replace(hour=9)))
    text = schedule_to_ics(view, usual_workshop(), "The workshop", datetime(2026, 11, 29, 12, tzinfo=UTC)).decode()
    first = re.search(r"DTSTART:\d{8}T\d{6}", text)
    assert first
    read = moved_by_ics(text.replace(first[0], "DTSTART:20261202T080000"), stood, view)
    assert read.document == stood and "has begun" in read.messages[0]


@pytest.mark.parametrize("text", ["", "moved", "BEGIN:VCALENDAR", "BEGIN:VEVENT\nEND:VEVENT", "x" * (LARGEST + 1)])
def test_what_is_no_calendar_moves_nothing(text: str) -> None:
    with pytest.raises(CalendarError):
        moved_by_ics(text, STOOD, schedule_view(STOOD, Scene(JOBS, usual_workshop(), MONDAY)))


def test_every_stretch_of_work_is_an_entry_on_the_workshops_clock() -> None:
    made = entries_of(calendar())
    # Six hours from ten, with an hour's rest at noon, go on the next morning: 10 to 12, 13 to 17.
    assert [(e["UID"], e["DTSTART"], e["DTEND"], e["LOCATION"]) for e in made] == [
        ("job-7-make-0@mavrik", "20261130T080000", "20261130T090000", "Bench"),
        ("job-8-measure-0@mavrik", "20261130T080000", "20261130T093000", "Bay 2"),
        ("job-7-fit-0@mavrik", "20261130T100000", "20261130T120000", "Bay 1"),
        ("job-7-fit-1@mavrik", "20261130T130000", "20261130T170000", "Bay 1"),
    ]
    assert made[2]["SUMMARY"] == "26-0007 Library bus: work on the vehicle"
    assert made[2]["DESCRIPTION"] == "By Technician 1 and Technician 2."
    assert {e["DTSTAMP"] for e in made} == {"20261129T120000Z"}
    assert lines_of(calendar())[0] == "BEGIN:VCALENDAR" and "VERSION:2.0" in lines_of(calendar())


def test_one_persons_work_is_theirs_alone() -> None:
    assert {e["UID"] for e in entries_of(calendar("second"))} == {
        "job-8-measure-0@mavrik",
        "job-7-fit-0@mavrik",
        "job-7-fit-1@mavrik",
    }
    assert entries_of(calendar("nobody")) == []


def test_a_name_breaks_no_line() -> None:
    made = entries_of(calendar(label="Bus, the \\ blue; one"))
    assert made[0]["SUMMARY"] == "26-0007 Bus, the \\ blue; one: make leads"
    assert len(made) == 4


def events(*bodies: str) -> str:
    packed = "".join(f"BEGIN:VEVENT\r\nUID:{k}\r\n{body}\r\nEND:VEVENT\r\n" for k, body in enumerate(bodies))
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n{packed}END:VCALENDAR\r\n"


def test_whole_days_are_closed_and_all_else_is_counted() -> None:
    read = closed_from_ics(
        events(
            "SUMMARY:Harvest day\r\nDTSTART;VALUE=DATE:20261224",
            "SUMMARY:Year's end\r\nDTSTART;VALUE=DATE:20261228\r\nDTEND;VALUE=DATE:20270102",
            "SUMMARY:Lunch\r\nDTSTART:20261228T120000\r\nDTEND:20261228T130000",
            "SUMMARY:Founding day\r\nDTSTART;VALUE=DATE:20260501\r\nRRULE:FREQ=YEARLY",
            "SUMMARY:Of old\r\nDTSTART;VALUE=DATE:18000101",
            "SUMMARY:No day",
        )
    )
    assert [(c.first, c.last, c.label) for c in read.closed] == [
        (date(2026, 5, 1), date(2026, 5, 1), "Founding day"),
        (date(2026, 12, 24), date(2026, 12, 24), "Harvest day"),
        (date(2026, 12, 28), date(2027, 1, 1), "Year's end"),
    ]
    assert (read.skipped, read.repeated) == (3, 1)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("day,name\n2026-12-24,Harvest day\n", "no calendar"),
        ("BEGIN:VEVENT\r\nUID:1\r\nEND:VEVENT\r\n", "no calendar"),
        ("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n", "no calendar"),
        ("\x00\x00", "no calendar"),
        ("x" * (LARGEST + 1), "200 kB"),
        (events(*["DTSTART;VALUE=DATE:20261224"] * 201), "201 entries"),
    ],
)
def test_what_is_no_calendar_is_refused_in_words(text: str, message: str) -> None:
    with pytest.raises(CalendarError, match=message):
        closed_from_ics(text)


@pytest.mark.parametrize("seed", range(40))
def test_a_broken_calendar_is_refused_or_read_and_never_falls_over(seed: int) -> None:
    chance = random.Random(seed)
    text = list(
        events(
            "SUMMARY:Harvest day\r\nDTSTART;VALUE=DATE:20261224\r\nDTEND;VALUE=DATE:20261227",
            "RRULE:FREQ=DAILY\r\nDTSTART;VALUE=DATE:20261224",
        )
    )
    for _ in range(chance.randint(1, 12)):
        text[chance.randrange(len(text))] = chance.choice("\r\n:;=,0Z\\\x00é😀")
    with suppress(CalendarError):
        closed_from_ics("".join(text))
