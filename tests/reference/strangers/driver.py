"""What who drives a vehicle of the yard has noticed of it: by what it really does, and as well as people notice and remember."""

from __future__ import annotations

from tests.reference.strangers.vehicle import Stranger

STOOD_H = 36.0
"""Over a day and two nights."""

IN_TOWN_H = 1.0
"""What it was driven before, standing at lights with everything on for half of it."""


class Driver:
    """Somebody who drives it every other day and knows nothing of electricity."""

    def __init__(self, vehicle: Stranger) -> None:
        """vehicle: what he drives; what he remembers does not touch what else is drawn of it."""
        self.vehicle, self.rng = vehicle, vehicle.rng.spawn(1)[0]
        self.main = vehicle.document["batteries"][0]
        self.scale = vehicle.volts / 12

    def says(self, asked: str) -> bool:
        """His answer; asked: by name, as the product asks for it."""
        return bool(self.rng.random() < getattr(self, f"_{asked}")())

    def _at_posts(self, state: str) -> float:
        return self.vehicle.drop(state, self.main["positive_node"], self.main["negative_node"]) / self.scale

    def _starting_v(self) -> float:
        starter = next((x for x in self.vehicle.document["loads"] if x["cranking"]), None)
        return 12.0 if starter is None else self.vehicle.drop("cranking", starter["from_node"], starter["to_node"]) / self.scale

    def _flat(self) -> float:
        v, i = self.vehicle, self.main["id"]
        lost = (v.asleep_a + sum(v.truth.leaks_a.values())) * STOOD_H
        put_back = (v.amps("idle_loaded", i) + v.amps("fast", i)) / 2 * IN_TOWN_H
        short = (lost - put_back) / (self.main["capacity_ah"] * self.main.get("parallel", 1))
        return 0.85 if short > 0.3 else 0.5 if short > 0.1 or self._starting_v() < 9.0 else 0.06

    def _message(self) -> float:
        v = self.vehicle
        dead = any(v.amps("fast_loaded", a["id"]) < 0.02 * a["rated_a"] for a in v.document["alternators"])
        dark = any(not lit for lit in v.truth.lamp.values())
        low, high = self._at_posts("idle_loaded") < 12.3, self._at_posts("fast") > 15.6
        return 0.5 if dead and dark else 0.85 if dead else 0.35 if low or high else 0.02

    def _cranks(self) -> float:
        volts = self._starting_v()
        return 0.85 if volts < 9.0 else 0.45 if volts < 10.0 else 0.08

    def _dims(self) -> float:
        idle, fast = self._at_posts("idle_loaded"), self._at_posts("fast_loaded")
        return 0.6 if idle < 12.4 or fast - idle > 1.2 else 0.25 if idle < 12.9 else 0.06

    def _too_bright(self) -> float:
        volts = max(self._at_posts("fast"), self._at_posts("fast_loaded"))
        return 0.75 if volts > 15.8 else 0.4 if volts > 15.1 else 0.02

    def _squeals(self) -> float:
        # One that is off does not squeal.
        slip = max((u.slip for u in self.vehicle.units.values() if u.slip < 1), default=0.0)
        return 0.75 if slip > 0.2 else 0.5 if slip > 0.08 else 0.07
