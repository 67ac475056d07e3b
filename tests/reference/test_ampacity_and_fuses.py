"""Ampacity and fuses against published tables, written from memory as the data files say."""

import math

import pytest

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.catalogue.fuses import FuseFamily, choose_rating, distance_limit_m, fuse_table
from mavrik.core.thermal.ampacity import AmpacityTableName, Place, ampacity

# ABYC E-11, single conductor, 105 degC insulation, outside the engine space [A].
E11_105 = {"10 AWG": 60, "6 AWG": 120, "4 AWG": 160, "2 AWG": 210, "1/0 AWG": 285, "2/0 AWG": 330}


@pytest.mark.parametrize(("size", "amperes"), E11_105.items())
def test_105_degc_column_is_that_of_abyc_e11(size: str, amperes: float) -> None:
    outside = ampacity(parse_size(size), 105, Place.OUTSIDE)
    assert outside.current_a == amperes
    assert outside.table is AmpacityTableName.ABYC_E11
    inside = ampacity(parse_size(size), 105, Place.ENGINE_SPACE)
    assert inside.current_a == pytest.approx(0.85 * amperes)


@pytest.mark.parametrize("table", list(AmpacityTableName))
@pytest.mark.parametrize("insulation", [60, 75, 80, 90, 105, 125])
def test_larger_and_hotter_never_carries_less(table: AmpacityTableName, insulation: int) -> None:
    sizes = ["10 AWG", "8 AWG", "6 AWG", "4 AWG", "2 AWG", "1/0 AWG", "2/0 AWG", "4/0 AWG"]
    row = [ampacity(parse_size(s), insulation, Place.CABIN, table).current_a for s in sizes]
    assert row == sorted(row)
    if insulation > 60:
        cooler = {60: 60, 75: 60, 80: 75, 90: 80, 105: 90, 125: 105}[insulation]
        for size, current in zip(sizes, row, strict=True):
            assert current >= ampacity(parse_size(size), cooler, Place.CABIN, table).current_a


@pytest.mark.parametrize("area", [6, 10, 16, 25, 35, 50, 70, 95])
def test_iso_10133_is_the_lower_table(area: int) -> None:
    """E-11's amperes at this cross-section, by a power law through its own rows, lie above those of ISO 10133."""
    points = [(math.log(parse_size(s).area_mm2), math.log(a)) for s, a in E11_105.items()]
    mean_x, mean_y = (sum(c) / len(points) for c in zip(*points, strict=True))
    slope = sum((x - mean_x) * (y - mean_y) for x, y in points) / sum((x - mean_x) ** 2 for x, _ in points)
    e11 = math.exp(mean_y + slope * (math.log(area) - mean_x))
    iso = ampacity(parse_size(f"{area} mm2"), 105, Place.OUTSIDE)
    assert iso.table is AmpacityTableName.ISO_10133
    assert 0.75 * e11 < iso.current_a < 1.02 * e11


def test_engine_space_factor_is_near_the_root_of_the_rise_left() -> None:
    """Both ways of correcting for 50 degC air: the table's own 0.85, and sqrt((105 - 50) / (105 - 30))."""
    size = parse_size("2 AWG")
    by_table = ampacity(size, 105, Place.ENGINE_SPACE).current_a
    by_root = ampacity(size, 105, Place.ENGINE_SPACE, ambient_c=50).current_a
    assert by_root == pytest.approx(210 * math.sqrt(55 / 75)) == pytest.approx(by_table, rel=0.01)
    assert ampacity(size, 105, Place.CABIN, ambient_c=120).current_a == 0


def test_bundles_by_abyc_e11() -> None:
    """ABYC E-11: 2 to 3 conductors 70 %, 4 to 6 60 %, 7 to 24 50 %, from memory."""
    size = parse_size("6 AWG")
    carried = [ampacity(size, 105, Place.CABIN, bundled=n).current_a / 120 for n in (1, 2, 3, 4, 6, 7, 24)]
    assert carried == pytest.approx([1, 0.7, 0.7, 0.6, 0.6, 0.5, 0.5])


def test_a_size_between_rows_takes_the_smaller_row() -> None:
    metric_by_e11 = ampacity(parse_size("35 mm2"), 105, Place.OUTSIDE, AmpacityTableName.ABYC_E11)
    assert metric_by_e11.current_a == 210  # 2 AWG is 33.6 mm2
    assert "2 AWG" in metric_by_e11.reason


def test_fuse_distance_is_that_of_abyc_e11() -> None:
    """7 in from the source; 72 in at the battery when sheathed; 40 in elsewhere when sheathed."""
    assert distance_limit_m(False, True) == pytest.approx(7 * 0.0254, abs=0.001)
    assert distance_limit_m(True, True) == pytest.approx(72 * 0.0254, abs=0.002)
    assert distance_limit_m(True, False) == pytest.approx(40 * 0.0254, abs=0.005)


def test_blade_ratings_are_preferred_numbers_of_iso_8820_3() -> None:
    assert set(fuse_table().families[FuseFamily.BLADE_C].ratings_a) >= {5, 7.5, 10, 15, 20, 25, 30}


@pytest.mark.parametrize("family", list(FuseFamily))
def test_a_chosen_fuse_lies_between_load_and_cable(family: FuseFamily) -> None:
    for load in (2, 20, 60, 110, 160, 240):
        for cable in (30, 100, 180, 300, 500):
            choice = choose_rating(family, load, cable)
            if choice is not None:
                assert load < choice.rating_a <= cable
                assert load <= 0.8 * choice.rating_a + 1e-9


def test_the_field_mistake_is_caught() -> None:
    """Common practice, no source: 6 AWG with a 100 A link does not carry 170 A; 4 AWG does not carry 250 A."""
    assert ampacity(parse_size("6 AWG"), 105, Place.OUTSIDE).current_a < 170
    assert ampacity(parse_size("4 AWG"), 105, Place.OUTSIDE).current_a < 250
    assert choose_rating(FuseFamily.STRIP_51, 170, 120) is None
