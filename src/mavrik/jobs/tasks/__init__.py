"""Long work: put into a queue with its transaction, done by a worker beside the server, watched and cancelled by people."""

from mavrik.jobs.tasks.base import MadeJob, RefusedFile, Stopped, TaskKind, TaskResult, Work
from mavrik.jobs.tasks.queue import requeue_lost, work
from mavrik.jobs.tasks.records import (
    TaskList,
    TaskRecord,
    ask_for,
    cancel,
    file_of,
    list_tasks,
    put_into_queue,
    record_of,
    stop,
    task_of,
    try_again,
)

__all__ = [
    "MadeJob",
    "RefusedFile",
    "Stopped",
    "TaskKind",
    "TaskList",
    "TaskRecord",
    "TaskResult",
    "Work",
    "ask_for",
    "cancel",
    "file_of",
    "list_tasks",
    "put_into_queue",
    "record_of",
    "requeue_lost",
    "stop",
    "task_of",
    "try_again",
    "work",
]
