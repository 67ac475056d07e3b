"""Kinds of instrument, a file a kind. Nothing else lists them."""

from mavrik.core.measuring.meters.base import MeterKind
from mavrik.core.registry import parts_of

METER_KINDS: dict[str, MeterKind] = {k.name: k for k in parts_of(__name__, MeterKind, lambda k: k.place_in_list)}
"""All kinds by name, in the order they are offered in."""

__all__ = ["METER_KINDS", "MeterKind"]
