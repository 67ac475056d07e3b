"""Long work: what runs, and what came of it."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import BaseModel, Field

from mavrik.domain.roles import Permission
from mavrik.jobs import tasks
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.shared import SAVE_ERRORS, tag

api = Area("tasks", __name__)
TAGS = tag("tasks")


class TaskPath(BaseModel):
    """Names a task."""

    task_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


@api.get("/tasks", summary="What runs and what ran last", tags=TAGS, responses={"200": tasks.TaskList, **SAVE_ERRORS})
@needs(Permission.READ)
def get_tasks() -> Response:
    """One's own; whoever may read the log of changes sees everybody's."""
    return answer(tasks.list_tasks(session(), me()))


@api.get("/tasks/<int:task_id>", summary="A task", tags=TAGS, responses={"200": tasks.TaskRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def get_task(path: TaskPath) -> Response:
    """How far it is, and what came of it."""
    return answer(tasks.task_of(session(), path.task_id, me()))


@api.post("/tasks/<int:task_id>/cancel", summary="Cancel a task", tags=TAGS, responses={"200": tasks.TaskRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def post_cancel(path: TaskPath) -> Response:
    """What it has finished in parts stays; one that has ended is left as it is."""
    return answer(tasks.cancel(session(), path.task_id, me()))


@api.post("/tasks/<int:task_id>/again", summary="Try a task again", tags=TAGS, responses={"200": tasks.TaskRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def post_again(path: TaskPath) -> Response:
    """One that failed or was cancelled."""
    return answer(tasks.try_again(session(), path.task_id, me()))


@api.get("/tasks/<int:task_id>/file", summary="What a task made", tags=TAGS, responses={"200": None, **SAVE_ERRORS})
@needs(Permission.READ)
def get_file(path: TaskPath) -> Response:
    """For a day after it was made."""
    made = tasks.file_of(session(), path.task_id, me())
    return Response(made.data, mimetype=made.media_type, headers={"Content-Disposition": f'attachment; filename="{made.name}"'})
