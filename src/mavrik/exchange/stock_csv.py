"""The workshop's stock and prices as CSV: a line a part, with what is there of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import Field, ValidationError

from mavrik.core.document import Document
from mavrik.core.fabrication.bill import Length, OnHand
from mavrik.core.fabrication.stock import MOST_COUNTED, MOST_ITEMS, PartKind, StockItem, StockList
from mavrik.exchange.list_csv import ListFileError, first_mistake, list_from_csv, list_to_csv

FIRST = ("number", "label", "kind")
COLUMNS = (*FIRST, *(n for n in StockItem.model_fields if n not in FIRST), "in_stock", "reels")
NEEDED = ("number", "label", "kind", "price")
WORDS = {"number", "label", "kind", "size", "stud", "sleeve", "family", "contact", "series", "half", "key", "chemistry", "reels"}


class StockFile(Document):
    """What a file says."""

    document: StockList
    counted: OnHand = Field(description="Of the parts whose count stands in it")


def stock_to_csv(stock: StockList, on_hand: OnHand) -> str:
    """Parts as CSV; `in_stock` in pieces or metres, reels of a cable in millimetres with their marks, as `1:25000 2:840`.

    >>> from mavrik.core.fabrication.stock import usual_stock
    >>> stock_to_csv(usual_stock(), OnHand()).splitlines()[0].split(",")[:4]
    ['number', 'label', 'kind', 'size']
    """

    def row(item: StockItem) -> dict[str, Any]:
        reels = on_hand.reels.get(item.number, ())
        there = on_hand.quantity.get(item.number, 0.0) / (1000 if item.by_length else 1)
        return {
            **item.model_dump(mode="json"),
            # A count below none is a receipt that nobody entered, and no count.
            "in_stock": None if item.kind is PartKind.CABLE or there < 0 else there,
            "reels": " ".join(f"{r.piece}:{r.mm:g}" for r in reels) if item.kind is PartKind.CABLE else None,
        }

    return list_to_csv(COLUMNS, map(row, stock.items))


def stock_from_csv(text: str) -> StockFile:
    """Parts of a CSV with a heading, as `list_from_csv` reads it; a part whose count is empty was not counted.

    Raises ListFileError with the line that is wrong.

    >>> file = stock_from_csv("number;label;kind;size;price;reels\\nC35;Cable;cable;35 mm2;7,90;1:25000 2:840,5")
    >>> str(file.document.items[0].price), file.counted.reels["C35"][1].mm
    ('7.90', 840.5)
    """
    rows = list_from_csv(text, COLUMNS, NEEDED, WORDS, MOST_ITEMS, "parts")
    items: list[StockItem] = []
    quantity: dict[str, float] = {}
    reels: dict[str, tuple[Length, ...]] = {}
    for number, row in enumerate(rows, start=2):
        given = {k: v for k, v in row.items() if k not in ("in_stock", "reels")}
        try:
            item = StockItem.model_validate(given)
        except ValidationError as error:
            raise ListFileError(f"Line {number}: {first_mistake(error)}") from error
        items.append(item)
        if "in_stock" in row:
            if item.kind is PartKind.CABLE:
                raise ListFileError(f"Line {number}: what there is of a cable stands under 'reels', as 1:25000 2:840.")
            quantity[item.number] = _number(row["in_stock"], number, "in_stock") * (1000 if item.by_length else 1)
        if "reels" in row:
            if item.kind is not PartKind.CABLE:
                raise ListFileError(f"Line {number}: only a cable has reels.")
            reels[item.number] = _reels(row, number)
    try:
        return StockFile(document=StockList(items=tuple(items)), counted=OnHand(quantity=quantity, reels=reels))
    except ValidationError as error:
        raise ListFileError(first_mistake(error)) from error


def _number(text: str, line: int, column: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ListFileError(f"Line {line}: {column}: '{text}' is no number.") from None
    if not 0 <= value <= MOST_COUNTED:
        raise ListFileError(f"Line {line}: {column}: from 0 to {MOST_COUNTED:g}.")
    return value


def _reels(row: Mapping[str, str], line: int) -> tuple[Length, ...]:
    reels = []
    for pair in row["reels"].split():
        mark, _, mm = pair.partition(":")
        length = _number(mm.replace(",", "."), line, "reels") if mm else 0.0
        if not mark or not length > 0:
            raise ListFileError(f"Line {line}: a reel is its mark and its length in mm, as 1:25000.")
        reels.append(Length(piece=mark, mm=length))
    return tuple(reels)
