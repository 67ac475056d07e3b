"""With what a lug is pressed on: the die that suits it, a shim where the die at hand is too large, and what to look for after."""

from __future__ import annotations

import math
from enum import StrEnum

from pydantic import Field

from mavrik.core.catalogue.conductor import Size
from mavrik.core.catalogue.lugs import BarrelData
from mavrik.core.document import Document

SOLID_SHARE = 0.95
"""Of a good crimp that is metal: strands and barrel pressed to one block with next to no gaps. Our choice; sections of good crimps show
five to ten per cent of voids."""
NEAR_MM = 0.3
"""A die so near to the one wanted does. Our choice."""
MOST_SHIM_MM = 1.5
"""A thicker shim makes a crimp that is no hexagon any more. Our choice."""
LOOK = (
    "Look: strands to be seen in the inspection hole and none outside, the mouths of the barrel still wide, no fin and no crack; it no longer "
    "turns by hand."
)
"""Common practice, no source."""


class CrimpTool(StrEnum):
    """What a lug is pressed on with."""

    HEX = "hex"
    INDENT = "indent"
    HAMMER = "hammer"


TOOL_WORDS: dict[CrimpTool, tuple[str, str]] = {
    CrimpTool.HEX: (
        "Hexagon die",
        "The usual way here: even all round. It asks for the die of that lug, or one of its width.",
    ),
    CrimpTool.INDENT: (
        "Indent",
        "For thick barrels and tube: opposite the seam, in the middle of the barrel, to the stop of the tool. A thin barrel tears.",
    ),
    CrimpTool.HAMMER: (
        "Hammer",
        "Where there is no press: on something that does not give, until the jaws meet. No two are alike: pull a sample, and no larger than 50 mm².",
    ),
}
"""Each with what it asks. Common practice, no source."""
MOST_HAMMERED_MM2 = 50.0


class Pressed(Document):
    """How a lug is pressed on."""

    tool: CrimpTool
    across_mm: float | None = Field(description="Of a hexagon die that suits it, flat to flat; null: no hexagon")
    shim_mm: float | None = Field(
        description="Thickness that the die at hand wants beside the barrel; null: none, or no die is known"
    )
    words: str


def hex_across_mm(barrel: BarrelData, size: Size) -> float:
    """Width of a hexagon die, flat to flat, that presses barrel and conductor to one block [mm].

    barrel: as it comes; size: of the conductor, or of all that is in it
    Source: geometry; the metal of the barrel's ring and of the conductor over the area of a hexagon of that width, 95 % of which is metal.
    The maker's die wins.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> from mavrik.core.catalogue.lugs import barrel_for
    >>> round(hex_across_mm(barrel_for(parse_size("35 mm2")), parse_size("35 mm2")), 1)
    10.6
    """
    ring = math.pi / 4 * (barrel.outer_mm**2 - barrel.inner_mm**2)
    return math.sqrt(2 * (ring + size.area_mm2) / SOLID_SHARE / math.sqrt(3))


def pressed(tool: CrimpTool, what: str, barrel: BarrelData, size: Size, die_mm: float | None = None) -> Pressed:
    """How a lug is pressed on with a tool.

    tool: the tool; what: the lug in words; barrel, size: of the lug and its conductor; die_mm: width of the hexagon die at hand; None: the lug's own
    Raises ValueError for a die that is too small or too large for it, and for a lug too large to be hammered.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> from mavrik.core.catalogue.lugs import barrel_for
    >>> size = parse_size("35 mm2")
    >>> pressed(CrimpTool.HEX, "the lug", barrel_for(size), size, 11.6).shim_mm
    1.0
    """
    if tool is CrimpTool.HAMMER:
        if size.area_mm2 > MOST_HAMMERED_MM2:
            raise ValueError(f"{size.label} is too large to be hammered: no blow goes through to its middle.")
        return Pressed(
            tool=tool,
            across_mm=None,
            shim_mm=None,
            words=f"Hammer {what} until the jaws meet, on something that does not give. {LOOK}",
        )
    if tool is CrimpTool.INDENT:
        words = f"Press {what} with the indent opposite the seam, in the middle of the barrel, to the stop of the tool. {LOOK}"
        return Pressed(tool=tool, across_mm=None, shim_mm=None, words=words)
    across_mm = round(hex_across_mm(barrel, size), 1)
    if die_mm is None or abs(die_mm - across_mm) <= NEAR_MM:
        die = "its own die" if die_mm is None else f"the hexagon die of {die_mm:g} mm"
        return Pressed(tool=tool, across_mm=across_mm, shim_mm=None, words=f"Press {what} with {die}. {LOOK}")
    if die_mm < across_mm:
        raise ValueError(
            f"A die of {die_mm:g} mm is too small for {size.label}: about {across_mm:g} mm. It cuts strands and squeezes fins out."
        )
    shim = round(die_mm - across_mm, 1)
    if shim > MOST_SHIM_MM:
        raise ValueError(
            f"A die of {die_mm:g} mm is too large for {size.label}: about {across_mm:g} mm. Take another die or another tool."
        )
    words = f"Press {what} with the hexagon die of {die_mm:g} mm and a {shim:g} mm copper shim beside the barrel: note it, and pull a sample. {LOOK}"
    return Pressed(tool=tool, across_mm=across_mm, shim_mm=shim, words=words)
