"""Jobs as files: bundle, readings, sheet."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from flask import Response, current_app, g, json, request
from pydantic import BaseModel, Field

from mavrik.domain.roles import Permission
from mavrik.exchange.bundle import bundle_schema
from mavrik.exchange.files import Printing
from mavrik.jobs import carrying, listing
from mavrik.jobs.tasks import TaskRecord
from mavrik.web.access import PUBLIC, me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy, to_the_end
from mavrik.web.repeat import creates
from mavrik.web.shared import ERRORS, JobPath, tag

api = Area("files", __name__)


class FilePath(JobPath):
    """Names a file of a job."""

    name: Annotated[str, Field(max_length=40, description="As the catalogue lists them")]


def _printing() -> Printing:
    return Printing(current_app.config["MAVRIK"].workshop, datetime.now(UTC), address=request.url_root)


def _file(job_id: int, name: str) -> Response:
    called, data, kind = carrying.export_file(session(), job_id, name, _printing())
    safe = "".join(c if c.isalnum() or c in "._-" else "_" for c in called)
    return Response(data, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{safe}"'})


@api.get("/jobs/<int:job_id>/files/<string:name>", summary="A job as a file", tags=tag("files"), responses=ERRORS)
@needs(Permission.READ)
@heavy
@to_the_end
def get_file(path: FilePath) -> Response:
    """Bundle, sheet, readings as CSV and Parquet, netlist: all that the catalogue lists."""
    return _file(path.job_id, path.name)


@api.get("/jobs/<int:job_id>/bundle", summary="Take a job out as a bundle", tags=tag("files"))
@needs(Permission.READ)
@heavy
@to_the_end
def get_bundle(path: JobPath) -> Response:
    """A `.mavrik.json` file."""
    return _file(path.job_id, "bundle")


@api.get("/jobs/<int:job_id>/readings.csv", summary="Readings as CSV", tags=tag("files"))
@needs(Permission.READ)
@heavy
@to_the_end
def get_readings(path: JobPath) -> Response:
    """One row a reading."""
    return _file(path.job_id, "readings.csv")


@api.get("/jobs/<int:job_id>/readings.parquet", summary="Readings as Parquet", tags=tag("files"))
@needs(Permission.READ)
@heavy
@to_the_end
def get_readings_parquet(path: JobPath) -> Response:
    """The same rows with numbers as numbers."""
    return _file(path.job_id, "readings.parquet")


@api.get("/jobs/<int:job_id>/sheet.pdf", summary="The job sheet as PDF", tags=tag("files"))
@needs(Permission.READ)
@heavy
@to_the_end
def get_sheet_pdf(path: JobPath) -> Response:
    """For the customer and the file."""
    return _file(path.job_id, "sheet.pdf")


@api.get("/jobs/<int:job_id>/sheet", summary="The job sheet as a page", tags=tag("files"))
@needs(Permission.READ)
@heavy
@to_the_end
def get_sheet(path: JobPath) -> Response:
    """For the screen and the browser's printer."""
    page = carrying.sheet_html(session(), path.job_id, _printing(), g.nonce, "/sheet-assets/")
    return Response(page, mimetype="text/html")


class FilesQuery(BaseModel):
    """What each job of a list is written out as."""

    file: Annotated[str, Field(max_length=40, description="As the catalogue lists them")]


@api.post("/files", summary="Many jobs as files", tags=tag("files"), responses={"202": TaskRecord, **ERRORS})
@needs(Permission.READ)
@creates
def post_files(query: listing.JobsQuery, body: FilesQuery) -> Response:
    """All jobs of a list, whatever its pages, as one ZIP; it is made in the background."""
    ids = listing.ids_of(session(), query)
    workshop = current_app.config["MAVRIK"].workshop
    return answer(carrying.write_list_later(session(), ids, body.file, workshop, me(), request.url_root), 202)


@api.get("/schema/bundle", summary="JSON Schema of the job bundle", tags=tag("files"))
@needs(PUBLIC)
def get_bundle_schema() -> Response:
    """The published format."""

    return Response(json.dumps(bundle_schema()), mimetype="application/schema+json")
