"""Where a job lies: on the bench, in the archive, in the waste basket; and reopening one that is done."""

from __future__ import annotations

import logging
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from mavrik.core.document import Problem
from mavrik.domain.job import JobState, Shelf
from mavrik.domain.roles import Who
from mavrik.jobs.changes import erase_personal, note_change
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.records import JobRecord
from mavrik.jobs.summaries import summarise
from mavrik.jobs.work import get_row, job_record, refuse_put_away, shelf_of
from mavrik.store.models import Capture, Change, CircuitVersion, Job, JobDocument, Photo, Run, StockMove, Vehicle
from mavrik.store.traces import rewriting

log = logging.getLogger(__name__)

BASKET_KEEPS = timedelta(days=30)


def reopen(session: Session, job_id: int, reason: str, who: Who) -> JobRecord:
    """Open a job again that was done: only then it can change. Raises InvalidError for one that is not done, ClosedError for one put away."""
    row = get_row(session, job_id, lock=True)
    refuse_put_away(row)
    if row.state != JobState.DONE.value:
        raise InvalidError("This job is not done.", [Problem("state", "state", "Only a job that is done is reopened")])
    row.state = JobState.OPEN.value
    note_change(
        session, job_id, who, f"reopened the job: {reason}", kind="reopened", thing="job",
        before={"state": JobState.DONE.value}, after={"state": JobState.OPEN.value},
    )  # fmt: skip
    session.flush()
    summarise(session, row)
    return job_record(session, row)


WORDS = {
    Shelf.BENCH: "put the job back on the bench",
    Shelf.ARCHIVE: "archived the job",
    Shelf.BASKET: "put the job into the waste basket",
}


def put_on(session: Session, job_id: int, shelf: Shelf, who: Who) -> JobRecord:
    """Put a job on another shelf; from the waste basket it can be taken back for thirty days."""
    row = get_row(session, job_id, lock=True)
    before = shelf_of(row)
    if before is not shelf:
        now = datetime.now(UTC)
        row.archived_at = now if shelf is Shelf.ARCHIVE else None
        row.binned_at = now if shelf is Shelf.BASKET else None
        note_change(
            session, job_id, who, WORDS[shelf], kind="shelved", thing="job", before={"shelf": before.value}, after={"shelf": shelf.value}
        )  # fmt: skip
        session.flush()
    return job_record(session, row)


def empty_basket(session: Session, now: datetime | None = None) -> list[str]:
    """Delete for good what has lain in the waste basket for thirty days; returns the numbers of those jobs.

    What is known of who did what on them stays, without the job and without what it said of the customer.
    """
    due = (now or datetime.now(UTC)) - BASKET_KEEPS
    rows = session.scalars(select(Job).where(Job.binned_at < due).with_for_update(of=Job, skip_locked=True)).all()
    numbers = []
    for row in rows:
        job_id, vehicle_id, number = row.id, row.vehicle_id, row.number
        with rewriting(session):
            for change in session.scalars(select(Change).where(Change.job_id == job_id)):
                # Whose job it was could not be found any more to be erased.
                erase_personal(change)
                change.job_id, change.thing = None, f"job {number}"
            session.flush()
            for table in (Capture, Photo, JobDocument):
                session.execute(delete(table).where(table.job_id == job_id))
            # What it took from the stock stays taken.
            session.execute(update(StockMove).where(StockMove.job_id == job_id).values(job_id=None))
            session.execute(update(Run).where(Run.job_id == job_id).values(supersedes_id=None))
            for kind in (Run, CircuitVersion):
                session.execute(delete(kind).where(kind.job_id == job_id))
            session.execute(delete(Job).where(Job.id == job_id))
            if session.scalar(select(Job.id).where(Job.vehicle_id == vehicle_id).limit(1)) is None:
                session.execute(delete(Vehicle).where(Vehicle.id == vehicle_id))
            session.add(
                Change(
                    person_name="Mavrik",
                    kind="removed",
                    thing=f"job {number}",
                    what=f"deleted job {number}: thirty days in the basket",
                )
            )
        numbers.append(number)
    if numbers:
        log.info("deleted %d jobs from the waste basket", len(numbers))
    session.expire_all()
    return numbers
