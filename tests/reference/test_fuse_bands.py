"""Opening times against the standards' points, and what follows between and beyond them; values from memory."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mavrik.core.catalogue.fuses import (
    NEVER,
    FuseFamily,
    breaker_opening,
    fuse_table,
    interrupting_at,
    opening,
    seconds_in_words,
)

HOURS_100 = 360_000
# ISO 8820-3, blade fuses: percent of rating, least and most opening time [s].
BLADES = [(1.10, HOURS_100, math.inf), (1.35, 0.75, 600), (2.00, 0.15, 5), (3.50, 0.08, 0.5)]


@pytest.mark.parametrize("family", [FuseFamily.BLADE_C, FuseFamily.BLADE_F])
@pytest.mark.parametrize(("multiple", "least", "most"), BLADES)
def test_blades_open_within_iso_8820_3(family: FuseFamily, multiple: float, least: float, most: float) -> None:
    band = opening(family, 20, 20 * multiple)
    assert band.least_s == pytest.approx(least) and band.most_s == pytest.approx(most)


@pytest.mark.parametrize("family", list(FuseFamily))
def test_a_fuse_carries_its_rating_for_good(family: FuseFamily) -> None:
    rating = fuse_table().families[family].ratings_a[0]
    assert opening(family, rating, rating) == NEVER
    assert opening(family, rating, 1.05 * rating) == NEVER
    assert math.isfinite(opening(family, rating, 2 * rating).most_s)


@pytest.mark.parametrize("family", [FuseFamily.STRIP_30, FuseFamily.STRIP_51])
def test_bolted_strips_are_slower_than_blades(family: FuseFamily) -> None:
    """They are made to ride through what a blade is not; from makers' curves and ISO 8820-5."""
    for multiple in (1.35, 2.0, 3.5):
        strip, blade = opening(family, 100, 100 * multiple), opening(FuseFamily.BLADE_C, 20, 20 * multiple)
        assert strip.least_s > blade.least_s and strip.most_s > blade.most_s


def test_class_t_is_the_fastest_of_the_bolted_ones_in_a_short() -> None:
    """What it is bought for: current limiting at hundreds of times its rating."""
    at = {f: opening(f, 200, 8000).most_s for f in (FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.CLASS_T)}
    assert min(at, key=at.__getitem__) is FuseFamily.CLASS_T


@given(st.sampled_from(list(FuseFamily)), st.floats(0.1, 60), st.floats(0.1, 60))
def test_more_current_never_opens_later(family: FuseFamily, one: float, other: float) -> None:
    rating = fuse_table().families[family].ratings_a[-1]
    low, high = (opening(family, rating, m * rating) for m in sorted((one, other)))
    assert high.least_s <= low.least_s and high.most_s <= low.most_s
    assert 0 < high.least_s <= high.most_s


@given(st.sampled_from(list(FuseFamily)), st.floats(1.2, 8))
def test_beyond_the_last_point_the_let_through_energy_stays(family: FuseFamily, beyond: float) -> None:
    """I2 t is constant where the element has no time to lose heat."""
    data = fuse_table().families[family]
    rating, last = data.ratings_a[-1], data.opening[-1][0]
    start, far = opening(family, rating, last * rating), opening(family, rating, last * rating * beyond)
    assert far.most_s * beyond**2 == pytest.approx(start.most_s) and far.least_s * beyond**2 == pytest.approx(start.least_s)


def test_between_two_points_by_hand() -> None:
    """Blade at 165 %: half way from 135 to 200 % in the logarithm, so the geometric means."""
    at = math.sqrt(1.35 * 2.0)
    band = opening(FuseFamily.BLADE_C, 20, 20 * at)
    assert band.least_s == pytest.approx(math.sqrt(0.75 * 0.15)) and band.most_s == pytest.approx(math.sqrt(600 * 5))


def test_a_thermal_breaker_is_slower_than_any_blade() -> None:
    for multiple in (1.35, 2.0, 3.0):
        assert breaker_opening(50, 50 * multiple).least_s > opening(FuseFamily.BLADE_C, 30, 30 * multiple).least_s
    assert breaker_opening(50, -150) == breaker_opening(50, 150)


@pytest.mark.parametrize(
    ("seconds", "words"),
    [
        (0.0004, "0.0004 s"),
        (0.08, "0.08 s"),
        (0.5, "0.5 s"),
        (1.25, "1.2 s"),
        (59, "59 s"),
        (180, "3 min"),
        (36000, "10 h"),
        (math.inf, "never"),
    ],
)
def test_times_have_the_digits_they_deserve(seconds: float, words: str) -> None:
    assert seconds_in_words(seconds) == words


@pytest.mark.parametrize(
    ("band", "words"), [((math.inf, math.inf), "for good"), ((60, math.inf), "perhaps never"), ((0.1, 2), "0.1 s to 2 s")]
)
def test_a_band_in_words(band: tuple[float, float], words: str) -> None:
    from mavrik.core.catalogue.fuses import Opening

    assert words in Opening(*band).words


def test_ratings_and_voltages_of_the_families() -> None:
    """ISO 8820: 32 V for vehicle families; a marine block at the post more; interrupting ratings rise with the family's purpose."""
    table = fuse_table().families
    assert all(
        table[f].voltage_v == 32 for f in (FuseFamily.BLADE_C, FuseFamily.BLADE_E, FuseFamily.STRIP_30, FuseFamily.STRIP_51)
    )
    order = [FuseFamily.BLADE_C, FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.MRBF, FuseFamily.CLASS_T]
    breaks = [interrupting_at(table[f].interrupting_a, 12)[0] for f in order]
    assert breaks == sorted(breaks) and breaks[-1] == 20000
    assert all(list(d.ratings_a) == sorted(set(d.ratings_a)) for d in table.values())
