"""A multimeter on its DC voltage range."""

from mavrik.instruments.kinds.base import Client

VOLTMETER = Client("voltmeter", "MEAS:VOLT:DC?")
