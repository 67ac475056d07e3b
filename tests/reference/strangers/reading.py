"""What is read on a vehicle: by a meter and a clamp that err as such do, at the places that a test asks for."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from tests.reference.strangers.driver import Driver
from tests.reference.strangers.vehicle import RUNNING, Stranger

METERS: list[dict[str, Any]] = [
    {"id": "dmm", "label": "Bench meter", "kind": "voltmeter", "percent_of_reading": 0.5, "digits": 2, "resolution": 0.001},
    {"id": "clamp", "label": "Clamp", "kind": "clamp", "percent_of_reading": 2.0, "digits": 3, "resolution": 0.1},
]
CORE = ("rest", "key_on", "regulated", "full_output", "charging_drops")
STATES = {
    "rest",
    "asleep",
    "key_on",
    "cranking",
    "battery_load",
    "idle",
    "idle_loaded",
    "fast",
    "fast_loaded",
    "full_output",
    "at_output",
}
OVERLOAD_V = 1000.0
"""Beyond this a meter shows that it is overloaded, and nothing is written down."""

TO_GO_WITH = ("charge_a:", "stud_v", "battery_v", "engine_rpm", "idle_a:")
"""Readings that are none by themselves, and that others are read with."""


class Hands:
    """Somebody with a meter and a clamp of his own."""

    def __init__(self, vehicle: Stranger, meters: list[dict[str, Any]] = METERS) -> None:
        """vehicle: what stands at the bench; meters: what they read it with, each as far off as its maker allows."""
        self.vehicle, self.meters, rng = vehicle, meters, vehicle.rng
        self.driver = Driver(vehicle)
        self._gain = {m["id"]: rng.uniform(-m["percent_of_reading"], m["percent_of_reading"]) / 100 for m in meters}
        self._zero = {m["id"]: rng.uniform(-m["digits"], m["digits"]) * m["resolution"] for m in meters}

    def _shown(self, meter: str, true: float) -> float:
        step = next(m["resolution"] for m in self.meters if m["id"] == meter)
        wander = abs(true) * (0.002 if meter == "dmm" else 0.01) * self.vehicle.rng.normal() * 0.5
        return round(round((true * (1 + self._gain[meter]) + self._zero[meter] + wander) / step) * step, 6)

    def read(self, point: Any) -> tuple[float, str | None] | None:
        """A value and its meter; None for what such hands do not read.

        point: a place of a test, as the product asks for it
        """
        v, state = self.vehicle, str(getattr(point.state, "value", point.state))
        if state not in STATES or not (point.worth_asking or point.id.startswith(TO_GO_WITH)):
            return None
        if point.indicator or point.quantity in ("yes_no", "speed"):
            return self._looked_at(point)
        if point.quantity in ("voltage", "voltage_drop"):
            return self._volts(point, state)
        if point.quantity == "resistance":
            ohm = v.ohm[point.element] + v.truth.more_ohm.get(point.element, 0.0)
            return (round(min(ohm, 0.5) * v.rng.uniform(0.97, 1.03), 5), None)
        if point.quantity in ("current", "drain_current") and point.element:
            true = v.amps(state, point.element)
            if math.isnan(true):
                return None
            meter = "dmm" if point.quantity == "drain_current" else "clamp"
            return (self._shown(meter, -true if state == "asleep" else true), meter)
        return None

    def _volts(self, point: Any, state: str) -> tuple[float, str | None] | None:
        v = self.vehicle
        if state == "rest":
            return (self._shown("dmm", v.banks[point.element].open_v), "dmm")
        if state == "battery_load":
            bank = v.banks[point.element]
            battery = next(b for b in v.document["batteries"] if b["id"] == point.element)
            # Half the cranking current, and where nobody knows it three times the ampere hours; once for lithium.
            by_hours = battery["capacity_ah"] * (1 if battery["chemistry"] == "lifepo4" else 3) * battery.get("parallel", 1)
            loaded_a = battery["cca_a"] / 2 if battery.get("cca_a") else min(by_hours, 500)
            # What falls within fifteen seconds beside the ohms.
            sags = v.rng.uniform(1.1, 1.35)
            return (self._shown("dmm", max(bank.open_v - loaded_a * bank.inner_ohm * sags, 0.0)), "dmm")
        if point.sense_wire and point.element in v.truth.sense_open:
            # A wire that leads nowhere picks up what leaks to it.
            return (self._shown("dmm", 0.1 * v.rng.uniform()), "dmm")
        lost = v.truth.sense_drop_v.get(point.element, 0.0) if point.sense_wire and state in RUNNING else 0.0
        shown = self._shown("dmm", v.drop(state, point.red, point.black) - lost)
        return (shown, "dmm") if abs(shown) <= OVERLOAD_V else None

    def _looked_at(self, point: Any) -> tuple[float, str | None] | None:
        v, kind = self.vehicle, point.indicator
        if point.hearsay:
            return (float(self.driver.says(kind)), None)
        if kind == "lamp":
            return (float(v.truth.lamp[point.element]), None)
        if kind == "belt":
            return (float(v.truth.belt_good[point.element]), None)
        if kind == "clear":
            return (float(v.truth.clear[point.element]), None)
        if kind == "plate":
            return (v.truth.plate_a[point.element], None)
        if kind == "ripple":
            return (round(v.truth.ripple_vpp[point.element] * v.rng.uniform(0.85, 1.15), 2), None)
        if kind == "shaft":
            return (round(v.units[point.element].shaft(v.idle_rpm, True) * v.rng.uniform(0.995, 1.005)), None)
        if point.id == "engine_rpm":
            return (round(v.idle_rpm * v.rng.uniform(0.98, 1.02), -1), None)
        return None

    def runs(self, tests: Iterable[tuple[str, Iterable[Any]]]) -> list[dict[str, Any]]:
        """Runs as a bundle carries them.

        tests: names with the places that each asks for
        """
        made = []
        for name, points in tests:
            readings = []
            for point in points:
                shown = self.read(point)
                if shown is not None:
                    value, meter = shown
                    readings.append({"point": point.id, "value": value, **({"instrument": meter} if meter else {})})
            if readings and not all(r["point"].startswith(TO_GO_WITH) for r in readings):
                made.append({"procedure": name, "readings": readings, "instruments": self.meters, **self._conditions(name)})
        return made

    def _conditions(self, name: str) -> dict[str, Any]:
        if name != "charging_drops":
            return {}
        v = self.vehicle
        on = [x["id"] for x in v.document["loads"] if x["on"] and not x["cranking"]]
        return {"engine_rpm": round(v.fast_rpm, -1), "engine_space_c": 40, "ambient_c": 20, "loads_on": on, "bank_on": v.document["batteries"][0]["id"]}  # fmt: skip
