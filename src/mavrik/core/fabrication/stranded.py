"""How thick a stranded conductor is: what a barrel has to take."""

from __future__ import annotations

import math

from mavrik.core.catalogue.conductor import Size, Stranding
from mavrik.core.catalogue.lugs import lug_table

LAYERS = {1: 0, 7: 1, 19: 2, 37: 3, 61: 4}
"""Strands of a concentric lay, 1 + 3 n (n + 1), by their layers round the first."""


def concentric_diameter_mm(area_mm2: float, strands: int) -> float:
    """Diameter over the strands of a concentric lay, as building wire and old battery cable have it [mm].

    area_mm2: metal [mm2], above 0; strands: 1, 7, 19, 37 or 61
    Raises ValueError for another number of strands.
    Source: geometry, as ASTM B8 reckons: each layer adds two strands to the diameter.

    >>> round(concentric_diameter_mm(33.63, 7), 2)
    7.42
    """
    if strands not in LAYERS:
        raise ValueError(f"A concentric lay has {', '.join(map(str, LAYERS))} strands, not {strands}")
    if not area_mm2 > 0:
        raise ValueError("A conductor has metal")
    return math.sqrt(4 * area_mm2 / strands / math.pi) * (2 * LAYERS[strands] + 1)


def conductor_diameter_mm(size: Size, stranding: Stranding = Stranding.FLEXIBLE) -> float:
    """Diameter over the strands of a bunched or rope-laid conductor, before it is pressed [mm].

    size: of the conductor; stranding: its class; very fine strands, as of welding cable, take more room
    Source: circle of the metal over the fill of its strands, see ``lugs.json``.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> round(conductor_diameter_mm(parse_size("35 mm2"), Stranding.ROAD_VEHICLE), 1)
    8.5
    """
    return math.sqrt(4 * size.area_mm2 / (math.pi * lug_table().strand_fill[stranding]))


WALL_MM = 1.6
"""Insulation of a battery cable whose diameter nobody has measured. SAE J1127 and ISO 6722-1 thick wall, rough, from memory."""


def usual_over_mm(size: Size, stranding: Stranding) -> float:
    """Diameter over the insulation of a cable that nobody has measured [mm].

    size, stranding: of its conductor

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> round(usual_over_mm(parse_size("35 mm2"), Stranding.ROAD_VEHICLE), 1)
    11.7
    """
    return conductor_diameter_mm(size, stranding) + 2 * WALL_MM
