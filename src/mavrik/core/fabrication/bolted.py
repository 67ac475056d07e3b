"""Lugs on a stud: how tight, in which order, and whether the stud is long enough."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from mavrik.core.catalogue.lugs import StudData, StudMetal, lug_table

THREADS_BEYOND = 2.0
"""Turns of thread that stand beyond a nut. Common practice, no source."""
NUT_SHARE, WASHER_SHARE = 0.8, 0.2
"""Height of a nut and thickness of its washer, of the diameter: ISO 4032 and ISO 7089, rounded, from memory."""
MOST_LUGS = 4
"""More on one stud is a busbar's work. ABYC E-11, from memory."""


def stress_area_mm2(of: StudData) -> float:
    """Area of a thread that carries [mm2].

    of: the stud
    Source: ISO 898-1, pi/4 (d - 0.9382 p)^2; of inch threads ASME B1.1, pi/4 (d - 0.9743 p)^2; from memory.

    >>> from mavrik.core.catalogue.lugs import stud
    >>> round(stress_area_mm2(stud("M8")), 1)
    36.6
    """
    return math.pi / 4 * (of.diameter_mm - (0.9743 if of.unified else 0.9382) * of.pitch_mm) ** 2


def torque_nm(of: StudData, metal: StudMetal) -> float:
    """How tight a nut is drawn where no maker says otherwise [N m].

    of: the stud; metal: what it and its nut are made of, the softer of the two
    Source: T = K F d with three quarters of the proof stress, threads clean and dry; see ``lugs.json``.

    >>> from mavrik.core.catalogue.lugs import stud
    >>> round(torque_nm(stud("M8"), StudMetal.STEEL)), round(torque_nm(stud("M8"), StudMetal.BRASS))
    (26, 11)
    """
    table = lug_table()
    preload_n = table.proof_share * table.proof_mpa[metal] * stress_area_mm2(of)
    return table.nut_factor * preload_n * of.diameter_mm / 1000


@dataclass(frozen=True)
class Stack:
    """Lugs on one stud."""

    order: tuple[str, ...]
    """From the stud's foot to its nut: what carries most lies lowest."""
    needs_mm: float
    """Thread that palms, washer, nut and what stands beyond it take."""
    left_mm: float | None
    """Beyond that; below 0 the stud is too short; None: its length is not known."""
    words: tuple[str, ...]
    """What is wrong with it; empty: nothing."""


def stack(of: StudData, current_a: Mapping[str, float], palm_mm: Mapping[str, float], length_mm: float | None = None) -> Stack:
    """How lugs lie on a stud, and whether it is long enough for them.

    of: the stud; current_a: what each lug carries for good, by name [A]; palm_mm: how thick each is, by the same names [mm]
    length_mm: of the thread; None: not known
    Raises KeyError for a lug whose palm is not known, ValueError for none.
    Source: largest current at the foot, two turns beyond the nut (common practice); nut and washer by their standards.

    >>> from mavrik.core.catalogue.lugs import stud
    >>> made = stack(stud("M8"), {"monitor": 1, "charge": 120}, {"monitor": 0.8, "charge": 3.5}, 15)
    >>> made.order, round(made.needs_mm, 1), round(made.left_mm, 1)
    (('charge', 'monitor'), 14.8, 0.2)
    """
    if not current_a:
        raise ValueError("There is no lug on the stud")
    order = tuple(sorted(current_a, key=lambda name: -current_a[name]))
    needs = sum(palm_mm[name] for name in order)
    needs += (NUT_SHARE + WASHER_SHARE) * of.diameter_mm + THREADS_BEYOND * of.pitch_mm
    left = None if length_mm is None else length_mm - needs
    words = []
    if len(order) > MOST_LUGS:
        words.append(f"{len(order)} lugs on one stud: at most {MOST_LUGS}. Take a busbar.")
    if left is not None and left < 0:
        words.append(
            f"The stud is {-left:.1f} mm too short: a nut on two threads holds nothing. Take a longer stud, or a lug off it."
        )
    return Stack(order, needs, left, tuple(words))
