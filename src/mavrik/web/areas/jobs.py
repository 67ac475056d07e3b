"""Jobs and their circuits."""

from __future__ import annotations

from typing import Annotated

from flask import Response, request
from pydantic import BaseModel, Field

from mavrik.core.circuit import Circuit
from mavrik.domain.job import Shelf
from mavrik.domain.roles import Permission
from mavrik.jobs import carrying, listing, shelving, work
from mavrik.jobs.records import CircuitRecord, JobRecord
from mavrik.jobs.tasks import TaskRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy, to_the_end
from mavrik.web.kept import kept
from mavrik.web.repeat import creates
from mavrik.web.shared import ERRORS, SAVE_ERRORS, JobPath, tag
from mavrik.web.uploads import received

api = Area("jobs", __name__)


class JobChange(work.JobInput):
    """A job's details as edited from a version."""

    lock: int


class Reopening(BaseModel):
    """Why a job that is done is opened again."""

    reason: Annotated[str, Field(min_length=3, max_length=200)]


class OnShelf(BaseModel):
    """Where a job is to lie."""

    shelf: Shelf


class CircuitSave(BaseModel):
    """A circuit as edited from a version."""

    document: Circuit
    lock: int | None = None
    circuit_id: int | None = None
    as_new_revision: bool = False


@api.get("/jobs", summary="List jobs", tags=tag("jobs"), responses={"200": listing.JobsPage, **ERRORS})
@needs(Permission.READ)
@kept
def get_jobs(query: listing.JobsQuery) -> Response:
    """A page at a time, with what was found and what is missing."""
    return answer(listing.list_jobs(session(), query))


@api.post("/jobs", summary="Open a job", tags=tag("jobs"), responses={"201": JobRecord, **ERRORS})
@needs(Permission.WORK)
@creates
def post_jobs(body: work.JobInput) -> Response:
    """Customer, vehicle, complaint."""
    return answer(work.create_job(session(), body, me()), 201)


@api.post("/jobs/import", summary="Take a job in from a bundle", tags=tag("jobs"), responses={"201": JobRecord, **ERRORS})
@needs(Permission.WORK)
@creates
@heavy
@to_the_end
def post_import() -> Response:
    """The request's body is the bundle file."""
    return answer(carrying.import_bundle(session(), request.get_data(cache=False), me()), 201)


ARCHIVE = "jobs.post_archive"
"""Endpoint that takes an archive."""


class ArchiveQuery(BaseModel):
    """What the archive was called where it came from."""

    name: Annotated[str, Field(max_length=120)] = "an archive"


@api.post("/jobs/archive", summary="Take many jobs in", tags=tag("jobs"), responses={"202": TaskRecord, **ERRORS})
@needs(Permission.WORK)
def post_archive(query: ArchiveQuery) -> Response:
    """The request's body is a ZIP of bundles; they are taken in in the background, each whole or not at all."""
    with received() as held:
        return answer(carrying.import_archive_later(session(), query.name, str(held), me()), 202)


@api.get("/jobs/<int:job_id>", summary="A whole job", tags=tag("jobs"), responses={"200": JobRecord, **SAVE_ERRORS})
@needs(Permission.READ)
@kept
def get_job(path: JobPath) -> Response:
    """With its circuits, tests and history."""
    return answer(work.open_job(session(), path.job_id))


@api.put("/jobs/<int:job_id>", summary="Change a job's details", tags=tag("jobs"), responses={"200": JobRecord, **SAVE_ERRORS})
@needs(Permission.WORK)
def put_job(path: JobPath, body: JobChange) -> Response:
    """Refused with 409 when somebody else saved in between."""
    given = work.JobInput.model_validate(body.model_dump(exclude={"lock"}, exclude_unset=True))
    return answer(work.change_job(session(), path.job_id, given, body.lock, me()))


@api.post(
    "/jobs/<int:job_id>/reopen",
    summary="Open a job again that is done",
    tags=tag("jobs"),
    responses={"200": JobRecord, **SAVE_ERRORS},
)
@needs(Permission.REOPEN)
def post_reopen(path: JobPath, body: Reopening) -> Response:
    """The only change that a job that is done takes."""
    return answer(shelving.reopen(session(), path.job_id, body.reason, me()))


@api.put(
    "/jobs/<int:job_id>/shelf",
    summary="Archive a job, put it into the waste basket, take it back",
    tags=tag("jobs"),
    responses={"200": JobRecord, **SAVE_ERRORS},
)
@needs(Permission.SHELVE)
def put_shelf(path: JobPath, body: OnShelf) -> Response:
    """What lies in the waste basket for thirty days is deleted for good."""
    return answer(shelving.put_on(session(), path.job_id, body.shelf, me()))


@api.put(
    "/jobs/<int:job_id>/circuit",
    summary="Save the circuit as found",
    tags=tag("jobs"),
    responses={"200": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def put_circuit(path: JobPath, body: CircuitSave) -> Response:
    """A version that was measured is never changed: saving makes the next revision."""
    saved = work.save_circuit(
        session(),
        path.job_id,
        body.document,
        me(),
        lock=body.lock,
        circuit_id=body.circuit_id,
        as_new_revision=body.as_new_revision,
    )
    return answer(saved)


@api.post(
    "/jobs/<int:job_id>/resistances",
    summary="Put the fitted resistances into the circuit",
    tags=tag("jobs"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@creates
def post_resistances(path: JobPath) -> Response:
    """As the next revision of the circuit as found; only what the readings told."""
    return answer(work.take_over_resistances(session(), path.job_id, me()), 201)
