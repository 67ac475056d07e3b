"""Does a barrel take its conductors: one, or two side by side."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.catalogue.conductor import Size, Stranding
from mavrik.core.catalogue.lugs import BarrelData, barrel_for
from mavrik.core.fabrication.stranded import conductor_diameter_mm

MOST_CONDUCTORS = 2
LOOSE_BELOW = 0.7
"""Strands, with the room between them, that fill less of a barrel leave it to the die: it may close on air. Our choice, no source."""

SNUG_UP_TO = 1.0
PRESSED_UP_TO = 0.8
"""Metal of fine strands that still goes in with care, as into a barrel one size down: equal strands laid as close as they can be fill 0.907
(hexagonal packing), and no hand comes to that. Our choice."""


class Fit(StrEnum):
    """How conductors go into a barrel."""

    LOOSE = "loose"
    SNUG = "snug"
    WITH_CARE = "with_care"
    TOO_MUCH = "too_much"


@dataclass(frozen=True)
class BarrelFit:
    """Conductors in a barrel."""

    fit: Fit
    share: float
    """Circles round the strands over the barrel's opening."""
    metal_share: float
    """Metal over the barrel's opening: what is left is pressed out of it."""
    side_by_side_mm: float
    """What the conductors need as they lie, before the strands give way [mm]."""
    words: str


def barrel_fit(barrel: BarrelData, conductors: Sequence[tuple[Size, Stranding]]) -> BarrelFit:
    """How one conductor, or two, go into a barrel.

    barrel: of a lug; conductors: sizes with their stranding
    Raises ValueError for none, or more than two.
    Source: geometry: circles round the strands against the barrel's opening; strands of two conductors reshape, so that their areas
    count and not their diameters side by side. Where they are called loose or with care: common practice, no source.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> one, six = parse_size("1 AWG"), parse_size("6 AWG")
    >>> barrel_fit(barrel_for(parse_size("1/0 AWG")), [(one, Stranding.FLEXIBLE), (six, Stranding.FLEXIBLE)]).fit.value
    'snug'
    """
    if not 1 <= len(conductors) <= MOST_CONDUCTORS:
        raise ValueError(f"A barrel takes one conductor or two, not {len(conductors)}")
    opening = math.pi / 4 * barrel.inner_mm**2
    across = [conductor_diameter_mm(size, stranding) for size, stranding in conductors]
    share = sum(math.pi / 4 * d**2 for d in across) / opening
    metal = sum(size.area_mm2 for size, _ in conductors) / opening
    fine = all(stranding is not Stranding.ROAD_VEHICLE for _, stranding in conductors)
    if share < LOOSE_BELOW:
        fit, words = Fit.LOOSE, "Loose: take the next lug down, or fill it with strands of the same metal."
    elif share <= SNUG_UP_TO:
        fit, words = Fit.SNUG, "Snug."
    elif metal <= PRESSED_UP_TO and fine:
        fit, words = (
            Fit.WITH_CARE,
            "Tight: it goes in with every strand, turned and with care, or the lug is one too small. No strand is cut off.",
        )
    else:
        fit, words = Fit.TOO_MUCH, "It does not go in: take the next lug up. No strand is cut off."
    return BarrelFit(fit, share, metal, sum(across), words)


def smallest_barrel(conductors: Sequence[tuple[Size, Stranding]], sizes: Sequence[Size]) -> Size | None:
    """The smallest size whose barrel takes conductors snugly; None where none does.

    conductors: as for `barrel_fit`; sizes: that there are lugs of, in any order

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> lugs = [parse_size(s) for s in ("2 AWG", "1 AWG", "1/0 AWG", "2/0 AWG")]
    >>> smallest_barrel([(parse_size("1 AWG"), Stranding.FLEXIBLE), (parse_size("6 AWG"), Stranding.FLEXIBLE)], lugs).label
    '1/0 AWG'
    """
    for size in sorted(sizes, key=lambda s: barrel_for(s).inner_mm):
        if barrel_fit(barrel_for(size), conductors).fit in (Fit.LOOSE, Fit.SNUG):
            return size
    return None
