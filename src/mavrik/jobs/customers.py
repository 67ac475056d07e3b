"""Customers: who they are, all that is known of one written out, and erasing it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy import Integer, String, delete, func, literal_column, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.domain.job import VehicleKind
from mavrik.domain.roles import Who
from mavrik.jobs.carrying import write_files_later
from mavrik.jobs.changes import ERASED, erase_personal, note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.listing import MOST_PAGE, PAGE
from mavrik.jobs.paging import Sorting, page_of
from mavrik.jobs.queries import ListQuery
from mavrik.jobs.summaries import summarise
from mavrik.jobs.tasks import TaskRecord
from mavrik.store.models import Change, Customer, Job, KeptAnswer, Run, Task, Vehicle
from mavrik.store.traces import rewriting

BY_NAME = Sorting("customers", (literal_column("lower(customers.name)", String), literal_column("customers.id", Integer)))


class CustomerRow(Document):
    """A customer in the list."""

    id: int
    name: str
    contact: str
    jobs: int


class CustomersQuery(ListQuery):
    """Which customers to list."""

    search: Annotated[str, Field(max_length=120)] = ""
    after: Annotated[str, Field(max_length=400)] = Field("", description="Where the page before ended, as it said")
    limit: Annotated[int, Field(ge=1, le=MOST_PAGE)] = PAGE


class CustomersPage(Document):
    """A page of the customers, by name."""

    customers: tuple[CustomerRow, ...]
    next: str = Field(description="Where the next page begins; empty: this is the last")


def list_customers(session: Session, criteria: CustomersQuery) -> CustomersPage:
    """Customers by name, with how many jobs they have."""
    query = select(Customer.id, Customer.name, Customer.contact)
    if criteria.search.strip():
        query = query.where(Customer.name.icontains(criteria.search.strip(), autoescape=True))
    rows, more = page_of(session, query, BY_NAME, criteria.after, criteria.limit)
    counted = (
        select(Vehicle.customer_id, func.count())
        .join(Job, Job.vehicle_id == Vehicle.id)
        .where(Vehicle.customer_id.in_([row_id for row_id, *_ in rows]))
        .group_by(Vehicle.customer_id)
    )
    jobs = dict(session.execute(counted).all())
    return CustomersPage(
        customers=tuple(CustomerRow(id=i, name=name, contact=contact, jobs=jobs.get(i, 0)) for i, name, contact in rows),
        next=more,
    )


def _customer(session: Session, customer_id: int, lock: bool = False) -> Customer:
    query = select(Customer).where(Customer.id == customer_id)
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise NotFoundError("There is no such customer.")
    return row


def _jobs(session: Session, customer_id: int) -> list[Job]:
    return list(session.scalars(select(Job).join(Job.vehicle).where(Vehicle.customer_id == customer_id).order_by(Job.id)))


def write_everything_later(session: Session, customer_id: int, workshop: str, who: Who) -> TaskRecord:
    """Have all that is known of a customer written out as a ZIP of job bundles. That it was is noted."""
    row = _customer(session, customer_id)
    ids = [job.id for job in _jobs(session, customer_id)]
    made = write_files_later(
        session, ids, "bundle", f"All that is kept of customer {row.id}", f"customer-{row.id}.zip", workshop, who
    )
    note_change(session, None, who, f"wrote out the data of customer {row.id}", kind="written", thing=f"customer {row.id}")
    return made


def erase(session: Session, customer_id: int, name: str, who: Who) -> int:
    """Erase what is known of a customer as a person: name, contact, vehicle, complaint, notes, also in the log. Readings stay.

    name: typed once more, so that nobody is erased by a slip of the finger
    Returns how many jobs it was done in. Raises NotFoundError, and InvalidError for another name.
    """
    row = _customer(session, customer_id, lock=True)
    if name.strip() != row.name:
        raise InvalidError("That is not the customer's name.", [Problem("name", "name", "As it stands in the list")])
    row.name, row.contact = f"Erased customer {row.id}", ""
    jobs = _jobs(session, customer_id)
    for job in jobs:
        job.vehicle.description = VehicleKind(job.vehicle.kind).value.replace("_", " ")
        job.complaint = ERASED
    ids = [job.id for job in jobs]
    with rewriting(session):
        for run in session.scalars(select(Run).where(Run.job_id.in_(ids), Run.document["note"].astext != "")):
            run.document = {**run.document, "note": ERASED}
        for change in session.scalars(select(Change).where(Change.job_id.in_(ids))):
            erase_personal(change)
        # What was answered to a second try holds whole jobs; a try from before this moment is not repeated any more.
        session.execute(delete(KeptAnswer))
        # And what was written out for somebody to fetch, or taken in under a name.
        session.execute(delete(Task).where(Task.ended_at.is_not(None)))
    note_change(session, None, who, f"erased customer {row.id} in {len(ids)} jobs", kind="erased", thing=f"customer {row.id}")
    for job in jobs:
        summarise(session, job, touched=False)
    return len(ids)
