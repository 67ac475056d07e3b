"""The register of instruments, and what connected ones show."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import BaseModel, Field

from mavrik.core.measuring.instruments import Instrument
from mavrik.domain.roles import Permission
from mavrik.instruments.reach import serial_ports
from mavrik.instruments.simulated import Placing
from mavrik.jobs import equipment, links
from mavrik.web.access import database, me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.kept import kept
from mavrik.web.presence import has_left
from mavrik.web.repeat import creates
from mavrik.web.shared import ERRORS, SAVE_ERRORS, tag

api = Area("instruments", __name__)


class InstrumentsOut(BaseModel):
    """The workshop's instruments."""

    instruments: list[equipment.InstrumentRecord]


class InstrumentPath(BaseModel):
    """Names an instrument."""

    instrument_id: Annotated[str, Field(max_length=40)]


class InstrumentSave(BaseModel):
    """An instrument as edited from a version."""

    instrument: Instrument
    lock: int


class Port(BaseModel):
    """A serial port."""

    device: str
    words: str


class PortsOut(BaseModel):
    """Serial ports, by name."""

    ports: list[Port]


class LockQuery(BaseModel):
    """The version something was read at."""

    lock: int


class AddressSave(BaseModel):
    """Where a connected instrument is; null where it is not connected any more."""

    address: Annotated[str, Field(max_length=260, description="host:port")] | None


class PlacingQuery(BaseModel):
    """Where a reading is taken; only a stand-in is told."""

    state: Annotated[str, Field(pattern=r"^[a-z_]{0,40}$")] = ""
    red: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""
    black: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""
    element: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""
    quantity: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$", description="What is read, for its digits")] = ""


@api.get("/instruments", summary="The workshop's instruments", tags=tag("instruments"), responses={"200": InstrumentsOut})
@needs(Permission.READ)
@kept
def get_instruments() -> Response:
    """With the accuracy their manuals give."""
    return answer(InstrumentsOut(instruments=equipment.list_instruments(session())))


@api.get(
    "/instruments/ports", summary="Serial ports of the server's machine", tags=tag("instruments"), responses={"200": PortsOut}
)
@needs(Permission.KEEP_INSTRUMENTS)
def get_ports() -> Response:
    """Where an instrument may hang by a cable."""
    return answer(PortsOut(ports=[Port(device=d, words=w) for d, w in serial_ports()]))


@api.post(
    "/instruments",
    summary="Add an instrument",
    tags=tag("instruments"),
    responses={"201": equipment.InstrumentRecord, **ERRORS},
)
@needs(Permission.WORK)
@creates
def post_instrument(body: Instrument) -> Response:
    """Under an id that is free."""
    return answer(equipment.add_instrument(session(), body, me()), 201)


@api.put(
    "/instruments/<string:instrument_id>",
    summary="Change an instrument",
    tags=tag("instruments"),
    responses={"200": equipment.InstrumentRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def put_instrument(path: InstrumentPath, body: InstrumentSave) -> Response:
    """Refused with 409 when somebody else saved in between."""
    return answer(equipment.change_instrument(session(), path.instrument_id, body.instrument, body.lock, me()))


@api.delete(
    "/instruments/<string:instrument_id>",
    summary="Take an instrument off the register",
    tags=tag("instruments"),
    responses={"204": None, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def delete_instrument(path: InstrumentPath, query: LockQuery) -> Response:
    """Tests made with it keep what they know of it."""
    equipment.remove_instrument(session(), path.instrument_id, query.lock, me())
    return Response(status=204)


@api.put(
    "/instruments/<string:instrument_id>/address",
    summary="Say where a connected instrument is",
    tags=tag("instruments"),
    responses={"200": equipment.InstrumentRecord, **SAVE_ERRORS},
)
@needs(Permission.KEEP_INSTRUMENTS)
def put_address(path: InstrumentPath, body: AddressSave) -> Response:
    """Only a lead can: it makes the server call there."""
    return answer(links.allow_address(session(), path.instrument_id, body.address, me()))


@api.get(
    "/instruments/<string:instrument_id>/reading",
    summary="What a connected instrument shows",
    tags=tag("instruments"),
    responses={"200": links.LiveReading, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def get_reading(path: InstrumentPath) -> Response:
    """Once; 502 where it does not answer."""
    with database().glance() as look:
        instrument, where = links.link_of(look, path.instrument_id)
    return answer(links.read_once(instrument, where))


@api.get(
    "/instruments/<string:instrument_id>/live",
    summary="What a connected instrument shows, as server-sent events",
    tags=tag("instruments"),
    responses={"200": None, **SAVE_ERRORS},
)
@needs(Permission.WORK)
def get_live(path: InstrumentPath, query: PlacingQuery) -> Response:
    """Each event is a `LiveReading`; the last one says why where the link is lost. The query moves a stand-in's probes."""
    with database().glance() as look:
        instrument, where = links.link_of(look, path.instrument_id)
    return Response(
        links.live(instrument, where, Placing(**query.model_dump()), has_left),
        mimetype="text/event-stream",
        headers={"X-Accel-Buffering": "no"},
    )
