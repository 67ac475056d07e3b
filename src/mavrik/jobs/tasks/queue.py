"""The queue of long work, in the database itself: what is asked for and its place in the queue are one transaction.

Source of the way it is done: procrastinate's documentation, chapters on external connections and stalled jobs.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from procrastinate import App, JobContext, PsycopgConnector, RetryStrategy, SyncPsycopgConnector, exceptions
from procrastinate.connector import BaseConnector
from sqlalchemy import select, text
from sqlalchemy.exc import OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session

from mavrik.jobs.tasks.running import kind_of, run_task
from mavrik.store.database import Database, as_libpq
from mavrik.store.models import Task

log = logging.getLogger(__name__)

TASK = "mavrik.task"
AT_ONCE = 3
"""Most of it waits for a disk, a database or an oscilloscope."""

HEARTBEAT_S = 2.0
STALLED_S = 12.0
"""A worker that has not been heard of for so long is dead."""

LOOK_EVERY_S = 4.0
ENDS_WITHIN_S = 4.0
"""What a worker that is to end is doing may go on for so long; another one does it again after that."""


def _app(connector: BaseConnector) -> App:
    app = App(connector=connector)

    # The database may be away for a moment; what is wrong with the work itself never comes out of `run_task`.
    @app.task(name=TASK, pass_context=True, retry=RetryStrategy(max_attempts=100, wait=3))
    def run(context: JobContext, task_id: int) -> None:
        run_task(context.additional_context["database"], task_id)

    return app


_QUEUE = _app(SyncPsycopgConnector())
"""To put into the queue on a connection that is given: it opens none itself."""


@contextmanager
def _connection_of(session: Session) -> Iterator[Any]:
    """The driver's own connection, in the session's transaction. One that is lost there is lost to the session too, and told as such."""
    used = session.connection()
    try:
        yield used.connection.driver_connection
    except exceptions.ConnectorException as error:
        used.invalidate()
        raise OperationalError("queue", None, error, hide_parameters=True) from error


def enqueue(session: Session, row: Task) -> None:
    """Give a task its place in the queue, when the session's transaction is committed."""
    session.flush()
    with _connection_of(session) as connection:
        place = _QUEUE.configure_task(TASK, connection=connection, priority=kind_of(row).priority)
        row.queued_id = place.defer(task_id=row.id)


def withdraw(session: Session, row: Task) -> None:
    """Take a task that no worker has begun out of the queue."""
    if row.queued_id is not None:
        with _connection_of(session) as connection:
            _QUEUE.job_manager.cancel_job_by_id(row.queued_id, delete_job=True, connection=connection)


def work(database: Database, wait: bool = True) -> None:
    """Do what is in the queue.

    wait: go on until told to end by SIGTERM; otherwise return when the queue is empty
    """
    asyncio.run(_work(database, wait))


async def _work(database: Database, wait: bool) -> None:
    app = _app(PsycopgConnector(conninfo=as_libpq(database.url), min_size=1, max_size=4))
    async with app.open_async():
        keeper = asyncio.create_task(_look_after(app, database)) if wait else None
        try:
            await app.run_worker_async(
                concurrency=AT_ONCE, wait=wait, listen_notify=wait, install_signal_handlers=wait, delete_jobs="always",
                update_heartbeat_interval=HEARTBEAT_S, stalled_worker_timeout=STALLED_S, shutdown_graceful_timeout=ENDS_WITHIN_S,
                additional_context={"database": database},
            )  # fmt: skip
        finally:
            if keeper is not None:
                keeper.cancel()


async def _look_after(app: App, database: Database) -> None:
    """Bring back into the queue what a worker that died was doing, or what has lost its place in it."""
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
                log.warning("a worker died; its task is begun anew")
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(requeue_lost, database)
        except (exceptions.ConnectorException, SQLAlchemyError):
            log.warning("the queue cannot be looked after at this moment")
        await asyncio.sleep(LOOK_EVERY_S)


QUEUED = text("SELECT 1 FROM procrastinate_jobs WHERE id = :id AND status IN ('todo', 'doing')")


def requeue_lost(database: Database) -> int:
    """Give tasks that have not ended and are in no queue their place again; returns how many."""
    lost = 0
    with database.session() as session:
        unfinished = select(Task).where(Task.ended_at.is_(None)).with_for_update(of=Task, skip_locked=True)
        for row in session.scalars(unfinished):
            if row.queued_id is None or session.scalar(QUEUED, {"id": row.queued_id}) is None:
                enqueue(session, row)
                lost += 1
    return lost
