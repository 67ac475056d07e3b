"""Jobs as files: bundle, readings, sheet."""

from __future__ import annotations

from datetime import UTC, datetime

from flask import Response, current_app, g, json
from flask_openapi3.blueprint import APIBlueprint

from mavrik.domain.roles import Role
from mavrik.exchange.bundle import bundle_schema
from mavrik.jobs import carrying, printing
from mavrik.web.access import PUBLIC, needs, session
from mavrik.web.shared import JobPath, tag

api = APIBlueprint("files", __name__, url_prefix="/api")


def _file(name: str, data: str | bytes, kind: str) -> Response:
    safe = "".join(c if c.isalnum() or c in "._-" else "_" for c in name)
    return Response(data, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{safe}"'})


@api.get("/jobs/<int:job_id>/bundle", summary="Take a job out as a bundle", tags=tag("files"))
@needs(Role.READ_ONLY)
def get_bundle(path: JobPath) -> Response:
    """A `.mavrik.json` file."""
    name, data = carrying.export_bundle(session(), path.job_id)
    return _file(name, data, "application/json")


@api.get("/jobs/<int:job_id>/readings.csv", summary="Readings as CSV", tags=tag("files"))
@needs(Role.READ_ONLY)
def get_readings(path: JobPath) -> Response:
    """One row a reading."""
    name, text = carrying.export_readings(session(), path.job_id)
    return _file(name, text, "text/csv")


@api.get("/jobs/<int:job_id>/readings.parquet", summary="Readings as Parquet", tags=tag("files"))
@needs(Role.READ_ONLY)
def get_readings_parquet(path: JobPath) -> Response:
    """The same rows with numbers as numbers."""
    name, data = carrying.export_readings(session(), path.job_id, "parquet")
    return _file(name, data, "application/vnd.apache.parquet")


@api.get("/jobs/<int:job_id>/sheet.pdf", summary="The job sheet as PDF", tags=tag("files"))
@needs(Role.READ_ONLY)
def get_sheet_pdf(path: JobPath) -> Response:
    """For the customer and the file."""
    name, data = printing.sheet_pdf(session(), path.job_id, current_app.config["MAVRIK"].workshop, datetime.now(UTC))
    return _file(name, data, "application/pdf")


@api.get("/jobs/<int:job_id>/sheet", summary="The job sheet as a page", tags=tag("files"))
@needs(Role.READ_ONLY)
def get_sheet(path: JobPath) -> Response:
    """For the screen and the browser's printer."""
    page = printing.sheet_html(
        session(), path.job_id, current_app.config["MAVRIK"].workshop, datetime.now(UTC), g.nonce, "/sheet-assets/"
    )
    return Response(page, mimetype="text/html")


@api.get("/schema/bundle", summary="JSON Schema of the job bundle", tags=tag("files"))
@needs(PUBLIC)
def get_bundle_schema() -> Response:
    """The published format."""

    return Response(json.dumps(bundle_schema()), mimetype="application/schema+json")
