"""Connected instruments: where a lead says one is, and what it shows.

An address is reached only after a lead has entered it; nobody else can make the server call anywhere.
"""

from __future__ import annotations

import json
import time
from collections import deque
from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Document
from mavrik.core.measurement import Instrument
from mavrik.core.stable import is_stable
from mavrik.core.topology import Problem
from mavrik.instruments.base import LinkError, parse_address
from mavrik.instruments.kinds import connect
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.equipment import InstrumentRecord, record_of
from mavrik.jobs.errors import InvalidError, LinkLostError, NotFoundError
from mavrik.jobs.people import Who
from mavrik.jobs.work import note_change
from mavrik.store import models

EVERY_S = 0.12
LONGEST_S = 120.0
"""A live view asks again after that, so that a forgotten screen lets go of the meter."""


class LiveReading(Document):
    """What a connected instrument shows."""

    value: float | None
    unit: str
    overload: bool
    stable: bool
    lost: str = ""


def _row(session: Session, instrument_id: str) -> models.Instrument:
    row = session.scalar(select(models.Instrument).where(models.Instrument.slug == instrument_id))
    if row is None:
        raise NotFoundError(f"There is no instrument '{instrument_id}'.")
    return row


def allow_address(session: Session, instrument_id: str, address: str | None, who: Who) -> InstrumentRecord:
    """Say where an instrument is on the network, or that it is not connected any more; raises InvalidError for no address."""
    row = _row(session, instrument_id)
    if address is not None:
        try:
            address = str(parse_address(address))
        except ValueError as error:
            raise InvalidError(str(error), [Problem(instrument_id, "address", str(error))]) from error
    row.address = address
    note_change(session, None, who, f"instrument {instrument_id}: {'address ' + address if address else 'no address'}")
    session.flush()
    return record_of(row)


def link_of(session: Session, instrument_id: str) -> tuple[Instrument, str]:
    """A connected instrument and its address; raises NotFoundError where it has none."""
    row = _row(session, instrument_id)
    if row.address is None:
        raise NotFoundError("This instrument is not connected. A lead enters its address in the register.")
    return Instrument.model_validate(row.document), row.address


def read_once(session: Session, instrument_id: str) -> LiveReading:
    """One reading; raises LinkLostError where the instrument does not answer."""
    instrument, address = link_of(session, instrument_id)
    try:
        meter = connect(instrument.kind, address)
        try:
            shown = meter.read()
        finally:
            meter.close()
    except LinkError as error:
        raise LinkLostError(str(error)) from error
    return LiveReading(value=shown.value, unit=shown.unit, overload=shown.overload, stable=False)


def live(instrument: Instrument, address: str, placing: Placing) -> Iterator[str]:
    """Readings as server-sent events, until the link is lost or the view has to ask again.

    instrument, address: as `link_of` gives them; no database is held meanwhile
    placing: where the reading is taken, for a stand-in that no hand moves
    """
    seen: deque[float] = deque(maxlen=16)
    try:
        meter = connect(instrument.kind, address)
    except LinkError as error:
        yield _event(LiveReading(value=None, unit="", overload=False, stable=False, lost=str(error)))
        return
    try:
        place(meter, placing)
        end = time.monotonic() + LONGEST_S
        while time.monotonic() < end:
            shown = meter.read()
            if shown.value is None:
                seen.clear()
            else:
                seen.append(shown.value)
            stable = is_stable(list(seen), instrument.resolution)
            yield _event(LiveReading(value=shown.value, unit=shown.unit, overload=shown.overload, stable=stable))
            time.sleep(EVERY_S)
    except LinkError as error:
        yield _event(LiveReading(value=None, unit="", overload=False, stable=False, lost=str(error)))
    finally:
        meter.close()


def _event(reading: LiveReading) -> str:
    return f"data: {json.dumps(reading.model_dump())}\n\n"
