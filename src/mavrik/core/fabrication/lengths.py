"""From a route to what is cut and stripped."""

from __future__ import annotations

import math
from dataclasses import dataclass

from mavrik.core.catalogue.conductor import Size
from mavrik.core.catalogue.lugs import BarrelData, StudData, barrel_for, lug_table, stud

MOST_SLACK = 0.25
TOLERANCE_MM, TOLERANCE_SHARE = 5.0, 0.005
"""What a finished lead may be off: a hand's cut, and half a percent of a long one. Common practice, no source."""


@dataclass(frozen=True)
class Cut:
    """What is cut and stripped for a lead."""

    finished_mm: float
    """From the middle of one stud to that of the other."""
    tolerance_mm: float
    cut_mm: float
    """Of the cable, straight."""
    strip_mm: tuple[float, float]
    """Insulation off, at each end."""


def lug_reach_mm(barrel: BarrelData, over: StudData) -> float:
    """What a lug adds to a lead: from the middle of its hole to where the conductor stops [mm].

    barrel: its tube; over: the stud
    Source: half the palm and the neck, see ``lugs.json``.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> lug_reach_mm(barrel_for(parse_size("35 mm2")), stud("M8"))  # 8 mm of palm, half of 12.4 mm of neck
    14.2
    """
    return over.palm_mm / 2 + lug_table().neck_share * barrel.outer_mm


def cut(route_mm: float, size: Size, studs: tuple[str, str], slack: float = 0.0) -> Cut:
    """What is cut and stripped for a lead with a lug at each end.

    route_mm: a string laid along its way from stud to stud [mm], above 0
    size: of the conductor; studs: at its ends, by name
    slack: more than the string, as a share, 0 to 0.25: for an engine that moves, and to lay it without pull
    Raises ValueError for a route too short for its lugs, a size without lugs, a stud that is not listed.
    Source: finished length less what the lugs add; strip: the barrel's depth and a hair (common practice).

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> made = cut(1000, parse_size("35 mm2"), ("M8", "M8"), slack=0.03)
    >>> made.finished_mm, round(made.cut_mm, 1), made.strip_mm
    (1030.0, 1001.6, (19.5, 19.5))
    """
    barrel = barrel_for(size)
    strip = barrel.depth_mm + lug_table().strip_allowance_mm
    first, second = (lug_reach_mm(barrel, stud(name)) for name in studs)
    return cut_for(route_mm, slack, (first, second), (strip, strip))


def cut_for(route_mm: float, slack: float, reach_mm: tuple[float, float], strip_mm: tuple[float, float]) -> Cut:
    """As `cut`, for ends of any kind.

    route_mm, slack: as for `cut`; reach_mm: what each end adds; strip_mm: insulation off at each end [mm]
    Raises ValueError as `cut`.

    >>> cut_for(500, 0.0, (14.0, 20.0), (19.5, 19.5)).cut_mm
    466.0
    """
    if not (route_mm > 0 and math.isfinite(route_mm)):
        raise ValueError("A route has a length above 0")
    if not 0 <= slack <= MOST_SLACK:
        raise ValueError(f"Slack is a share of 0 to {MOST_SLACK:g}")
    finished = route_mm * (1 + slack)
    made = finished - sum(reach_mm)
    if made < sum(strip_mm):
        raise ValueError(f"{route_mm:g} mm is too short for two such ends: the conductor would be {max(made, 0):.0f} mm.")
    return Cut(finished, max(TOLERANCE_MM, TOLERANCE_SHARE * finished), made, strip_mm)
