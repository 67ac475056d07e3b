"""A job's work at the bench."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel

from mavrik.core.fabrication.bench import BuildView
from mavrik.core.fabrication.bill import Bill
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.points import PointsView
from mavrik.core.fabrication.quotation import Consent, QuotationRequest
from mavrik.domain.roles import Permission
from mavrik.exchange.harness_yaml import HarnessRead
from mavrik.jobs import building, quoting
from mavrik.jobs.records import BuildRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, EditedFrom, JobPath, Revision, tag

api = Area("building", __name__)


@api.get(
    "/jobs/<int:job_id>/build", summary="The work at the bench", tags=tag("build"), responses={"200": BuildRecord, **SAVE_ERRORS}
)
@needs(Permission.READ)
def get_build(path: JobPath) -> Response:
    """Leads to make with every figure of the bench, the cable they are cut from, and the steps in a safe order."""
    return answer(building.build_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/build/preview", summary="What a book of the bench comes to", tags=tag("build"),
    responses={"200": BuildView, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
def post_build_preview(path: JobPath, body: BuildBook) -> Response:
    """Nothing is kept."""
    return answer(building.preview_build(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/build/bill", summary="The bill of materials", tags=tag("build"), responses={"200": Bill, **SAVE_ERRORS}
)
@needs(Permission.READ)
def post_build_bill(path: JobPath, body: BuildBook) -> Response:
    """Of a book, without keeping it: parts that serve, what is in stock, what is bought, and what the job is charged."""
    return answer(building.bill_of_build(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/build/points", summary="What lands on each point", tags=tag("build"),
    responses={"200": PointsView, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
@heavy
def post_build_points(path: JobPath, body: BuildBook) -> Response:
    """Of a book, without keeping it: the lugs on each stud from its foot, the thread they take, and what is wrong with that."""
    return answer(building.points_of_build(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/build",
    summary="Keep the book of the bench",
    tags=tag("build"),
    responses={"201": BuildRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@creates
def post_build(path: JobPath, query: EditedFrom, body: BuildBook) -> Response:
    """What is newly ticked was done by whoever sends it, now."""
    return answer(building.keep_build(session(), path.job_id, body, me(), query.revision), 201)


@api.post(
    "/jobs/<int:job_id>/build/harness", summary="Read leads from YAML", tags=tag("build"),
    responses={"200": HarnessRead, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.READ)
@heavy
def post_harness(path: JobPath, body: building.HarnessText) -> Response:
    """Into a book, without keeping it: ways, cables and ends of the leads that the file names."""
    return answer(building.read_harness(session(), path.job_id, body))


class BookNumber(BaseModel):
    """Which book."""

    revision: Revision


@api.post(
    "/jobs/<int:job_id>/build/signature",
    summary="Sign the work off",
    tags=tag("build"),
    responses={"201": BuildRecord, **SAVE_ERRORS},
)
@needs(Permission.SIGN)
@creates
def post_signature(path: JobPath, query: BookNumber) -> Response:
    """As it was kept under that number, all of it done. Refused with 409 where another was kept since."""
    return answer(building.sign_build(session(), path.job_id, query.revision, me()), 201)


class QuotationNumber(BaseModel):
    """Which quotation."""

    revision: Revision


@api.get(
    "/jobs/<int:job_id>/quotation",
    summary="The quotation",
    tags=tag("build"),
    responses={"200": quoting.QuotationRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_quotation(path: JobPath) -> Response:
    """As it was given last, whether it was accepted, and whether the work still costs that."""
    return answer(quoting.quotation(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/quotation", summary="Make a quotation", tags=tag("build"),
    responses={"201": quoting.QuotationRecord, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.WORK)
@creates
def post_quotation(path: JobPath, body: QuotationRequest) -> Response:
    """From the bill of the book as it is kept; its figures stay, whatever a price list says later."""
    return answer(quoting.make_quotation(session(), path.job_id, body, me()), 201)


@api.post(
    "/jobs/<int:job_id>/quotation/accepted", summary="The customer said yes", tags=tag("build"),
    responses={"201": quoting.QuotationRecord, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.WORK)
@creates
def post_quotation_accepted(path: JobPath, query: QuotationNumber, body: Consent) -> Response:
    """To the quotation of that number, and to no other: 409 where one was made since."""
    return answer(quoting.accept_quotation(session(), path.job_id, query.revision, body, me()), 201)
