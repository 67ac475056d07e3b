"""A load bank with a meter of its own."""

from mavrik.core.measuring.meters.base import MeterKind

LOAD_BANK = MeterKind(50, "load_bank", "Load bank", "A", ((100.0, "A", 1.0),))
