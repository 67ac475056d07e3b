"""The workshop's instruments."""

from __future__ import annotations

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.measuring.instruments import Instrument, accuracy_in_words
from mavrik.domain.roles import Who
from mavrik.jobs.changes import differing, note_change
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError
from mavrik.store import models

STARTING_SET = (
    Instrument(id="dmm", label="Bench multimeter", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001),
    Instrument(id="clamp", label="DC clamp meter", kind="clamp", percent_of_reading=2, digits=3, resolution=0.1),
    Instrument(id="tacho", label="Optical tachometer", kind="tachometer", percent_of_reading=0.1, digits=2, resolution=1),
    Instrument(
        id="infrared",
        label="Infrared thermometer",
        kind="thermometer",
        percent_of_reading=1.5,
        digits=15,
        resolution=0.1,
    ),
    Instrument(id="scope", label="Bench oscilloscope", kind="oscilloscope", percent_of_reading=3, digits=2, resolution=0.01),
)
"""What a new workshop starts with; the accuracy is that of usual hand meters, to be corrected from the manual."""


class InstrumentRecord(Document):
    """An instrument of the register, with the version it was read at."""

    instrument: Instrument
    lock: int
    accuracy: str = Field(description="Typical readings with their expanded uncertainty, in words")
    address: str | None = Field(description="host:port of a connected one, as a lead has entered it")


def record_of(row: models.Instrument) -> InstrumentRecord:
    """An instrument's row as a record."""
    instrument = Instrument.model_validate(row.document)
    return InstrumentRecord(instrument=instrument, lock=row.lock, accuracy=accuracy_in_words(instrument), address=row.address)


def list_instruments(session: Session) -> list[InstrumentRecord]:
    """All instruments, in the order they were added."""
    return [record_of(row) for row in session.scalars(select(models.Instrument).order_by(models.Instrument.id))]


def add_instrument(session: Session, given: Instrument, who: Who) -> InstrumentRecord:
    """Add an instrument; raises InvalidError where its id is taken."""
    row = models.Instrument(slug=given.id, document=given.model_dump(mode="json"))
    try:
        with session.begin_nested():
            session.add(row)
    except IntegrityError:
        # There before, or entered by somebody at this moment: it makes no difference to who is told.
        message = f"There is an instrument '{given.id}' already. Give this one another name."
        raise InvalidError(message, [Problem(given.id, "id", message)]) from None
    note_change(
        session, None, who, f"added instrument {given.id}", kind="made", thing=f"instrument {given.id}", after=row.document
    )
    session.flush()
    return record_of(row)


def _held(session: Session, instrument_id: str, lock: int) -> models.Instrument:
    """The row, held against other writers and at the version it was edited from."""
    row = session.scalar(select(models.Instrument).where(models.Instrument.slug == instrument_id).with_for_update())
    if row is None:
        raise NotFoundError(f"There is no instrument '{instrument_id}'.")
    if row.lock != lock:
        theirs = record_of(row).model_dump(mode="json")
        raise ConflictError("Somebody else saved this instrument while you were editing it.", theirs)
    return row


def change_instrument(session: Session, instrument_id: str, given: Instrument, lock: int, who: Who) -> InstrumentRecord:
    """Change an instrument as edited from version `lock`. Tests keep the accuracy of their own day.

    Raises NotFoundError, InvalidError for another id, ConflictError when somebody else saved in between.
    """
    if given.id != instrument_id:
        raise InvalidError("An instrument keeps its id.", [Problem(given.id, "id", "An instrument keeps its id.")])
    row = _held(session, instrument_id, lock)
    was, now = differing(row.document, given.model_dump(mode="json"))
    row.document = given.model_dump(mode="json")
    note_change(
        session,
        None,
        who,
        f"changed instrument {given.id}",
        kind="changed",
        thing=f"instrument {given.id}",
        before=was,
        after=now,
    )
    session.flush()
    return record_of(row)


def remove_instrument(session: Session, instrument_id: str, lock: int, who: Who) -> None:
    """Take an instrument off the register; tests made with it keep what they know of it. Errors as for a change."""
    row = _held(session, instrument_id, lock)
    session.delete(row)
    note_change(
        session, None, who, f"took instrument {instrument_id} off the register", kind="removed",
        thing=f"instrument {instrument_id}", before=row.document,
    )  # fmt: skip


def ensure_starting_set(session: Session) -> None:
    """Give a workshop without instruments the two it needs to begin."""
    if session.scalar(select(models.Instrument.id).limit(1)) is None:
        session.add_all(models.Instrument(slug=i.id, document=i.model_dump(mode="json")) for i in STARTING_SET)
