"""A thermometer."""

from mavrik.instruments.kinds.base import Client

THERMOMETER = Client("thermometer", "MEAS:TEMP?")
