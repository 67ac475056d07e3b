"""How the evidence of sets by draws is weighed against that by straight lines."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.findings.sampling import FEW_DRAWS, NEVER, corrected

LAPLACE = np.array([0.0, -1.0, -2.0, -3.0])
MANY = np.full(4, 1e6)


def test_draws_that_many_carry_are_believed() -> None:
    drawn = LAPLACE + np.array([-2.0, -3.5, -2.1, -1.9])
    assert corrected(LAPLACE, drawn, MANY) == pytest.approx(drawn, abs=1e-4)


def test_one_that_few_carry_goes_towards_what_the_others_are_corrected_by() -> None:
    """Not back to straight lines: that would lift it by all of what the others are lowered by."""
    drawn = LAPLACE + np.array([-2.0, -2.0, -2.0, 3.0])
    evidence = corrected(LAPLACE, drawn, np.array([60.0, 60.0, 60.0, 1.0]))
    assert evidence[:3] == pytest.approx(drawn[:3], abs=1e-6)
    assert evidence[3] == pytest.approx(LAPLACE[3] - 2.0 + 5.0 / (1.0 + FEW_DRAWS), abs=0.05)


def test_a_set_of_which_no_draw_is_what_it_says_has_none_and_moves_no_other() -> None:
    """All of its draws are as unlikely, so that all of them count: as many as of any other."""
    drawn = LAPLACE + np.array([-2.0, -2.2, NEVER, -1.8])
    weights = np.array([40.0, 8.0, 320.0, 2.0])
    evidence = corrected(LAPLACE, drawn, weights)
    others = [0, 1, 3]
    assert evidence[2] == drawn[2]
    assert evidence[others] == pytest.approx(corrected(LAPLACE[others], drawn[others], weights[others]))
    assert evidence[others] == pytest.approx(drawn[others], abs=0.5)


def test_where_none_has_any_nothing_is_made_of_it() -> None:
    drawn = LAPLACE + NEVER
    assert corrected(LAPLACE, drawn, MANY) == pytest.approx(drawn)


def test_by_two_alone_what_is_common_lies_between_them() -> None:
    evidence = corrected(np.zeros(2), np.array([-1.0, -3.0]), np.array([FEW_DRAWS, FEW_DRAWS]))
    assert evidence == pytest.approx([-1.5, -2.5])
