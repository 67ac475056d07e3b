"""What a simulated bench has to be told because no hand moves its probes; a real instrument is never told anything."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.instruments.base import Meter
from mavrik.instruments.scpi import ScpiMeter

STANDS_IN = "Mavrik,Stand-in"


@dataclass(frozen=True)
class Placing:
    """Where a reading is taken, and how the vehicle stands meanwhile."""

    state: str = ""
    red: str = ""
    black: str = ""
    element: str = ""
    quantity: str = ""
    """What is read there; no instrument is told."""


def place(meter: Meter, placing: Placing) -> bool:
    """Move the probes of a stand-in; returns whether it is one.

    meter: connected; placing: names without blanks or commas of their own
    Raises LinkError.
    """
    if not isinstance(meter, ScpiMeter) or not meter.identify().startswith(STANDS_IN):
        return False
    if placing.state:
        meter.tell(f"SIM:STAT {placing.state}")
    if placing.red and placing.black:
        meter.tell(f"SIM:PROB {placing.red},{placing.black}")
    if placing.element:
        meter.tell(f"SIM:ELEM {placing.element}")
    return True
