"""The stock as CSV: out and in again the same, and what is wrong said with its line."""

from __future__ import annotations

import pytest

from mavrik.core.fabrication.bill import Length, OnHand
from mavrik.core.fabrication.stock import usual_stock
from mavrik.exchange.list_csv import ListFileError
from mavrik.exchange.stock_csv import stock_from_csv, stock_to_csv

HEAD = "number;label;kind;size;stud;price"


def test_what_goes_out_comes_in_again_with_what_was_counted() -> None:
    there = OnHand(
        quantity={"LG-25-M8": 12, "SH-12": 2400},
        reels={"CB-25": (Length(piece="1", mm=25_000), Length(piece="7", mm=840.5))},
    )
    file = stock_from_csv(stock_to_csv(usual_stock(), there))
    assert file.document == usual_stock()
    assert {n: q for n, q in file.counted.quantity.items() if q} == there.quantity
    assert file.counted.reels == there.reels


def test_a_count_below_none_is_no_count() -> None:
    file = stock_from_csv(stock_to_csv(usual_stock(), OnHand(quantity={"LG-25-M8": -2})))
    assert "LG-25-M8" not in file.counted.quantity


def test_a_decimal_comma_is_one_and_a_price_keeps_its_digits() -> None:
    item = stock_from_csv(f"{HEAD};in_stock\nL1;Lug, tinned;lug;25 mm2;M8;1,60;4\n").document.items[0]
    assert (str(item.price), item.label) == ("1.60", "Lug, tinned")


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (f"{HEAD}\nL1;Lug;lug;25 mm2;M7;1", "Line 2: No stud 'M7'"),
        (f"{HEAD}\nL1;Lug;lug;25 mm2;M8;free", "Line 2: price"),
        (f"{HEAD}\nL1;Lug;lug;25 mm2;M8;1\nL1;Lug;lug;25 mm2;M8;1", "Two parts have the number 'L1'"),
        (f"{HEAD};in_stock\nC1;Cable;cable;25 mm2;;1;4", "Line 2: what there is of a cable stands under 'reels'"),
        (f"{HEAD};in_stock\nL1;Lug;lug;25 mm2;M8;1;some", "Line 2: in_stock: 'some' is no number"),
        (f"{HEAD};in_stock\nL1;Lug;lug;25 mm2;M8;1;-1", "Line 2: in_stock: from 0"),
        (f"{HEAD};reels\nL1;Lug;lug;25 mm2;M8;1;1:5", "Line 2: only a cable has reels"),
        (f"{HEAD};reels\nC1;Cable;cable;25 mm2;;1;25000", "Line 2: a reel is its mark"),
        (f"{HEAD};reels\nC1;Cable;cable;25 mm2;;1;1:nan", "Line 2: reels: from 0"),
    ],
)
def test_what_is_wrong_is_said_with_its_line(text: str, message: str) -> None:
    with pytest.raises(ListFileError, match=message):
        stock_from_csv(text)
