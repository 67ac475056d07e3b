"""A job's work at the bench as it stands: its book, and what that comes to."""

from __future__ import annotations

from mavrik.core.catalogue.prices import PriceList, usual_prices
from mavrik.core.fabrication.bench import BuildProblemError, BuildView, build_view, first_book
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.workflow.purposes import Purpose
from mavrik.domain.job import CircuitRole, DocumentKind
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.finding import details_of, latest
from mavrik.jobs.kept import as_found, latest_document, proposed
from mavrik.store.models import Job


def build_steps(row: Job) -> tuple[int, int] | None:
    """How many steps are done of how many; None where nobody has asked for any yet."""
    if latest(row.circuits, CircuitRole.AS_FOUND) is None:
        return None
    kept = latest_document(row, DocumentKind.BUILD)
    if kept is None and proposed(row) is None and Purpose.MAKE_LEADS not in details_of(row).purposes:
        return None
    try:
        view = view_of(row, book_of(row), usual_prices())
    except InvalidError:
        return None
    return view.done, len(view.steps)


def book_of(row: Job) -> BuildBook:
    """As it was kept last, or as it begins: every lead where leads are what the job is for, else those of the plan."""
    kept = latest_document(row, DocumentKind.BUILD)
    if kept is not None:
        return BuildBook.model_validate(kept.document)
    return first_book(as_found(row), proposed(row) is None and Purpose.MAKE_LEADS in details_of(row).purposes)


def view_of(row: Job, book: BuildBook, price_list: PriceList) -> BuildView:
    """What a book comes to. Raises InvalidError, at its field, for one that cannot be, NotFoundError without a circuit."""
    circuit = as_found(row)
    try:
        return build_view(circuit, proposed(row) or circuit, book, price_list)
    except BuildProblemError as error:
        raise InvalidError(str(error), error.problems) from error
