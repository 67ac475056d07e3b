"""Connected instruments, a file a kind; nothing else lists them."""

from __future__ import annotations

from mavrik.core.measuring.meters import METER_KINDS
from mavrik.core.registry import parts_of
from mavrik.instruments.base import Meter
from mavrik.instruments.kinds.base import Client
from mavrik.instruments.scope import ScpiScope
from mavrik.instruments.scpi import ScpiMeter

CLIENTS: dict[str, Client] = {c.kind: c for c in parts_of(__name__, Client, lambda c: c.kind)}
PLAIN_QUERY = "READ?"
"""SCPI-1999: the value an instrument shows, for a kind that has no query of its own."""


def _query(kind: str) -> str:
    return CLIENTS[kind].query if kind in CLIENTS else PLAIN_QUERY


def connect(kind: str, address: str) -> Meter:
    """A connected instrument of a kind.

    kind: name in `mavrik.core.measuring.meters`
    address: of the network or a serial port, that a lead has allowed
    Raises LinkError where nothing answers, ValueError for what is no address.
    """
    return ScpiMeter(address, _query(kind), METER_KINDS[kind].unit)


def connect_scope(address: str) -> ScpiScope:
    """A connected oscilloscope, for its waveform.

    address: of the network or a serial port, that a lead has allowed
    Raises as `connect`.
    """
    return ScpiScope(address, _query("oscilloscope"), METER_KINDS["oscilloscope"].unit)
