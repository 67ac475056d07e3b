"""What a unit gives over speed: against machines solved apart from the formula, and against curves of another shape."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from mavrik.core.catalogue.sources import KnownOutput, OutputBasis, output_limit_a
from mavrik.core.planning.output import OutputProblemError, OutputRequest, OutputView, machine_a, output_curve

SPEEDS = (1500.0, 1800.0, 2200.0, 3000.0, 4000.0, 6000.0, 8000.0)


def fitted(rated_a: float, *known: KnownOutput) -> OutputView:
    return output_curve(OutputRequest(rated_a=rated_a, basis=OutputBasis(how="fitted", known=known)))


def codes(seen: OutputView) -> list[str]:
    return [f.code for f in seen.findings]


@given(
    cut_in=st.floats(700, 1600), top=st.floats(20, 400), softness=st.floats(0.05, 4), rpm=st.floats(300, 20_000)
)  # fmt: skip
def test_the_current_is_that_of_the_phasor_diagram(cut_in: float, top: float, softness: float, rpm: float) -> None:
    """A voltage that rises with speed behind a reactance that rises with it and a resistance, into a constant voltage at unity
    power factor: solved by complex numbers and bisection, without the closed form."""
    volt = 14.0
    k = volt / cut_in
    reactance_per_rpm, resistance = k / top, softness * volt / top

    def short(amps: float) -> float:
        return abs(complex(volt + amps * resistance, amps * reactance_per_rpm * rpm)) - k * rpm

    expected = brentq(short, 0, top) if short(0) < 0 else 0.0
    assert float(machine_a(rpm, cut_in, top, softness)) == pytest.approx(expected, abs=1e-6 * top)


def test_it_rises_and_never_passes_its_top() -> None:
    amps = machine_a(np.linspace(100, 30_000, 500), 1000, 150, 1.5)
    assert (np.diff(amps) >= 0).all() and amps.max() < 150


def rising(cut_in: float, full: float, scale: float, rpm: float) -> float:
    """A curve of another family: what is left to the full output falls exponentially with speed."""
    return full * (1 - math.exp(-max(rpm - cut_in, 0.0) / scale))


@settings(max_examples=60)
@given(cut_in=st.floats(850, 1300), full=st.floats(60, 320), scale=st.floats(1200, 1800))
def test_two_points_of_a_curve_of_another_shape_tell_the_rest_within_the_band(cut_in: float, full: float, scale: float) -> None:
    """The two points of ISO 8854, and the family of curves is not the formula's: what is between lies within the band."""
    known = [KnownOutput(shaft_rpm=n, output_a=rising(cut_in, full, scale, n)) for n in (1800, 6000)]
    seen = {p.shaft_rpm: p for p in fitted(known[1].output_a, *known).points}
    outside = [n for n in SPEEDS if not seen[n].low_a <= rising(cut_in, full, scale, n) <= seen[n].high_a]
    assert outside == []


def test_nineteen_of_twenty_lie_within_the_band_of_noisy_readings() -> None:
    """Readings with errors drawn apart from the product, of curves of another family, at idle, at speed and between."""
    dice = np.random.default_rng(20)
    within = []
    for _ in range(150):
        cut_in, full, scale = dice.uniform(850, 1300), dice.uniform(60, 320), dice.uniform(1200, 1800)
        rated = rising(cut_in, full, scale, 6000) * dice.normal(1, 0.08)
        known = []
        for n in (dice.uniform(1600, 2200), dice.uniform(2600, 3600), dice.uniform(4500, 6500)):
            true, u = rising(cut_in, full, scale, n * dice.normal(1, 0.01)), 2 + 0.03 * full
            known.append(KnownOutput(shaft_rpm=n, output_a=max(true + dice.normal(0, u / 2), 0.0), u_a=u))
        seen = {p.shaft_rpm: p for p in fitted(rated, *known).points}
        within += [seen[n].low_a <= rising(cut_in, full, scale, n) <= seen[n].high_a for n in SPEEDS]
    assert np.mean(within) >= 0.95


