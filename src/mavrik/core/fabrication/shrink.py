"""Dual-wall shrink over a lug: which sleeve, how long, and when it goes on."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.catalogue.lugs import BarrelData, ShrinkData, lug_table

PASSES_SHARE = 1.05
"""A sleeve goes over what is a little thinner than it. Common practice, no source."""
GRIPS_SHARE = 0.9
"""It has to shrink to less than the cable, or its glue holds nothing. Common practice, no source."""
ORDER = "Slip it on before the second lug is pressed: over two lugs it does not go."


@dataclass(frozen=True)
class Sleeve:
    """A piece of shrink."""

    of: ShrinkData
    length_mm: float


def sleeve_for(barrel: BarrelData, cable_mm: float) -> Sleeve:
    """The smallest sleeve that passes over a lug's barrel and grips the cable.

    barrel: of the lug; cable_mm: over its insulation [mm]
    Raises ValueError where no sleeve does both.
    Source: sleeves as they are sold, see ``lugs.json``; it covers barrel and neck and reaches onto the insulation.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> from mavrik.core.catalogue.lugs import barrel_for
    >>> made = sleeve_for(barrel_for(parse_size("35 mm2")), 12.5)
    >>> made.of.label, made.length_mm
    ('18 to 6 mm', 38.0)
    """
    table = lug_table()
    if not cable_mm > 0:
        raise ValueError("A cable has a diameter")
    widest = max(barrel.outer_mm, cable_mm)
    for of in table.shrink:
        if of.supplied_mm >= PASSES_SHARE * widest and of.recovered_mm <= GRIPS_SHARE * min(barrel.outer_mm, cable_mm):
            return Sleeve(of, barrel.depth_mm + table.shrink_over_cable_mm)
    raise ValueError(f"No sleeve passes over {widest:g} mm and grips {min(barrel.outer_mm, cable_mm):g} mm.")
