"""A tachometer, optical or inductive."""

from mavrik.core.measuring.meters.base import MeterKind

TACHOMETER = MeterKind(30, "tachometer", "Tachometer", "/min", ((2000.0, "/min", 1.0),))
