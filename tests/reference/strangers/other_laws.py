"""Vehicles by other laws than the yard's, and further from their documents; read with coarser meters.

How much sound leads differ was learned on vehicles of this make, of other numbers than those counted: for that one figure they are no
independent proof."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any, ClassVar

import numpy as np

from tests.reference.strangers.vehicle import Stranger, Unit

Curve = tuple[tuple[float, float], ...]
CURVE: Curve = ((800.0, 0.0), (1200.0, 0.12), (1600.0, 0.34), (2200.0, 0.55), (3000.0, 0.74), (4500.0, 0.91), (7000.0, 1.0))
"""Of what a wound unit gives at its best by its shaft's speed [1/min]: straight between the corners."""

MAGNET_FULL_RPM = 4500.0
"""A magnet unit gives its best from this shaft speed on, and in proportion below."""

EMPTY_V, FULL_V = 11.7, 12.75
"""Of a lead battery at rest, straight between them; more in one whose acid is bound."""
BOUND_V = {"agm": 0.2, "gel": 0.2, "efb": 0.05}

COARSE_METERS: list[dict[str, Any]] = [
    {"id": "dmm", "label": "Cheap meter", "kind": "voltmeter", "percent_of_reading": 0.8, "digits": 3, "resolution": 0.001},
    {"id": "clamp", "label": "Cheap clamp", "kind": "clamp", "percent_of_reading": 3.0, "digits": 5, "resolution": 0.1},
]


@dataclass
class CurvedUnit(Unit):
    """An alternator whose output bends with its speed as a table has it."""

    curve: ClassVar[Curve] = CURVE
    magnet_full_rpm: ClassVar[float] = MAGNET_FULL_RPM

    def limit(self, engine_rpm: float, loaded: bool) -> float:
        """What it can give."""
        shaft = self.shaft(engine_rpm, loaded)
        if self.magnet:
            return self.most_a * min(1.0, shaft / self.magnet_full_rpm)
        return self.most_a * float(np.interp(shaft, *zip(*self.curve, strict=True)))


class OtherLaws(Stranger):
    """A vehicle that differs from its document in what the yard has, by other laws, and by more."""

    def __init__(self, document: dict[str, Any], rng: np.random.Generator) -> None:
        """document: the circuit as a technician draws it; rng: what this vehicle is made of."""
        super().__init__(document, rng)
        scale, groups = self.volts / 12, self._tied()
        for b in document["batteries"]:
            bank, level, in_row = self.banks[b["id"]], self.charge[groups[b["id"]]], b.get("series") or self.volts // 12
            if b["chemistry"] != "lifepo4":
                bank.open_v = (EMPTY_V + (FULL_V - EMPTY_V) * level + BOUND_V.get(b["chemistry"], 0.0)) * in_row
            # It takes so many amperes for each ampere hour at the set point, more the emptier it is, and never none.
            takes = 2.3 * (1 - 0.6 * level) / (0.08 + 0.5 * (1 - level)) / b["capacity_ah"]
            bank.takes_ohm = takes * float(rng.uniform(0.7, 1.4)) * in_row / b.get("parallel", 1)
            bank.inner_ohm *= float(rng.uniform(0.75, 1.4))
        for i, unit in self.units.items():
            self.units[i] = CurvedUnit(**{f.name: getattr(unit, f.name) for f in fields(unit)})
            self.units[i].set_v += float(rng.uniform(-0.1, 0.1)) * scale
            self.units[i].droop_v = float(rng.uniform(0.01, 0.3)) * scale
        # Crimps, clamps and copper as they are found in the field: a third of a milliohm more breaks nothing.
        for i, ohm in self.ohm.items():
            ends = rng.uniform(0, 0.3e-3) if self.branches[i]["kind"] in ("cable", "ground_strap") else 0.0
            self.ohm[i] = float(ohm * rng.uniform(0.8, 1.3) + ends)
        self.load_share = {x["id"]: float(rng.uniform(0.8, 1.2)) for x in document["loads"]}
        self.asleep_a = float(rng.uniform(0.003, 0.08))
        self.unlisted_a = float(rng.uniform(0, 0.12)) * document["alternators"][0]["rated_a"]
        self.idle_rpm, self.fast_rpm = float(rng.uniform(620, 1000)), float(rng.uniform(1800, 2400))
        self.bank_a = float(rng.uniform(50, 120))
