"""A job's work at the bench: leads to make, steps to tick, kept as it goes."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.fabrication.bench import BuildProblemError, BuildView, build_bill
from mavrik.core.fabrication.bill import Bill
from mavrik.core.fabrication.documents import BuildBook, Signature, Tick, check_book
from mavrik.core.fabrication.points import PointsView, points_view
from mavrik.core.fabrication.signing import mark_of
from mavrik.domain.job import DocumentKind
from mavrik.domain.roles import Who
from mavrik.exchange.harness_yaml import LARGEST, HarnessError, HarnessRead, harness_from_yaml, with_harness
from mavrik.jobs import stock
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.kept import as_found, keep_document, latest_document, proposed
from mavrik.jobs.lists import prices
from mavrik.jobs.photos import check_photos
from mavrik.jobs.records import BuildRecord
from mavrik.jobs.summaries import job_changed
from mavrik.jobs.work import get_row, row_to_change
from mavrik.jobs.workbook import book_of, view_of
from mavrik.store.models import Job


def build_of(session: Session, job_id: int) -> BuildRecord:
    """The work as it was kept last, or as it begins: the plan's leads, or all of them where leads are what the job is for."""
    row = get_row(session, job_id)
    kept = latest_document(row, DocumentKind.BUILD)
    book = book_of(row)
    return BuildRecord(revision=kept.revision if kept else 0, document=book, view=view_of(row, book, prices(session).document))


def preview_build(session: Session, job_id: int, book: BuildBook) -> BuildView:
    """What a book comes to, without keeping it. Raises InvalidError, at its field, for one that cannot be."""
    return view_of(get_row(session, job_id), book, prices(session).document)


def bill_of_build(session: Session, job_id: int, book: BuildBook) -> Bill:
    """What the work of a book takes, what is bought for it, and what it comes to. Raises as `preview_build`."""
    return _bill(session, get_row(session, job_id), book)


def bill_as_kept(session: Session, row: Job) -> Bill:
    """Of the book as it was kept last. Raises NotFoundError without a circuit, InvalidError as `preview_build`."""
    return _bill(session, row, book_of(row))


def _bill(session: Session, row: Job, given: BuildBook) -> Bill:
    circuit = as_found(row)
    try:
        return build_bill(circuit, proposed(row) or circuit, given, stock.shop(session), stock.booked(session, row.id))
    except BuildProblemError as error:
        raise InvalidError(str(error), error.problems) from error


def points_of_build(session: Session, job_id: int, book: BuildBook) -> PointsView:
    """What lands on each point, and what goes into each plug, when the work of a book is done. Raises as `preview_build`."""
    row = get_row(session, job_id)
    if problems := check_book(book):
        raise InvalidError("; ".join(p.message for p in problems), problems)
    return points_view(proposed(row) or as_found(row), book)


class HarnessText(Document):
    """A harness in YAML, and the book that it is read into."""

    text: Annotated[str, Field(min_length=1, max_length=LARGEST)]
    document: BuildBook


def read_harness(session: Session, job_id: int, given: HarnessText) -> HarnessRead:
    """A book with what a harness says of its leads, not kept yet. Raises InvalidError, at the lead, for what cannot be read."""
    row = get_row(session, job_id)
    circuit = as_found(row)
    try:
        return with_harness(given.document, harness_from_yaml(given.text), circuit, proposed(row) or circuit)
    except HarnessError as error:
        raise InvalidError(str(error), error.problems or [Problem("harness", "text", str(error))]) from error


def _when(stated: datetime | None, since: datetime, now: datetime) -> datetime:
    return stated if stated is not None and stated.tzinfo is not None and since <= stated <= now else now


def keep_build(session: Session, job_id: int, book: BuildBook, who: Who, edited_from: int | None = None) -> BuildRecord:
    """Keep a book as the job's next, with the signature that it had; what is newly ticked was done by whoever keeps it, when it says: it may come from a machine that
    was out of reach for a while. Nothing was done before the book was kept last, or is done later than now.

    Raises as `preview_build`, ClosedError for a job that is done or put away, ConflictError as `keep_document`.
    """
    row = row_to_change(session, job_id)
    check_photos(session, row.id, (p.photo for p in book.photos))
    before = {t.step: t for t in book_of(row).ticks}
    now = datetime.now(UTC)
    last = latest_document(row, DocumentKind.BUILD)
    since = last.created_at if last else row.created_at
    ticks = tuple(before.get(t.step) or Tick(step=t.step, by=who.name, at=_when(t.at, since, now)) for t in book.ticks)
    stamped = book.model_copy(update={"ticks": ticks, "signed": book_of(row).signed})
    view = view_of(row, stamped, prices(session).document)
    if early := [s for s in view.steps if s.id in view.too_early and s.id not in before]:
        problems = [Problem("build", "ticks", f"'{s.text}' comes after '{s.waits_for[0]}', which is not ticked.") for s in early]
        raise InvalidError(problems[0].message, problems)
    done, ticked = {s.id for s in view.steps if s.done} - before.keys(), {t.step for t in ticks}
    if done or before.keys() - ticked:
        stock.one_at_a_time(session)
        unticked = stamped.model_copy(update={"ticks": tuple(before.values())})
        # What was used is taken from the bill as it stood: the shortest reel then is the one that was cut.
        stock.book(session, row.id, _bill(session, row, unticked), done, before.keys() - ticked, who)
    revision = keep_document(
        session, row, DocumentKind.BUILD, stamped, who, f"the work at the bench: {view.headline}"[:300], edited_from
    )
    job_changed(session, row)
    return BuildRecord(revision=revision, document=stamped, view=view)


def sign_build(session: Session, job_id: int, revision: int, who: Who) -> BuildRecord:
    """Keep that somebody has looked the work over, as it was kept under a revision.

    Raises ConflictError where another was kept since, InvalidError while anything is left to do, ClosedError for a job that is done.
    """
    row = row_to_change(session, job_id)
    book = book_of(row)
    view = view_of(row, book, prices(session).document)
    if left := len(view.steps) - view.done:
        message = f"{left} {'step is' if left == 1 else 'steps are'} not done: there is nothing to sign yet."
        raise InvalidError(message, [Problem("build", "signed", message)])
    if not view.steps:
        raise InvalidError(
            "Nothing is made, taken out or fitted: there is nothing to sign.", [Problem("build", "signed", "Nothing is made.")]
        )
    mark = mark_of(view.cards, (s.id for s in view.steps if s.done))
    signed = book.model_copy(update={"signed": Signature(by=who.name, at=datetime.now(UTC), mark=mark)})
    made = keep_document(
        session, row, DocumentKind.BUILD, signed, who, "that the work was looked over and is as it should be", revision
    )
    job_changed(session, row)
    return BuildRecord(revision=made, document=signed, view=view_of(row, signed, prices(session).document))
