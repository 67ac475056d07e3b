"""Uncertainty and verdicts against the guides, worked by hand."""

import math

import pytest

from mavrik.core.measuring.uncertainty import MeterSpec, Verdict, combine, expanded_uncertainty, ratio_uncertainty, verdict_below


def test_a_manuals_limit_is_a_rectangle() -> None:
    """JCGM 100, 4.3.7: half-width a gives u = a / sqrt 3; 0.200 V at 0.5 % + 2 counts of 1 mV: a = 3 mV."""
    spec = MeterSpec(0.5, 2, 0.001)
    assert spec.limit_of_error(0.2) == pytest.approx(0.003)
    assert expanded_uncertainty(0.2, spec) == pytest.approx(2 * 0.003 / math.sqrt(3))
    assert expanded_uncertainty(-0.2, spec) == expanded_uncertainty(0.2, spec)


def test_independent_parts_add_in_squares() -> None:
    """JCGM 100, 5.1.2."""
    assert combine(0.003, 0.004) == pytest.approx(0.005)
    assert combine() == 0


def test_a_ratio_is_propagated_by_its_derivatives() -> None:
    """JCGM 100, 5.1.2, checked against numeric derivatives."""
    v, u_v, i, u_i = 0.21, 0.003, 74.0, 1.8
    h = 1e-6
    by_v = ((v + h) / i - (v - h) / i) / (2 * h)
    by_i = (v / (i + h) - v / (i - h)) / (2 * h)
    assert ratio_uncertainty(v, u_v, i, u_i) == pytest.approx(math.hypot(by_v * u_v, by_i * u_i), rel=1e-6)
    with pytest.raises(ValueError, match="denominator"):
        ratio_uncertainty(1, 1, 0, 1)


@pytest.mark.parametrize(
    ("value", "verdict"),
    [
        (0.189, Verdict.PASS),
        (0.190, Verdict.PASS),
        (0.191, Verdict.CLOSE),
        (0.2, Verdict.CLOSE),
        (0.209, Verdict.CLOSE),
        (0.211, Verdict.FAIL),
    ],
)
def test_the_guard_band_is_one_expanded_uncertainty(value: float, verdict: Verdict) -> None:
    """JCGM 106: limit 0.200 V, U = 10 mV: accept up to 0.190 V, reject above 0.210 V."""
    assert verdict_below(value, 0.010, 0.200) is verdict
