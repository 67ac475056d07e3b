"""Vehicles as a textbook has them, and read by somebody who writes down numbers and no meters.

Parts are as long and as thick as their document says, units give their rating, engines turn at 800 and 2000 /min, a belt that slips does so
by the same share whatever is on, a cell that is dead leaves the rest of its battery as it was. And a battery takes a charge through one
resistance, however full it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from typing import Any

import numpy as np

from tests.reference.strangers.faults import FAULTS
from tests.reference.strangers.other_laws import Curve, CurvedUnit
from tests.reference.strangers.vehicle import OPEN_OHM, Stranger, Unit

CURVE: Curve = ((1000.0, 0.0), (1500.0, 0.35), (1800.0, 0.5), (2500.0, 0.72), (3500.0, 0.88), (6000.0, 1.0))
"""Of its rating by the speed of its shaft [1/min], straight between."""

MAGNET_FULL_RPM = 4000.0
EMPTY_V, FULL_V = 11.8, 12.7
"""Of a lead battery at rest, straight between."""

EXACT_METERS: list[dict[str, Any]] = [
    {"id": "dmm", "label": "Meter", "kind": "voltmeter", "percent_of_reading": 0.2, "digits": 0, "resolution": 0.001},
    {"id": "clamp", "label": "Clamp", "kind": "clamp", "percent_of_reading": 0.2, "digits": 0, "resolution": 0.1},
]


@dataclass
class PlainUnit(CurvedUnit):
    """An alternator by its curve, under a belt that slips or does not."""

    curve = CURVE
    magnet_full_rpm = MAGNET_FULL_RPM

    def shaft(self, engine_rpm: float, loaded: bool) -> float:
        """Speed of its shaft."""
        return engine_rpm * self.ratio * (1 - self.slip)


class Textbook(Stranger):
    """A vehicle that hardly differs from its document."""

    def __init__(self, document: dict[str, Any], rng: np.random.Generator) -> None:
        """document: the circuit as a technician draws it; rng: what little differs."""
        super().__init__(document, rng)
        scale, groups = self.volts / 12, self._tied()
        for b in document["batteries"]:
            bank, level, in_row = self.banks[b["id"]], self.charge[groups[b["id"]]], b.get("series") or self.volts // 12
            if b["chemistry"] != "lifepo4":
                bank.open_v = (EMPTY_V + (FULL_V - EMPTY_V) * level) * in_row
            bank.takes_ohm = float(rng.uniform(3, 6)) / b["capacity_ah"] * in_row / b.get("parallel", 1)
        for a in document["alternators"]:
            unit = PlainUnit(**{f.name: getattr(self.units[a["id"]], f.name) for f in fields(Unit)})
            unit.most_a = a["rated_a"] * float(rng.uniform(0.92, 1.05))
            unit.set_v = a["set_point_v"] + float(rng.uniform(-0.1, 0.1)) * scale
            unit.droop_v, unit.ratio = 0.02 * scale, a["pulley_ratio"]
            self.units[a["id"]] = unit
        self.load_share = {x["id"]: float(rng.uniform(0.95, 1.05)) for x in document["loads"]}
        self.asleep_a = float(rng.uniform(0.015, 0.04))
        self.unlisted_a = float(rng.choice([0.0, 3.0, 6.0]))
        self.idle_rpm, self.fast_rpm, self.bank_a = 800.0, 2000.0, 50.0
        for i in self.units:
            self.truth.ripple_vpp[i] = float(rng.uniform(0.02, 0.12)) * scale


def _resistance(v: Stranger, branch: str) -> None:
    v.truth.more_ohm[branch] = float(v.rng.choice([0.004, 0.006, 0.010, 0.02, 0.04]))


def _open(v: Stranger, branch: str) -> None:
    v.truth.more_ohm[branch] = OPEN_OHM


def _regulator(sign: float) -> Callable[[Stranger, str], None]:
    def fault(v: Stranger, unit: str) -> None:
        v.units[unit].set_v += sign * float(v.rng.uniform(0.6, 1.2)) * v.volts / 12

    return fault


def _belt_slips(v: Stranger, unit: str) -> None:
    v.units[unit].slip = float(v.rng.uniform(0.25, 0.45))
    v.truth.belt_good[unit] = False


def _worn_brushes(v: Stranger, unit: str) -> None:
    v.units[unit].most_a *= float(v.rng.uniform(0.4, 0.65))


def _rectifier(least: float, most: float, ripple: tuple[float, float]) -> Callable[[Stranger, str], None]:
    def fault(v: Stranger, unit: str) -> None:
        v.units[unit].most_a *= float(v.rng.uniform(least, most))
        v.truth.ripple_vpp[unit] = float(v.rng.uniform(*ripple)) * v.volts / 12

    return fault


def _diode_shorted(v: Stranger, unit: str) -> None:
    _rectifier(0.3, 0.5, (0.8, 1.8))(v, unit)
    v.truth.leaks_a[v.document["batteries"][0]["id"]] = float(v.rng.uniform(0.3, 1.2))


def _weak_battery(v: Stranger, battery: str) -> None:
    v.banks[battery].inner_ohm *= float(v.rng.uniform(2.5, 5))


def _dead_cell(v: Stranger, battery: str) -> None:
    v.banks[battery].open_v -= 2.1


def _drain(v: Stranger, battery: str) -> None:
    v.truth.leaks_a[battery] = float(v.rng.uniform(0.15, 1.5))


def _under_rated(v: Stranger, unit: str) -> None:
    share = float(v.rng.uniform(0.5, 0.7))
    v.units[unit].most_a *= share
    v.truth.plate_a[unit] = round(v.truth.plate_a[unit] * share / 5) * 5.0


BY_THE_BOOK = FAULTS | {
    "resistance": _resistance,
    "open": _open,
    "regulator_low": _regulator(-1.0),
    "regulator_high": _regulator(+1.0),
    "belt_slips": _belt_slips,
    "worn_brushes": _worn_brushes,
    "diode_open": _rectifier(0.6, 0.75, (0.5, 1.0)),
    "diode_shorted": _diode_shorted,
    "phase_lost": _rectifier(0.5, 0.65, (0.8, 1.5)),
    "weak_battery": _weak_battery,
    "dead_cell": _dead_cell,
    "drain": _drain,
    "under_rated": _under_rated,
}
"""The faults of the yard, as large as a textbook has them."""


def put_by_the_book(v: Stranger, kind: str, place: str) -> None:
    """Put a fault into a vehicle."""
    BY_THE_BOOK[kind](v, place)
    v.truth.causes = tuple(c for c in (*v.truth.causes, f"{kind}:{place}") if c != "none:")
