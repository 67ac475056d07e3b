"""Cable that comes from another vehicle: whether it measures as good as new."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.catalogue.conductor import (
    Material,
    Size,
    Stranding,
    at_temperature,
    conductor_table,
    parse_size,
    resistance_per_m_20c,
)
from mavrik.core.fabrication.documents import Reclaimed
from mavrik.core.measuring.uncertainty import MeterSpec, Verdict, expanded_uncertainty, ratio_uncertainty, verdict_below

MORE_SHARE = 0.05
"""So much over what its class may have a cable is as good as new. Our choice, no source."""
MILLIVOLTS = MeterSpec(percent_of_reading=0.5, digits=2, resolution=0.1)
CLAMP = MeterSpec(percent_of_reading=2.0, digits=2, resolution=0.1)
LENGTH_MM = 5.0
"""What a bench has: a multimeter in its millivolt range, a clamp, a tape measure. Common practice, rough, no source."""


@dataclass(frozen=True)
class ReclaimedVerdict:
    """What a reading says of a reclaimed cable."""

    ohm_per_km: float
    """At 20 degC."""
    ratio: float
    """Of what its class may have."""
    uncertainty: float
    """Of the ratio, expanded."""
    verdict: Verdict
    words: str


def reclaimed_verdict(read: Reclaimed, size: Size, material: Material, stranding: Stranding) -> ReclaimedVerdict:
    """Whether a reclaimed cable has the resistance of its class.

    read: volts lost over a length of it with a known current, probes on the strands and not on the clamps that feed it; size, material,
    stranding: what it is said to be
    Source: Ohm's law at 20 degC; limits of the class as `resistance_per_m_20c`; guard band by JCGM 106.

    >>> read = Reclaimed(length_mm=2000, current_a=50, drop_mv=55.4)
    >>> found = reclaimed_verdict(read, parse_size("35 mm2"), Material.COPPER, Stranding.FLEXIBLE)
    >>> round(found.ohm_per_km, 3), round(found.ratio, 2), found.verdict.value
    (0.554, 1.0, 'pass')
    """
    metres = read.length_mm / 1000
    warm = read.drop_mv / 1000 / read.current_a / metres
    cold = warm / at_temperature(1.0, read.cable_c, material)
    allowed = resistance_per_m_20c(size, material, stranding)
    ratio = cold / allowed
    # Millivolts, amperes and millimetres are read by three instruments: shares of each, root-sum-square.
    amps = ratio_uncertainty(
        read.drop_mv, expanded_uncertainty(read.drop_mv, MILLIVOLTS), read.current_a, expanded_uncertainty(read.current_a, CLAMP)
    ) / (read.drop_mv / read.current_a)
    share = ratio_uncertainty(1.0, amps, metres, LENGTH_MM / 1000) * metres
    unsure = ratio * share
    verdict = verdict_below(ratio, unsure, 1 + MORE_SHARE)
    name, read_as = (
        size.label.replace("mm2", "mm²"),
        f"{cold * 1000:.3g} mΩ a metre at 20 °C, {ratio * 100:.0f} ± {unsure * 100:.0f} % of what its class may have",
    )
    if verdict is Verdict.PASS:
        words = f"As good as new {name}: {read_as}. Look along it for cuts, hard places and green strands all the same."
    elif verdict is Verdict.CLOSE:
        words = f"Too close to call: {read_as}. Send more current through it, or take a longer piece, and read it again."
    else:
        words = f"Not to be used as {name}: {read_as}. {_worth(cold, material, stranding)}"
    return ReclaimedVerdict(cold * 1000, ratio, unsure, verdict, words)


def _worth(ohm_per_m: float, material: Material, stranding: Stranding) -> str:
    """The largest metric size whose class may have as much."""
    sizes = [parse_size(f"{name} mm2") for name in conductor_table().metric_sizes]
    alike = [s for s in sizes if resistance_per_m_20c(s, material, stranding) * (1 + MORE_SHARE) >= ohm_per_m]
    if not alike:
        return "It is worth nothing as a cable."
    return f"It loses as much as {max(alike, key=lambda s: s.area_mm2).label.replace('mm2', 'mm²')}: broken strands, or another size than it is said to be."
