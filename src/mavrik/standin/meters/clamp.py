"""A current clamp."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.amps()


CLAMP = SimulatedMeter(20, "clamp", "MEAS:CURR:DC?", 400.0, _read)
