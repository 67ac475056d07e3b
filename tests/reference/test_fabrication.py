"""Diameters of stranded conductors against standards."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.conductor import Stranding, awg_area_mm2, parse_size
from mavrik.core.catalogue.lugs import StudMetal, stud
from mavrik.core.fabrication.acceptance import pull_out_n
from mavrik.core.fabrication.bolted import stress_area_mm2, torque_nm
from mavrik.core.fabrication.stranded import concentric_diameter_mm, conductor_diameter_mm


@pytest.mark.parametrize(
    ("number", "strands", "inch"),
    [(6, 7, 0.184), (4, 7, 0.232), (2, 7, 0.292), (1, 19, 0.332), (0, 19, 0.373), (-1, 19, 0.419), (-3, 19, 0.528)],
)
def test_concentric_lay_is_as_thick_as_astm_b8_has_it(number: int, strands: int, inch: float) -> None:
    """ASTM B8 class B, nominal diameters, from memory."""
    assert concentric_diameter_mm(awg_area_mm2(number), strands) == pytest.approx(inch * 25.4, rel=0.005)


@pytest.mark.parametrize(
    ("size", "most_mm"), [("16 mm2", 5.8), ("25 mm2", 7.2), ("35 mm2", 8.5), ("50 mm2", 10.5), ("70 mm2", 12.5), ("95 mm2", 14.8)]
)
def test_road_vehicle_conductors_keep_within_what_iso_6722_lets_them_be(size: str, most_mm: float) -> None:
    """ISO 6722-1, largest diameter of the conductor, from memory: ours is no more than a hair above, and not a size below."""
    assert 0.93 * most_mm < conductor_diameter_mm(parse_size(size), Stranding.ROAD_VEHICLE) < 1.02 * most_mm


@pytest.mark.parametrize(("size", "inch"), [("6 AWG", 0.210), ("2 AWG", 0.337), ("1/0 AWG", 0.420), ("4/0 AWG", 0.610)])
def test_welding_cable_is_as_thick_as_it_is_sold(size: str, inch: float) -> None:
    """ASTM B172 class K rope lay, nominal diameters as makers list them, from memory; finer strands take more room than others."""
    made = conductor_diameter_mm(parse_size(size), Stranding.EXTRA_FLEXIBLE)
    assert made == pytest.approx(inch * 25.4, rel=0.04)
    assert made > conductor_diameter_mm(parse_size(size), Stranding.FLEXIBLE)


def test_other_numbers_of_strands_are_no_concentric_lay() -> None:
    with pytest.raises(ValueError, match="1, 7, 19, 37, 61"):
        concentric_diameter_mm(33.6, 8)
    with pytest.raises(ValueError, match="metal"):
        concentric_diameter_mm(0, 7)


@pytest.mark.parametrize(
    ("size", "lbf"),
    [("10 AWG", 80), ("8 AWG", 90), ("6 AWG", 100), ("4 AWG", 140), ("2 AWG", 180), ("1/0 AWG", 250), ("2/0 AWG", 300)],
)
def test_pull_out_is_that_of_ul_486a(size: str, lbf: float) -> None:
    """UL 486A-486B, from memory; a pound-force is 4.448 N."""
    assert pull_out_n(parse_size(size)) == pytest.approx(lbf * 4.448, rel=1e-4)


def test_a_size_between_is_held_to_the_smaller_one() -> None:
    assert pull_out_n(parse_size("35 mm2")) == pull_out_n(parse_size("2 AWG"))
    assert pull_out_n(parse_size("95 mm2")) == pull_out_n(parse_size("4/0 AWG")) == pull_out_n(parse_size("2/0 AWG"))
    with pytest.raises(ValueError, match="No pull-out"):
        pull_out_n(parse_size("16 AWG"))


@pytest.mark.parametrize(
    ("name", "area"),
    [("M5", 14.2), ("M6", 20.1), ("M8", 36.6), ("M10", 58.0), ("M12", 84.3), ("5/16 in", 33.8), ("3/8 in", 50.0)],
)
def test_threads_carry_on_the_area_of_the_standards(name: str, area: float) -> None:
    """ISO 898-1 for metric, ASME B1.1 for unified coarse threads, from memory."""
    assert stress_area_mm2(stud(name)) == pytest.approx(area, rel=0.006)


@pytest.mark.parametrize(("name", "nm"), [("M5", 5.9), ("M6", 10.1), ("M8", 24.6), ("M10", 48), ("M12", 84)])
def test_steel_is_drawn_as_tight_as_handbooks_say(name: str, nm: float) -> None:
    """Tightening torque of property class 8.8 at a friction of 0.14, as handbooks after VDI 2230 list it, from memory."""
    assert torque_nm(stud(name), StudMetal.STEEL) == pytest.approx(nm, rel=0.12)


def test_brass_is_drawn_less_than_half_as_tight() -> None:
    """Common practice, no source: about 10 N m on M8."""
    assert 8 < torque_nm(stud("M8"), StudMetal.BRASS) < 13
