"""An oscilloscope."""

from mavrik.core.measuring.meters.base import MeterKind

OSCILLOSCOPE = MeterKind(60, "oscilloscope", "Oscilloscope", "V p-p", ((0.3, "V p-p", 1.0),))
