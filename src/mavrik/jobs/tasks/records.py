"""Long work as people see it: asked for, watched, cancelled, tried again, its file fetched."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.domain.roles import Permission, Who
from mavrik.jobs.errors import InvalidError, NotFoundError, TooManyError
from mavrik.jobs.tasks.base import TaskResult, locked
from mavrik.jobs.tasks.queue import enqueue, withdraw
from mavrik.jobs.tasks.running import clear, kind_of
from mavrik.store.models import Task, TaskFile

SHOWN = 60
MOST_WAITING = 20
"""Of one person: who asks for more would keep all others waiting."""


class TaskRecord(Document):
    """Long work and how far it is."""

    id: int
    kind: str
    title: str
    state: Annotated[str, Field(description="waiting, running, done, failed or cancelled")]
    progress: Annotated[float, Field(description="0 to 1")]
    step: Annotated[str, Field(description="What it is at, in words")]
    problem: Annotated[str, Field(description="Why it failed, in words")]
    result: TaskResult
    file: Annotated[str | None, Field(description="Name of the file it made, to be fetched for a day")]
    job_id: int | None
    asked_by: str
    asked_at: str
    ended_at: str | None
    may_try_again: bool


class TaskList(Document):
    """What runs, and what ran last."""

    tasks: tuple[TaskRecord, ...]


def ask_for(session: Session, kind: str, request: Document, title: str, who: Who, job_id: int | None = None) -> Task:
    """Put work into the queue. It is begun once the transaction is committed.

    kind: of `mavrik.jobs.tasks.kinds`, by name; request: what that is told; title: for people; job_id: the job that it ends with
    Raises TooManyError where a person has too much waiting already.
    """
    waiting = select(func.count()).where(Task.person_id == who.id, Task.ended_at.is_(None))
    if (session.scalar(waiting) or 0) >= MOST_WAITING:
        raise TooManyError(f"{MOST_WAITING} things you asked for are not done yet. Wait for some, or cancel them.")
    return put_into_queue(session, kind, request, title, who.id, job_id)


def put_into_queue(session: Session, kind: str, request: Document, title: str, person_id: int, job_id: int | None = None) -> Task:
    """The same however much somebody has waiting, for what has to be done and nobody asked for.

    person_id: whose it is
    """
    row = Task(kind=kind, title=title[:200], request=request.model_dump(mode="json"), person_id=person_id, job_id=job_id)
    session.add(row)
    enqueue(session, row)
    session.flush()
    session.refresh(row)
    return row


def record_of(row: Task, file: str | None = None) -> TaskRecord:
    """A row as a document; file: the name of what it made, while that is kept."""
    try:
        again = kind_of(row).again and row.state in ("failed", "cancelled")
    except KeyError:
        again = False
    return TaskRecord(
        id=row.id, kind=row.kind, title=row.title, state=row.state, progress=row.progress, step=row.step, problem=row.problem,
        result=TaskResult.model_validate(row.result), file=file, job_id=row.job_id, asked_by=row.person.name,
        asked_at=row.created_at.isoformat(), ended_at=row.ended_at.isoformat() if row.ended_at else None, may_try_again=again,
    )  # fmt: skip


def list_tasks(session: Session, who: Who) -> TaskList:
    """What somebody asked for; whoever may read the log sees everybody's. What runs or waits comes first, then the newest."""
    query = select(Task, TaskFile.name).outerjoin(TaskFile, TaskFile.task_id == Task.id)
    if not who.may(Permission.AUDIT):
        query = query.where(Task.person_id == who.id)
    rows = session.execute(query.order_by(Task.ended_at.is_not(None), Task.id.desc()).limit(SHOWN))
    return TaskList(tasks=tuple(record_of(row, file) for row, file in rows))


def task_of(session: Session, task_id: int, who: Who) -> TaskRecord:
    """One of them. Raises NotFoundError, also for what is not theirs."""
    return record_of(_theirs(session, task_id, who), session.scalar(select(TaskFile.name).where(TaskFile.task_id == task_id)))


def _theirs(session: Session, task_id: int, who: Who) -> Task:
    row: Task | None = session.scalar(locked(task_id))
    if row is None or (row.person_id != who.id and not who.may(Permission.AUDIT)):
        raise NotFoundError("There is no such task.")
    return row


def cancel(session: Session, task_id: int, who: Who) -> TaskRecord:
    """Have it stopped; what it has finished in parts stays. One that has ended stays as it is."""
    row = _theirs(session, task_id, who)
    stop(session, row)
    return task_of(session, task_id, who)


def stop(session: Session, row: Task) -> None:
    """The same for what belongs to something that is given up."""
    if row.ended_at is not None:
        return
    waiting = row.state == "waiting"
    row.state, row.ended_at, row.step = "cancelled", func.now(), ""
    withdraw(session, row)
    session.flush()
    session.refresh(row)
    if waiting:
        # No worker comes past it any more; one that has begun clears up itself.
        clear(row)


def try_again(session: Session, task_id: int, who: Who) -> TaskRecord:
    """Begin what failed or was cancelled anew. Raises InvalidError for what cannot be."""
    row = _theirs(session, task_id, who)
    if not record_of(row).may_try_again:
        raise InvalidError("This cannot be tried again; ask for it anew where it was asked for.")
    row.state, row.progress, row.step, row.problem, row.tries, row.ended_at = "waiting", 0.0, "", "", 0, None
    row.result = {}
    enqueue(session, row)
    session.flush()
    return task_of(session, task_id, who)


def file_of(session: Session, task_id: int, who: Who) -> TaskFile:
    """What it made. Raises NotFoundError where there is none, or not any more."""
    _theirs(session, task_id, who)
    row = session.get(TaskFile, task_id)
    if row is None:
        raise NotFoundError("There is no file any more: ask for it anew.")
    return row
