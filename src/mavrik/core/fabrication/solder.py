"""Solder of a cup lug: how much goes in, and what it asks."""

from __future__ import annotations

import math

from mavrik.core.catalogue.conductor import Size
from mavrik.core.catalogue.lugs import BarrelData

TIN_LEAD_G_PER_MM3 = 8.4e-3
"""60/40 tin-lead; tin-copper without lead weighs 7.4. From memory."""


def solder_mm3(barrel: BarrelData, size: Size, full: float = 1.0) -> float:
    """Solder that fills the cup of a lug round its conductor [mm3].

    barrel: the cup; size: of the conductor, whose strands reach to its bottom; full: how far up it stands, as a share, above 0 to 1
    Raises ValueError for a conductor with more metal than the cup has room.
    Source: geometry: the cup less the metal of the strands, so with the voids between them.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> from mavrik.core.catalogue.lugs import barrel_for
    >>> round(solder_mm3(barrel_for(parse_size("35 mm2")), parse_size("35 mm2")))
    515
    """
    if not 0 < full <= 1:
        raise ValueError("A cup is filled to a share above 0, up to 1")
    room = math.pi / 4 * barrel.inner_mm**2 - size.area_mm2
    if room <= 0:
        raise ValueError(f"{size.label} has more metal than this cup has room.")
    return room * barrel.depth_mm * full


def wire_mm(solder: float, wire_diameter_mm: float) -> float:
    """So much solder as wire [mm].

    solder: volume [mm3], 0 or more; wire_diameter_mm: of the solder, above 0
    Raises ValueError for a wire without thickness.

    >>> round(wire_mm(515, 3.0))
    73
    """
    if not wire_diameter_mm > 0:
        raise ValueError("A wire has a diameter")
    return solder / (math.pi / 4 * wire_diameter_mm**2)
