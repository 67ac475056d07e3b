"""An oscilloscope at the stud."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.vehicle.ripple_vpp(hands.state)


OSCILLOSCOPE = SimulatedMeter(60, "oscilloscope", "MEAS:VOLT:PTP?", 20.0, _read, captures=True)
