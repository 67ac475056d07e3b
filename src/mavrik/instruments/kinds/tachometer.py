"""A tachometer."""

from mavrik.instruments.kinds.base import Client

TACHOMETER = Client("tachometer", "MEAS:FREQ?")
