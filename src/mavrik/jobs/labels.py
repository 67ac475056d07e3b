"""A lead found by its label: by the address in its code, or by a photo of it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.exchange.files import Printing
from mavrik.exchange.lead_labels import label_svg, read_label
from mavrik.exchange.photos import PhotoError
from mavrik.jobs.carrying import bundle_of
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.work import open_job
from mavrik.store.models import Job


class LabelledLead(Document):
    """The lead that a label is of."""

    job_id: int
    job_number: str
    branch_id: str


def find_lead(session: Session, job_number: str, branch_id: str) -> LabelledLead:
    """The lead of a label. Raises NotFoundError where no job has that number."""
    job_id = session.scalar(select(Job.id).where(Job.number == job_number))
    if job_id is None:
        raise NotFoundError(f"The label is of job {job_number}, which is not here.")
    return LabelledLead(job_id=job_id, job_number=job_number, branch_id=branch_id)


def find_lead_in_photo(session: Session, photo: bytes) -> LabelledLead:
    """The lead of a label on a photo. Raises InvalidError for what is no photo or shows no such label, NotFoundError as `find_lead`."""
    try:
        read = read_label(photo)
    except PhotoError as error:
        raise InvalidError(str(error), [Problem("photo", "photo", str(error))]) from error
    if read is None:
        message = "No label of a lead is seen on it: nearer, straight on, and without shine."
        raise InvalidError(message, [Problem("photo", "photo", message)])
    return find_lead(session, *read)


def draw_label(session: Session, job_id: int, branch_id: str, printing: Printing) -> str:
    """The label of one lead as SVG. Raises NotFoundError for a lead that is not made, InvalidError where none is."""
    try:
        return label_svg(bundle_of(open_job(session, job_id)), branch_id, printing.workshop, printing.at, printing.address)
    except KeyError as error:
        raise NotFoundError("This lead is not made: it has no label.") from error
    except ValueError as error:
        raise InvalidError(str(error)) from error
