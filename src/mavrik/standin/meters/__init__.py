"""The meters of the stand-in, a file a meter; nothing else lists them."""

from mavrik.core.registry import parts_of
from mavrik.standin.meters.base import SimulatedMeter

METERS: dict[str, SimulatedMeter] = {m.name: m for m in parts_of(__name__, SimulatedMeter, lambda m: m.place_in_list)}
"""All of them by name, in the order of their ports."""

__all__ = ["METERS", "SimulatedMeter"]
