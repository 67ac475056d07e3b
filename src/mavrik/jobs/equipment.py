"""The workshop's instruments."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.measurement import Instrument, InstrumentKind
from mavrik.jobs.people import Who
from mavrik.jobs.work import note_change
from mavrik.store import models

STARTING_SET = (
    Instrument(
        id="dmm", label="Bench multimeter", kind=InstrumentKind.VOLTMETER, percent_of_reading=0.5, digits=2, resolution=0.001
    ),
    Instrument(id="clamp", label="DC clamp meter", kind=InstrumentKind.CLAMP, percent_of_reading=2, digits=3, resolution=0.1),
)
"""What a new workshop starts with; the accuracy is that of usual hand meters, to be corrected from the manual."""


def list_instruments(session: Session) -> list[Instrument]:
    """All instruments, in the order they were added."""
    rows = session.scalars(select(models.Instrument).order_by(models.Instrument.id))
    return [Instrument.model_validate(row.document) for row in rows]


def save_instrument(session: Session, given: Instrument, who: Who) -> Instrument:
    """Add an instrument, or change the one of that id. Tests keep the accuracy of their own day."""
    row = session.scalar(select(models.Instrument).where(models.Instrument.slug == given.id))
    if row is None:
        row = models.Instrument(slug=given.id)
        session.add(row)
    row.document = given.model_dump(mode="json")
    note_change(session, None, who, f"saved instrument {given.id}")
    return given


def ensure_starting_set(session: Session) -> None:
    """Give a workshop without instruments the two it needs to begin."""
    if session.scalar(select(models.Instrument.id).limit(1)) is None:
        session.add_all(models.Instrument(slug=i.id, document=i.model_dump(mode="json")) for i in STARTING_SET)
