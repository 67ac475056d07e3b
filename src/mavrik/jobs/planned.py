"""When a job is worked on, as the workshop's schedule was kept last."""

from __future__ import annotations

from datetime import date

from sqlalchemy.orm import Session

from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.workshop import TASK_WORDS, Workshop, usual_workshop
from mavrik.jobs.lists import ListKind, kept_list
from mavrik.jobs.records import PlannedWork

WORKSHOP = ListKind("workshop", "workshop's bays, people and hours", Workshop, usual_workshop)
SCHEDULE = ListKind("schedule", "schedule", Schedule, Schedule)


def planned(session: Session, job_id: int, today: date) -> tuple[PlannedWork, ...]:
    """Its places in order of time, those before today left out. today: on the workshop's clock."""
    _, laid = kept_list(session, SCHEDULE)
    pieces = sorted((p for p in laid.placed if p.job_id == job_id and p.begins.date() >= today), key=lambda p: p.begins)
    if not pieces:
        return ()
    _, means = kept_list(session, WORKSHOP)
    bays, people = {b.id: b.label for b in means.bays}, {p.id: p.label for p in means.people}
    return tuple(
        PlannedWork(
            label=TASK_WORDS[p.kind], begins=p.begins, bay=bays.get(p.bay or "", ""), people=tuple(people.get(i, i) for i in p.people)
        )
        for p in pieces
    )  # fmt: skip
