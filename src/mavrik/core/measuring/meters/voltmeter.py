"""A multimeter on its DC voltage range."""

from mavrik.core.measuring.meters.base import MeterKind

VOLTMETER = MeterKind(10, "voltmeter", "Voltmeter", "V", ((0.1, "mV", 1000.0), (14.0, "V", 1.0)))
