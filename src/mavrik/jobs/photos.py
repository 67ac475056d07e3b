"""Photos of a job: taken in small, shown, carried with it."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import String, cast, delete, exists, func, select
from sqlalchemy.orm import Session, undefer

from mavrik.core.document import Document, Problem
from mavrik.domain.limits import MOST_PHOTOS
from mavrik.domain.roles import Who
from mavrik.exchange.bundle import BundlePhoto
from mavrik.exchange.photos import Developed, PhotoError, checked, develop
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import JobDocument, Photo


class PhotoRecord(Document):
    """A photo that is kept."""

    key: str
    width: int
    height: int
    bytes: int


def add_photo(session: Session, job_id: int, data: bytes, who: Who) -> PhotoRecord:
    """Keep a photo with a job; the same one twice is kept once.

    data: the file, of any common format
    Raises InvalidError for what is no photo and for more than a job carries, ClosedError as `row_to_change`.
    """
    row = row_to_change(session, job_id)
    try:
        made = develop(data)
    except PhotoError as error:
        raise InvalidError(str(error), [Problem("photo", "photo", str(error))]) from error
    if session.get(Photo, (row.id, made.key)) is None:
        count = session.scalar(select(func.count()).where(Photo.job_id == row.id)) or 0
        if count >= MOST_PHOTOS:
            raise InvalidError(
                f"This job has {count} photos, the most that travel with one. Those that nothing refers to go within a day."
            )
        session.add(_kept(row.id, made, who.name))
        note_change(session, row.id, who, f"took a photo, {made.width} x {made.height}")
        session.flush()
    return PhotoRecord(key=made.key, width=made.width, height=made.height, bytes=len(made.jpeg))


def photo_of(session: Session, job_id: int, key: str) -> bytes:
    """A photo of a job as JPEG. Raises NotFoundError."""
    get_row(session, job_id)
    jpeg = session.scalar(select(Photo.jpeg).where(Photo.job_id == job_id, Photo.key == key))
    if jpeg is None:
        raise NotFoundError("There is no such photo.")
    return jpeg


def check_photos(session: Session, job_id: int, keys: Iterable[str]) -> None:
    """Raises InvalidError where a document is to refer to a photo that the job does not have."""
    known = set(keys)
    if known - set(session.scalars(select(Photo.key).where(Photo.job_id == job_id, Photo.key.in_(known)))):
        raise InvalidError(
            "A photo is not there any more: take it again.", [Problem("photo", "photo", "Not a photo of this job.")]
        )


def carried_photos(session: Session, job_id: int) -> tuple[BundlePhoto, ...]:
    """The photos of a job as a bundle and a sheet carry them, the oldest first."""
    query = select(Photo).where(Photo.job_id == job_id).order_by(Photo.created_at, Photo.key).options(undefer(Photo.jpeg))
    return tuple(
        # What a document of base64 is given, it decodes.
        BundlePhoto(key=p.key, jpeg=b"", made_by=p.person_name, made_at=p.created_at.isoformat()).model_copy(
            update={"jpeg": p.jpeg}
        )
        for p in session.scalars(query)
    )


def take_in_photo(session: Session, job_id: int, given: BundlePhoto) -> None:
    """Keep a carried photo. Raises PhotoError for one that is not what it says."""
    session.add(_kept(job_id, checked(given.jpeg, given.key), given.made_by))


def drop_unused(session: Session) -> int:
    """Delete what no document refers to a day later; returns how many."""
    refers = exists().where(JobDocument.job_id == Photo.job_id, cast(JobDocument.document, String).contains(Photo.key))
    old = Photo.created_at < func.now() - func.make_interval(0, 0, 0, 1)
    return session.execute(delete(Photo).where(old, ~refers).execution_options(synchronize_session=False)).rowcount  # type: ignore[attr-defined,no-any-return]


def _kept(job_id: int, made: Developed, person_name: str) -> Photo:
    return Photo(job_id=job_id, key=made.key, width=made.width, height=made.height, jpeg=made.jpeg, person_name=person_name)
