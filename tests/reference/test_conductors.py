"""Conductors against published tables. Table values were written from memory; the formulas are the stronger check."""

import math

import pytest

from mavrik.core.catalogue.conductor import (
    Material,
    Stranding,
    awg_area_mm2,
    awg_diameter_mm,
    cable_resistance,
    circular_mils_for_drop,
    conductor_table,
    parse_size,
    resistance_per_m_20c,
)

FEET_PER_1000 = 304.8


@pytest.mark.parametrize(
    ("number", "diameter_mm", "area_mm2"), [(2, 6.544, 33.6), (0, 8.252, 53.5), (10, 2.588, 5.26), (-3, 11.684, 107.2)]
)
def test_awg_geometry_is_that_of_astm_b258(number: int, diameter_mm: float, area_mm2: float) -> None:
    assert awg_diameter_mm(number) == pytest.approx(diameter_mm, abs=0.0006)
    assert awg_area_mm2(number) == pytest.approx(area_mm2, rel=0.002)


def test_awg_steps_by_the_39th_root_of_92() -> None:
    """ASTM B258: 39 steps lead from 36 AWG (0.005 in) to 4/0 (0.460 in)."""
    assert awg_diameter_mm(-3) / awg_diameter_mm(36) == pytest.approx(92)
    assert awg_diameter_mm(36) == pytest.approx(0.127)
    assert awg_area_mm2(5) / awg_area_mm2(8) == pytest.approx(2, rel=0.01)  # three sizes double the area


# NEC chapter 9, table 8: stranded uncoated copper, direct current, 75 degC, ohm per 1000 ft.
NEC_TABLE_8 = {"10 AWG": 1.24, "6 AWG": 0.491, "4 AWG": 0.308, "2 AWG": 0.194, "1/0 AWG": 0.122, "4/0 AWG": 0.0608}


@pytest.mark.parametrize(("size", "ohm_per_1000_ft"), NEC_TABLE_8.items())
def test_stranded_copper_at_75_degc_is_that_of_nec_table_8(size: str, ohm_per_1000_ft: float) -> None:
    assert cable_resistance(parse_size(size), FEET_PER_1000, 75) == pytest.approx(ohm_per_1000_ft, rel=0.01)


# IEC 60228 class 5, plain copper, maximum at 20 degC, ohm per km.
IEC_60228 = {6: 3.30, 10: 1.91, 16: 1.21, 25: 0.780, 35: 0.554, 50: 0.386, 70: 0.272, 95: 0.206}


@pytest.mark.parametrize(("area", "ohm_per_km"), IEC_60228.items())
def test_metric_cable_is_class_5_of_iec_60228(area: int, ohm_per_km: float) -> None:
    per_m = resistance_per_m_20c(parse_size(f"{area} mm2"), Material.COPPER)
    assert per_m * 1000 == pytest.approx(ohm_per_km)
    # Physics: flexible strands of nominal area lie 3 to 20 % above a solid bar of copper (IEC 60028) of that area.
    solid = 1.7241e-8 / (area * 1e-6)
    assert 1.03 < per_m / solid < 1.20


def test_copper_is_that_of_iec_60028() -> None:
    copper = conductor_table().materials[Material.COPPER]
    assert copper.resistivity_ohm_m == 1.7241e-8
    assert copper.temperature_coefficient_per_k == 0.00393
    warm, cold = (cable_resistance(parse_size("35 mm2"), 1, t) for t in (70, 20))
    assert warm / cold == pytest.approx(1 + 0.00393 * 50)


def test_aluminium_has_61_percent_of_coppers_conductivity() -> None:
    """IEC 60889: 61 % IACS."""
    materials = conductor_table().materials
    share = materials[Material.COPPER].resistivity_ohm_m / materials[Material.ALUMINIUM].resistivity_ohm_m
    assert share == pytest.approx(0.61, abs=0.001)


def test_long_thin_run_loses_what_the_trade_says() -> None:
    """Common practice, no source: 6 mm2 at 25 A over 12 m of route, there and back, loses about 2 V."""
    there_and_back = 2 * cable_resistance(parse_size("6 mm2"), 12, 20)
    assert 25 * there_and_back == pytest.approx(2.0, abs=0.05)


def test_marine_drop_rule_agrees_with_ohms_law() -> None:
    """ABYC E-11: CM = 10.75 x A x ft / V is Ohm's law with copper a little above 20 degC."""
    mils = circular_mils_for_drop(100, 20, 0.36)
    area_m2 = mils * math.pi / 4 * (25.4e-6) ** 2
    resistivity = 0.36 / 100 * area_m2 / (20 * 0.3048)
    assert 1.7241e-8 < resistivity < 1.7241e-8 * (1 + 0.00393 * 30)


# ISO 6722-1 and ISO 19642, maximum resistance at 20 degC [ohm/km]; values from memory.
ONLY_ON_THE_ROAD = {
    "1.25": 14.9,
    "2": 9.42,
    "3": 6.15,
    "5": 3.94,
    "8": 2.38,
    "12": 1.52,
    "20": 0.955,
    "30": 0.647,
    "40": 0.473,
    "60": 0.315,
}


@pytest.mark.parametrize(("size", "ohm_per_km"), ONLY_ON_THE_ROAD.items())
def test_sizes_that_are_made_for_vehicles_alone(size: str, ohm_per_km: float) -> None:
    """8, 20, 30, 40 and 60 mm2 are bought by the metre in the Japanese series; ISO 19642 has them too."""
    cable = parse_size(f"{size} mm2")
    road = resistance_per_m_20c(cable, Material.COPPER, Stranding.ROAD_VEHICLE)
    assert road * 1000 == pytest.approx(ohm_per_km)
    # The formula is the stronger check: copper of that area, with 2 to 15 % for lay and tolerance of a fine strand.
    ideal = 1.7241e-8 / (float(size) * 1e-6)
    assert 1.02 < road / ideal < 1.15
    assert road < resistance_per_m_20c(cable, Material.COPPER) < 1.08 * road


def test_a_larger_size_never_has_more_resistance() -> None:
    """Whatever the series a size is from."""
    for stranding in Stranding:
        ohm = [resistance_per_m_20c(parse_size(f"{s} mm2"), Material.COPPER, stranding) for s in conductor_table().metric_sizes]
        assert ohm == sorted(ohm, reverse=True), stranding


def test_what_class_5_allows_more_than_road_vehicle_cable() -> None:
    """About 4 to 7 %, from memory; the middle of the table's own ratios is what sizes between take."""
    table = conductor_table()
    ratios = sorted(
        table.class_5_max_ohm_per_km[s] / r
        for s, r in table.road_vehicle_max_ohm_per_km.items()
        if s in table.class_5_max_ohm_per_km
    )
    assert ratios[len(ratios) // 2] == pytest.approx(1.05, abs=0.005)
