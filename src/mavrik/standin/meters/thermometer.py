"""An infrared thermometer on the alternator's case."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.vehicle.case_c(hands.state)


THERMOMETER = SimulatedMeter(40, "thermometer", "MEAS:TEMP?", 300.0, _read)
