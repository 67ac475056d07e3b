"""An infrared thermometer."""

from mavrik.core.measuring.meters.base import MeterKind

THERMOMETER = MeterKind(40, "thermometer", "Infrared thermometer", "°C", ((90.0, "°C", 1.0),))
