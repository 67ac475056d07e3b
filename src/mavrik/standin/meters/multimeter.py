"""A multimeter on its DC voltage range."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.volts()


MULTIMETER = SimulatedMeter(10, "multimeter", "MEAS:VOLT:DC?", 60.0, _read)
