"""Whether a reading rests, flickers or hangs."""

from __future__ import annotations

import pytest

from mavrik.core.measuring.stability import HELD_S, Follower

STEP_S = 0.12


def follow(values: list[float | None], last_digit: float = 0.01) -> list[tuple[bool, bool]]:
    """At rest and held, after each value."""
    follower, stable = Follower(last_digit), []
    for k, value in enumerate(values):
        follower.add(value, k * STEP_S)
        stable.append((follower.stable, follower.held))
    return stable


LONG = int(HELD_S / STEP_S) + 2


def test_a_live_value_rests_and_its_flicker_says_that_it_lives() -> None:
    stable = follow([12.62 + 0.01 * (k % 2) for k in range(2 * LONG)])
    assert stable[-1] == (True, False) and not stable[3][0] and not any(held for _, held in stable)


def test_the_same_to_the_last_digit_for_long_is_asked_about() -> None:
    stable = follow([12.62] * (LONG + 5))
    assert stable[10] == (True, False) and stable[-1] == (True, True)
    assert [held for _, held in stable].index(True) == pytest.approx(HELD_S / STEP_S, abs=1)


def test_one_digit_that_moves_begins_it_anew() -> None:
    assert not follow([12.62] * (LONG - 3) + [12.63] + [12.62] * 10)[-1][1]


def test_nothing_to_measure_and_over_range_are_no_hold() -> None:
    assert not follow([0.0] * (2 * LONG))[-1][1]
    over = follow([12.62] * LONG + [None] * 3 + [12.62] * 3)
    assert over[LONG] == (False, False) and over[-1] == (False, False)
    assert follow([]) == []
