"""Connected instruments: where a lead says one is, and what it shows.

An address is reached only after a lead has entered it; nobody else can make the server call anywhere.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Iterator
from typing import Annotated

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.measuring.instruments import Instrument, as_earned, earned_digits, reading_uncertainty
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.stability import Follower
from mavrik.domain.roles import Who
from mavrik.instruments.base import LinkError, Shown, parse_address
from mavrik.instruments.kinds import connect
from mavrik.instruments.reach import reach
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.changes import differing, note_change
from mavrik.jobs.equipment import InstrumentRecord, record_of
from mavrik.jobs.errors import BusyError, InvalidError, LinkLostError, NotFoundError
from mavrik.store import models

EVERY_S = 0.12
LONGEST_S = 120.0
"""A live view asks again after that, so that a forgotten screen lets go of the meter."""

LIVE_AT_ONCE = 5
"""A live view, or a meter that is asked once, holds a thread of a server process; the others go on answering whatever is asked."""

_places = threading.BoundedSemaphore(LIVE_AT_ONCE)


TOO_MANY = "Too many meters are being watched at once. Type what this one shows, or close another screen."


class LiveReading(Document):
    """What a connected instrument shows."""

    value: float | None
    unit: str
    overload: bool
    stable: bool
    earned: Annotated[float | None, Field(description="The value with no more digits than the meter earns")] = None
    digits: Annotated[int | None, Field(description="Behind the point of the shown value, as many as it earns")] = None
    spread: Annotated[float | None, Field(description="Standard deviation of the latest values, where they are stable")] = None
    held: Annotated[bool, Field(description="Its last digit has not moved for long: is it on hold?")] = False
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
            typed = parse_address(address)
            address = str(reach().pinned(typed))
        except ValueError as error:
            raise InvalidError(str(error), [Problem(instrument_id, "address", str(error))]) from error
    was, now = differing({"address": row.address}, {"address": address})
    row.address = address
    named = f", which is {address}" if address is not None and str(typed) != address else ""
    what = f"instrument {instrument_id}: {f'address {typed}{named}' if address else 'no address'}"
    note_change(session, None, who, what, kind="changed", thing=f"instrument {instrument_id}", before=was, after=now)
    session.flush()
    return record_of(row)


def link_of(session: Session, instrument_id: str) -> tuple[Instrument, str]:
    """A connected instrument and its address; raises NotFoundError where it has none."""
    row = _row(session, instrument_id)
    if row.address is None:
        raise NotFoundError("This instrument is not connected. A lead enters its address in the register.")
    return Instrument.model_validate(row.document), row.address


def read_once(instrument: Instrument, address: str) -> LiveReading:
    """One reading.

    instrument, address: as `link_of` gives them; no database is held meanwhile
    Raises LinkLostError where the instrument does not answer, BusyError while too many are asked.
    """
    if not _places.acquire(blocking=False):
        raise BusyError(TOO_MANY)
    try:
        meter = connect(instrument.kind, address)
        try:
            shown = meter.read()
        finally:
            meter.close()
    except LinkError as error:
        raise LinkLostError(str(error)) from error
    finally:
        _places.release()
    return LiveReading(value=shown.value, unit=shown.unit, overload=shown.overload, stable=False)


def live(instrument: Instrument, address: str, placing: Placing, has_left: Callable[[], bool] = lambda: False) -> Iterator[str]:
    """Readings as server-sent events, until the link is lost or the view has to ask again.

    instrument, address: as `link_of` gives them; no database is held meanwhile
    placing: where the reading is taken, for a stand-in that no hand moves
    has_left: whether nobody looks any more, so that the meter and the place are free at once
    """
    if not _places.acquire(blocking=False):
        yield _lost(TOO_MANY)
        return
    try:
        yield from _follow(instrument, address, placing, has_left)
    finally:
        _places.release()


def _follow(instrument: Instrument, address: str, placing: Placing, has_left: Callable[[], bool]) -> Iterator[str]:
    try:
        meter = connect(instrument.kind, address)
    except LinkError as error:
        yield _lost(str(error))
        return
    follower = Follower(instrument.resolution)
    try:
        place(meter, placing)
        begin = time.monotonic()
        while (passed := time.monotonic() - begin) < LONGEST_S and not has_left():
            shown = meter.read()
            follower.add(shown.value, passed)
            yield _event(_reading(instrument, shown, follower, placing.quantity))
            time.sleep(EVERY_S)
    except LinkError as error:
        yield _lost(str(error))
    finally:
        meter.close()


def _reading(instrument: Instrument, shown: Shown, follower: Follower, quantity: str) -> LiveReading:
    """What is shown, with the digits that it earns as a value of a quantity."""
    earned = digits = None
    of = QUANTITIES.get(quantity) or next((q for q in QUANTITIES.values() if q.meter == instrument.kind), None)
    if shown.value is not None and of is not None:
        earned = as_earned(of, shown.value, instrument)
        digits = earned_digits(of, reading_uncertainty(of, shown.value, instrument))
    return LiveReading(
        value=shown.value, unit=shown.unit, overload=shown.overload, stable=follower.stable, held=follower.held,
        earned=earned, digits=digits, spread=follower.spread,
    )  # fmt: skip


def _lost(why: str) -> str:
    return _event(LiveReading(value=None, unit="", overload=False, stable=False, lost=why))


def _event(reading: LiveReading) -> str:
    return f"data: {json.dumps(reading.model_dump())}\n\n"
