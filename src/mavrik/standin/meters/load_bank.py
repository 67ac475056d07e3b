"""A load bank that shows what it takes."""

from mavrik.standin.hands import Hands
from mavrik.standin.meters.base import SimulatedMeter


def _read(hands: Hands) -> float:
    return hands.vehicle.bank_a(hands.state)


LOAD_BANK = SimulatedMeter(50, "load_bank", "MEAS:CURR?", 400.0, _read)
