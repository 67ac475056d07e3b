"""What a hand does at a real bench: where probes and clamp are, and how the vehicle stands."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from mavrik.core.procedures import BenchState, Point
from mavrik.standin.vehicle import HiddenVehicle, Probes


@dataclass
class Hands:
    """Shared by all meters on one vehicle."""

    vehicle: HiddenVehicle
    state: BenchState = BenchState.REST
    red: str = ""
    black: str = ""
    element: str = ""
    lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        battery = self.vehicle.circuit.battery
        self.red, self.black, self.element = battery.positive_node, battery.negative_node, battery.id

    @property
    def probes(self) -> Probes:
        """Where the voltage probes are."""
        return Probes(self.state, self.red, self.black)

    def volts(self) -> float:
        """Between the probes; a battery at rest or under its load test is alone, its negative off [V]."""
        if self.red == self.black:
            return 0.0
        batteries = self.vehicle.circuit.batteries
        alone = next((b.id for b in batteries if (b.positive_node, b.negative_node) == (self.red, self.black)), "")
        if self.state in (BenchState.REST, BenchState.BATTERY_LOAD) and alone:
            return self.vehicle.shown(Point("now", "now", "voltage", self.state, self.red, self.black, alone))
        state = BenchState.ASLEEP if self.state is BenchState.REST else self.state
        units = self.vehicle.circuit.alternators
        at_wire = any((a.id, a.sense_positive_node, a.case_node) == (self.element, self.red, self.black) for a in units)
        element = self.element if at_wire else ""
        return self.vehicle.shown(Point("now", "now", "voltage", state, self.red, self.black, element, sense_wire=at_wire))

    def amps(self) -> float:
        """Through what the clamp is round [A]."""
        state = self.state if self.state is not BenchState.REST else BenchState.ASLEEP
        return self.vehicle.shown(Point("now", "now", "current", state, element=self.element))
