"""A DC current clamp."""

from mavrik.core.measuring.meters.base import MeterKind

CLAMP = MeterKind(20, "clamp", "Current clamp", "A", ((20.0, "A", 1.0), (100.0, "A", 1.0)))
