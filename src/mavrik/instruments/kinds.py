"""Which query asks each kind of instrument for its value."""

from __future__ import annotations

from mavrik.core.measurement import InstrumentKind
from mavrik.instruments.base import Meter
from mavrik.instruments.scope import ScpiScope
from mavrik.instruments.scpi import ScpiMeter

QUERIES: dict[InstrumentKind, tuple[str, str]] = {
    InstrumentKind.VOLTMETER: ("MEAS:VOLT:DC?", "V"),
    InstrumentKind.CLAMP: ("MEAS:CURR:DC?", "A"),
    InstrumentKind.TACHOMETER: ("MEAS:FREQ?", "/min"),
    InstrumentKind.THERMOMETER: ("MEAS:TEMP?", "°C"),
    InstrumentKind.LOAD_BANK: ("MEAS:CURR?", "A"),
    InstrumentKind.OSCILLOSCOPE: ("MEAS:VOLT:PTP?", "V p-p"),
}


def connect(kind: InstrumentKind, address: str) -> Meter:
    """A connected instrument of a kind.

    kind: what it reads
    address: of the network or a serial port, that a lead has allowed
    Raises LinkError where nothing answers, ValueError for what is no address.
    """
    query, unit = QUERIES[kind]
    return ScpiMeter(address, query, unit)


def connect_scope(address: str) -> ScpiScope:
    """A connected oscilloscope, for its waveform.

    address: of the network or a serial port, that a lead has allowed
    Raises as `connect`.
    """
    return ScpiScope(address, *QUERIES[InstrumentKind.OSCILLOSCOPE])
