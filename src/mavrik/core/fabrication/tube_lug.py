"""A lug made of copper tube: what is left at its hole, and whether it pays."""

from __future__ import annotations

import math
from dataclasses import dataclass

from mavrik.core.catalogue.conductor import Size
from mavrik.core.catalogue.lugs import StudData, lug_table


@dataclass(frozen=True)
class TubeLug:
    """A tube pressed flat at one end and drilled."""

    width_mm: float
    """Of the flat."""
    thickness_mm: float
    left_mm2: float
    """Metal beside the hole."""
    enough: bool
    """No less there than in the conductor."""
    words: str


def tube_lug(outer_mm: float, wall_mm: float, over: StudData, size: Size) -> TubeLug:
    """What comes of a piece of tube.

    outer_mm, wall_mm: of the tube [mm]; over: the stud; size: of the conductor in it
    Raises ValueError for a tube that is none.
    Source: geometry: the middle of the wall keeps its length when the tube is pressed flat, so the flat is half of it wide and two walls
    thick; (width - hole) x thickness is no less than the conductor's metal.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> from mavrik.core.catalogue.lugs import stud
    >>> made = tube_lug(15.0, 2.0, stud("M8"), parse_size("35 mm2"))
    >>> round(made.width_mm, 1), made.enough
    (20.4, True)
    """
    if not 0 < 2 * wall_mm < outer_mm:
        raise ValueError("A tube has a wall, and room inside")
    width, thickness = math.pi * (outer_mm - wall_mm) / 2, 2 * wall_mm
    left = max(width - over.hole_mm, 0.0) * thickness
    enough = left >= size.area_mm2
    if enough:
        words = f"{left:.0f} mm2 stay beside the hole, the conductor has {size.area_mm2:.0f}."
    else:
        words = f"Only {left:.0f} mm2 stay beside the hole, the conductor has {size.area_mm2:.0f}: take a wider or thicker tube, or a smaller stud."
    return TubeLug(width, thickness, left, enough, words)


def tube_mm(depth_mm: float, over: StudData, outer_mm: float) -> float:
    """How much tube a lug takes: the barrel, half a diameter to close it, and the palm [mm].

    depth_mm: of the barrel; over: the stud; outer_mm: of the tube
    Source: as the lugs that are sold, see ``lugs.json``.

    >>> from mavrik.core.catalogue.lugs import stud
    >>> tube_mm(18, stud("M8"), 15)
    41.5
    """
    return depth_mm + lug_table().neck_share * outer_mm + over.palm_mm


def pays(bought: float, made: float, seconds: float, labour_per_h: float) -> float:
    """What making one lug saves over buying it, in the workshop's currency; below 0 it costs more.

    bought, made: a bought one, and the material of one's own; seconds: to make it; labour_per_h: what an hour costs
    Source: arithmetic. In the trade: 2 against 0.18 and a minute and a half.

    >>> round(pays(2.0, 0.18, 90, 60), 2)
    0.32
    """
    return bought - made - labour_per_h * seconds / 3600
