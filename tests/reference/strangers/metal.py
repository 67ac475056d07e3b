"""What a drawn branch really has: copper by its own formula, joints, fuses and contacts from makers' usual ranges."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

COPPER_OHM_M = 1.7241e-8
"""IEC 60028, annealed copper at 20 degC."""

PER_K = 0.00393
STRANDING = (1.03, 1.10)
"""Stranded cable over solid copper of the same area: lay and tolerance, IEC 60228 class 5 from memory."""

LUG_OHM = (20e-6, 180e-6)
CLAMP_OHM = (40e-6, 350e-6)
FUSE_DROP_V = (0.045, 0.11)
"""Of a sound fuse at its rated current; makers' data of bolt-down and blade fuses, from memory."""

SIZES_AWG = {"1/0": 0, "2/0": -1, "3/0": -2, "4/0": -3}


def area_mm2(size: str) -> float:
    """Of a conductor by its name; ASTM B258: 0.005 in x 92^((36-n)/39)."""
    number, unit = size.split(" ")
    if unit == "mm2":
        return float(number)
    if unit == "CM":
        return float(number) * math.pi / 4 * (25.4e-3) ** 2
    n = SIZES_AWG.get(number)
    d = 0.127 * 92 ** ((36 - (int(number) if n is None else n)) / 39)
    return math.pi / 4 * d * d


def drawn_ohm(branch: dict[str, Any], warm_c: float, rng: np.random.Generator) -> float:
    """A sound one of that kind, as one comes off the shelf and was fitted; warm_c: of the copper."""
    kind = branch["kind"]
    if kind in ("cable", "ground_strap"):
        length = branch["length_m"] * rng.uniform(0.9, 1.15)  # measured along a loom, by eye
        material = 1.64 if branch.get("material") == "aluminium" else 1.0
        copper = COPPER_OHM_M * material * length / (area_mm2(branch["size"]) * 1e-6) * rng.uniform(*STRANDING)
        copper *= (1 + PER_K * (warm_c - 20)) / branch.get("parallel", 1)
        ends = sum(
            rng.uniform(*(CLAMP_OHM if branch[end]["kind"] == "post_clamp" else LUG_OHM)) for end in ("from_end", "to_end")
        )
        return float(copper + ends)
    if kind == "fuse":
        return float(rng.uniform(*FUSE_DROP_V) / branch["rating_a"] * 0.8 + 2 * rng.uniform(*LUG_OHM) * 0.5)
    return float(branch["resistance_mohm"] / 1000 * rng.uniform(0.6, 1.5))
