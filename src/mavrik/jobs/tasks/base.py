"""What a kind of long work is, and what it has to do with while it is done."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.domain.roles import Who
from mavrik.store.database import Database
from mavrik.store.models import Task, TaskFile

PROGRESS_EVERY_S = 0.25
Request = TypeVar("Request", bound=Document)


class Stopped(Exception):
    """Somebody does not want it any more, or another worker has taken it over."""


class MadeJob(Document):
    """A job that a task has made."""

    file: str
    job_id: int
    number: str


class RefusedFile(Document):
    """What a task could not take in or write, and why."""

    file: str
    why: str


class TaskResult(Document):
    """What came of a task beside its file."""

    made: tuple[MadeJob, ...] = ()
    refused: tuple[RefusedFile, ...] = ()


class Work:
    """One try of a task: says how far it is, keeps what is made, and is told when nobody wants it any more."""

    def __init__(self, database: Database, row: Task, who: Who) -> None:
        self._database, self._id, self._tries = database, row.id, row.tries
        self.who = who
        self.result = TaskResult.model_validate(row.result)
        """Of the tries before, where they got somewhere."""
        self._said = 0.0

    def progress(self, share: float, step: str | None = None) -> None:
        """Say how far it is, 0 to 1, now and then. Raises Stopped."""
        if step is None and time.monotonic() - self._said < PROGRESS_EVERY_S:
            return
        self._said = time.monotonic()
        with self.session() as session:
            mine = update(Task).where(Task.id == self._id, Task.state == "running", Task.tries == self._tries)
            more = {} if step is None else {"step": step[:200]}
            if not session.execute(mine.values(progress=share, **more)).rowcount:  # type: ignore[attr-defined]
                raise Stopped

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction."""
        with self._database.session() as session:
            yield session

    def keep(self, session: Session, result: TaskResult) -> None:
        """Note in a transaction what has come of it so far: with what it made, or not at all. Raises Stopped."""
        self._mine(session).result = result.model_dump(mode="json")
        self.result = result

    @contextmanager
    def last(self, file: tuple[str, str, bytes] | None = None) -> Iterator[Session]:
        """The transaction in which it is done. Raises Stopped.

        file: name, media type and bytes of what it made, to be fetched
        """
        with self.session() as session:
            row = self._mine(session)
            yield session
            row.state, row.progress, row.step, row.ended_at = "done", 1.0, "", func.now()
            row.result = self.result.model_dump(mode="json")
            if file is not None:
                name, media_type, data = file
                session.merge(TaskFile(task_id=self._id, name=name, media_type=media_type, data=data))

    def _mine(self, session: Session) -> Task:
        row: Task | None = session.scalar(locked(self._id))
        if row is None or not self.is_mine(row):
            raise Stopped
        return row

    def is_mine(self, row: Task) -> bool:
        """Whether it is still this try that the task waits for."""
        return row.state == "running" and row.tries == self._tries


def locked(task_id: int) -> Any:
    """The query for a task that nobody else changes until the transaction ends."""
    return select(Task).where(Task.id == task_id).with_for_update(of=Task)


def _nothing(*_: Any) -> None:
    """For a kind that leaves nothing behind."""


@dataclass(frozen=True)
class TaskKind(Generic[Request]):
    """A kind of long work; a file of `mavrik.jobs.tasks.kinds` each, found by itself."""

    name: str
    request: type[Request]
    """What is wanted; plain enough to lie in the database until its turn comes."""
    run: Callable[[Work, Request], None]
    """Does it, and ends with `Work.last`. Raises what `mavrik.jobs.tasks.running.IN_WORDS` lists."""
    survives: bool = True
    """Whether it is begun anew after its worker died: what it makes has to be there once all the same."""
    again: bool = False
    """Whether a person may have it tried again after it failed."""
    priority: int = 0
    """Those that somebody stands and waits for come first."""
    cleared: Callable[[Request], None] = _nothing
    """Deletes what it left on the disk, once it has ended in whatever way."""
    failed: Callable[[Session, Request, str], None] = _nothing
    """Says of other rows that it failed, and why."""
