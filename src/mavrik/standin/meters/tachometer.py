"""A tachometer at the pulley."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.vehicle.shaft_rpm(hands.state)


TACHOMETER = SimulatedMeter(30, "tachometer", "MEAS:FREQ?", 20_000.0, _read)
