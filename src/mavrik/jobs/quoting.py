"""A job's quotation: made from its bill, kept as it was given, and accepted."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sqlalchemy.orm import Session

from mavrik.core.document import Day, Document, Problem
from mavrik.core.fabrication.quotation import (
    HOLDS_DAYS,
    Consent,
    Quotation,
    QuotationRequest,
    quotation_number,
    quotation_of,
    says_the_same,
)
from mavrik.domain.job import DocumentKind
from mavrik.domain.roles import Who
from mavrik.jobs.building import bill_as_kept
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError
from mavrik.jobs.kept import keep_document, latest_document
from mavrik.jobs.lists import prices
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job


class QuotationRecord(Document):
    """What the customer was offered last."""

    revision: int
    """0: nothing yet."""
    number: int
    """What it is called; 0: nothing yet."""
    document: Quotation | None
    usual_until: Day
    """So long another one would usually hold."""
    changed: str
    """What is otherwise since; empty: nothing is."""


def quotation(session: Session, job_id: int) -> QuotationRecord:
    """As it was given last, and whether the work still costs that."""
    return _record(session, get_row(session, job_id))


def make_quotation(session: Session, job_id: int, request: QuotationRequest, who: Who) -> QuotationRecord:
    """Make one from the bill of the book as it is kept.

    Raises InvalidError for a date that is past and for a part that nobody has priced, NotFoundError without a circuit, ClosedError for a
    job that is done.
    """
    row = row_to_change(session, job_id)
    if request.valid_until < datetime.now(UTC).date():
        message = "A quotation holds until a day to come."
        raise InvalidError(message, [Problem("quotation", "valid_until", message)])
    made = _made(session, row, request)
    keep_document(session, row, DocumentKind.QUOTATION, made, who, f"a quotation of {_amount(made)}")
    return _record(session, row)


def accept_quotation(session: Session, job_id: int, revision: int, given: Consent, who: Who) -> QuotationRecord:
    """Keep that the customer said yes to a quotation, under its number.

    Raises NotFoundError where there is none, ConflictError where another one was made since, InvalidError for one that is past its day.
    """
    row = row_to_change(session, job_id)
    kept = latest_document(row, DocumentKind.QUOTATION)
    if kept is None:
        raise NotFoundError("Nothing was offered yet.")
    document = Quotation.model_validate(kept.document)
    if kept.revision != revision:
        raise ConflictError("Another quotation was made since: look at it before it is accepted.", {"revision": kept.revision})
    now = datetime.now(UTC)
    if document.request.valid_until < now.date():
        message = f"It held until {document.request.valid_until}: make another one."
        raise InvalidError(message, [Problem("quotation", "valid_until", message)])
    if document.accepted is None:
        accepted = Consent(by=given.by, recorded_by=who.name, at=now)
        keep_document(
            session, row, DocumentKind.QUOTATION, document.model_copy(update={"accepted": accepted}), who,
            f"that {given.by} accepted {_amount(document)}"[:300],
        )  # fmt: skip
    return _record(session, row)


def _made(session: Session, row: Job, request: QuotationRequest) -> Quotation:
    try:
        return quotation_of(bill_as_kept(session, row), prices(session).document.labour_per_h, request)
    except ValueError as error:
        raise InvalidError(str(error), [Problem("quotation", "lines", str(error))]) from error


def _amount(made: Quotation) -> str:
    return f"{made.total} {made.currency}".strip()


def _record(session: Session, row: Job) -> QuotationRecord:
    until = datetime.now(UTC).date() + timedelta(days=HOLDS_DAYS)
    kept = sorted((d for d in row.documents if d.kind == DocumentKind.QUOTATION.value), key=lambda d: d.revision)
    if not kept:
        return QuotationRecord(revision=0, number=0, document=None, usual_until=until, changed="")
    offered = [Quotation.model_validate(d.document) for d in kept]
    document = offered[-1]
    try:
        now = _made(session, row, document.request)
        changed = "" if says_the_same(now, document) else f"The work has changed since: it comes to {_amount(now)} now."
    except InvalidError as error:
        changed = str(error)
    return QuotationRecord(
        revision=kept[-1].revision, number=quotation_number(offered), document=document, usual_until=until, changed=changed
    )