def test_what_is_read_hot_counts_as_what_it_is_cold() -> None:
    """Common practice: windings at a hundred degrees give some 15 % less."""
    cold = fitted(170, KnownOutput(shaft_rpm=2000, output_a=80, u_a=2), KnownOutput(shaft_rpm=6000, output_a=170))
    hot_share = float(output_limit_a(170, 2000, 100)) / float(output_limit_a(170, 2000, 25))
    hot = fitted(
        170, KnownOutput(shaft_rpm=2000, output_a=80 * hot_share, u_a=2 * hot_share, unit_c=100), KnownOutput(shaft_rpm=6000, output_a=170)
    )  # fmt: skip
    assert [p.output_a for p in hot.points] == pytest.approx([p.output_a for p in cold.points], abs=0.2)
    assert all(p.hot_a == pytest.approx(p.output_a * hot_share, abs=0.2) for p in cold.points)


def test_more_readings_narrow_the_band_and_one_speed_leaves_the_rest_open() -> None:
    one = fitted(170, KnownOutput(shaft_rpm=2000, output_a=80, u_a=3))
    two = fitted(170, KnownOutput(shaft_rpm=2000, output_a=80, u_a=3), KnownOutput(shaft_rpm=5500, output_a=165, u_a=4))

    def width(seen: OutputView, rpm: float) -> float:
        return next(p.high_a - p.low_a for p in seen.points if p.shaft_rpm == rpm)

    assert width(two, 6000) < width(one, 6000) / 1.8 and width(one, 6000) > 4 * width(one, 1800)
    assert codes(one) == ["one_speed"] and codes(two) == []


def test_points_that_no_one_unit_gives_are_named() -> None:
    low, mid, high = (KnownOutput(shaft_rpm=n, output_a=a, u_a=3) for n, a in ((1800, 70), (3000, 128), (6000, 168)))
    assert codes(fitted(170, low, mid, high)) == []
    broken = fitted(170, low, KnownOutput(shaft_rpm=3000, output_a=60, u_a=3), high)
    assert {"off_the_curve", "not_one_machine"} & set(codes(broken))
    assert "not_its_rating" in codes(fitted(170, low, KnownOutput(shaft_rpm=6000, output_a=110, u_a=3)))


def test_a_makers_points_are_kept_as_they_are_and_the_shape_is_the_usual() -> None:
    known = (
        KnownOutput(shaft_rpm=6000, output_a=120),
        KnownOutput(shaft_rpm=1000, output_a=0),
        KnownOutput(shaft_rpm=2000, output_a=61),
    )
    seen = output_curve(OutputRequest(rated_a=120, basis=OutputBasis(how="points", known=known)))
    assert [(p.shaft_rpm, p.output_a) for p in seen.curve] == [(1000, 0), (2000, 61), (6000, 120)]
    usual = output_curve(OutputRequest(rated_a=120))
    assert usual.curve == () and usual.rated_a == 120 and all(p.low_a <= p.output_a <= p.high_a for p in usual.points)


@pytest.mark.parametrize(
    ("how", "kind", "known", "field"),
    [
        ("points", "wound_field", [(2000, 60)], "known"), ("points", "wound_field", [(2000, 60), (2000, 70)], "known"),
        ("fitted", "wound_field", [], "known"), ("fitted", "wound_field", [(2000, 0)], "known"),
        ("fitted", "permanent_magnet", [(2000, 10), (5000, 20)], "how"),
    ],
)  # fmt: skip
def test_what_does_not_go_together_is_refused_at_its_field(
    how: str, kind: str, known: list[tuple[float, float]], field: str
) -> None:
    points = tuple(KnownOutput(shaft_rpm=n, output_a=a) for n, a in known)
    with pytest.raises(OutputProblemError) as refused:
        output_curve(OutputRequest(kind=kind, rated_a=100, basis=OutputBasis(how=how, known=points)))  # type: ignore[arg-type]
    assert refused.value.field == field


def test_figures_of_the_trade() -> None:
    """Common practice, no source: a 170 A unit gave 40-60 A at a hot idle."""
    seen = fitted(170, KnownOutput(shaft_rpm=6000, output_a=170))
    idle = next(p for p in seen.points if p.shaft_rpm == 1800)
    assert idle.hot_a == pytest.approx(55, abs=12)
