"""Units as CSV: out and in again the same, and what is wrong said with its line."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.units import Unit, usual_units
from mavrik.exchange.list_csv import ListFileError
from mavrik.exchange.units_csv import units_from_csv, units_to_csv

HEAD = "name;rated_a;limit_rpm;pulley_mm;price"


def test_what_goes_out_comes_in_again() -> None:
    assert units_from_csv(units_to_csv(usual_units().units)) == usual_units()


def test_no_cell_is_a_formula() -> None:
    unit = Unit(name="=cmd()", rated_a=90, limit_rpm=16_000, pulley_mm=60, price=1)
    text = units_to_csv([unit])
    assert ",=" not in text and "\n=" not in text
    assert units_from_csv(text).units[0].name == "=cmd()"


def test_points_and_decimal_commas_are_read() -> None:
    text = f"\ufeff{HEAD};points\nYard 95;95;16000;58,5;140,5;1500:20,5 6000:95\n\n"
    unit = units_from_csv(text).units[0]
    assert (unit.pulley_mm, unit.price, unit.points) == (58.5, 140.5, ((1500.0, 20.5), (6000.0, 95.0)))


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "empty"),
        ("name;colour\nA;red", "no column 'colour'"),
        ("name;rated_a\nA;90", "'limit_rpm' is missing"),
        (f"{HEAD}\nA;90;16000;60", "Line 2: 4 cells under 5 headings"),
        (f"{HEAD}\nA;ninety;16000;60;1", "Line 2: rated_a"),
        (f"{HEAD}\nA;90;16000;60;-1", "Line 2: price"),
        (f"{HEAD};points\nA;90;16000;60;1;1500", "Line 2: points"),
        (f"{HEAD};points\nA;90;16000;60;1;x:1", "Line 2: a point"),
        (f"{HEAD}\nA;90;16000;60;1\nA;90;16000;60;1", "Two units are called 'A'"),
        (HEAD + "\nA;90;16000;60;1" * 61, "at most 60"),
    ],
)
def test_what_is_wrong_is_said_with_its_line(text: str, message: str) -> None:
    with pytest.raises(ListFileError, match=message.replace("(", r"\(")):
        units_from_csv(text)
