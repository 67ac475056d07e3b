"""What is to be ordered for all jobs on the bench."""

from __future__ import annotations

from datetime import date

from sqlalchemy.orm import Session

from mavrik.core.fabrication.ordering import OpenWork, Orders, orders_of
from mavrik.exchange.orders_csv import orders_to_csv
from mavrik.jobs import stock
from mavrik.jobs.errors import NotFoundError
from mavrik.jobs.kept import as_found, proposed
from mavrik.jobs.listing import open_jobs
from mavrik.jobs.work import get_row
from mavrik.jobs.workbook import book_of


def orders(session: Session) -> Orders:
    """Of every open job that is to be built, the soonest promised first; those without a day last."""
    works = []
    for row in sorted(open_jobs(session), key=lambda r: (r.promised or date.max, r.id)):
        if not any(s.stage == "build" and s.on_path for s in row.progress.stages):
            continue
        job = get_row(session, row.id)
        try:
            circuit = as_found(job)
        except NotFoundError:
            continue
        booked = stock.booked(session, row.id)
        works.append(OpenWork(row.id, row.number, row.promised, circuit, proposed(job) or circuit, book_of(job), booked))
    return orders_of(works, stock.shop(session))


def orders_as_csv(session: Session) -> str:
    """The same for a supplier: a line a part."""
    return orders_to_csv(orders(session))
