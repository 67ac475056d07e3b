"""How well a reading is known, and what verdict that allows."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

COVERAGE = 2.0
"""Expanded uncertainty is twice the standard one: about 95 % (JCGM 100)."""


class Verdict(StrEnum):
    """What can be said of a value against its limit."""

    PASS = "pass"
    FAIL = "fail"
    CLOSE = "too_close_to_call"


@dataclass(frozen=True)
class MeterSpec:
    """Accuracy as printed in a meter's manual: percent of reading plus counts of the last digit."""

    percent_of_reading: float
    digits: float
    resolution: float

    def limit_of_error(self, value: float) -> float:
        """Largest error the maker allows at this reading, in the reading's unit."""
        return abs(value) * self.percent_of_reading / 100 + self.digits * self.resolution


def expanded_uncertainty(value: float, spec: MeterSpec) -> float:
    """Expanded uncertainty of one reading, in its unit.

    value: the reading
    spec: the meter's accuracy
    Returns 2 u, with u the standard uncertainty of a rectangle as wide as the maker's limit of error.
    Source: JCGM 100, 4.3.7.

    >>> round(expanded_uncertainty(0.250, MeterSpec(0.5, 2, 0.001)), 5)
    0.00375
    """
    return COVERAGE * spec.limit_of_error(value) / math.sqrt(3)


def combine(*parts: float) -> float:
    """Uncertainty of a sum or difference of independent values.

    parts: uncertainties in one unit
    Source: JCGM 100, 5.1.2, root-sum-square.

    >>> combine(3.0, 4.0)
    5.0
    """
    return math.hypot(*parts)


def ratio_uncertainty(numerator: float, u_numerator: float, denominator: float, u_denominator: float) -> float:
    """Uncertainty of numerator / denominator.

    numerator, u_numerator: value and uncertainty in one unit
    denominator, u_denominator: the same in another; the denominator is not 0
    Raises ValueError for a denominator of 0.
    Source: JCGM 100, 5.1.2.

    >>> round(ratio_uncertainty(0.2, 0.002, 100, 1) * 1000, 4)
    0.0283
    """
    if denominator == 0:
        raise ValueError("A ratio needs a denominator other than 0")
    return combine(u_numerator / denominator, numerator * u_denominator / denominator**2)


def verdict_below(value: float, uncertainty: float, limit: float) -> Verdict:
    """Whether a value is surely below its limit, surely above, or too close to call.

    value, uncertainty, limit: in one unit; the uncertainty is expanded
    Source: JCGM 106, guarded acceptance and guarded rejection with a guard band of one expanded uncertainty.

    >>> verdict_below(0.19, 0.02, 0.2).value
    'too_close_to_call'
    """
    if value + uncertainty <= limit:
        return Verdict.PASS
    if value - uncertainty > limit:
        return Verdict.FAIL
    return Verdict.CLOSE
