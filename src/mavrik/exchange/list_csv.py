"""A list of the workshop as CSV: what it writes out, corrects in a table program, and takes in again."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from mavrik.exchange.readings_table import safe_cell


class ListFileError(ValueError):
    """A line of a list that is none of its entries."""


def list_to_csv(columns: Sequence[str], rows: Iterable[Mapping[str, Any]]) -> str:
    """Rows as CSV under a heading; what is not known is empty, and no cell is a formula.

    columns: the heading; rows: a value for each

    >>> list_to_csv(("name", "rated_a"), [{"name": "=x", "rated_a": None}]).splitlines()
    ['name,rated_a', "'=x,"]
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(columns)
    for row in rows:
        writer.writerow(_cell(row[c]) for c in columns)
    return out.getvalue()


def _cell(value: Any) -> object:
    if value is None:
        return ""
    return f"{value:.10g}" if isinstance(value, float) else safe_cell(value)


def list_from_csv(
    text: str, columns: Sequence[str], needed: Sequence[str], words: Collection[str], most: int, what: str
) -> list[dict[str, str]]:
    """The cells of a CSV with a heading, those that are empty left out; columns in any order, those not known are refused.

    text: comma or semicolon between, a decimal comma where it is the semicolon
    columns, needed: that may be there, and have to; words: columns that are text, whose commas stay
    most: no more lines are taken; what: they are, in words
    Raises ListFileError with the line that is wrong. The first entry is of line 2.

    >>> list_from_csv("name;rated_a\\nHollow, old;58,5", ("name", "rated_a"), ("name",), {"name"}, 10, "units")
    [{'name': 'Hollow, old', 'rated_a': '58.5'}]
    """
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip()]
    if not lines:
        raise ListFileError("The file is empty.")
    mark = ";" if ";" in lines[0] else ","
    rows = list(csv.reader(lines, delimiter=mark))
    heading = [c.strip() for c in rows[0]]
    if unknown := next((c for c in heading if c not in columns), None):
        raise ListFileError(f"Line 1: there is no column '{unknown}'. Columns: {', '.join(columns)}.")
    if missing := next((c for c in needed if c not in heading), None):
        raise ListFileError(f"Line 1: the column '{missing}' is missing.")
    if len(rows) - 1 > most:
        raise ListFileError(f"{len(rows) - 1} {what}: at most {most} are taken.")
    rows_read = []
    for number, cells in enumerate(rows[1:], start=2):
        if len(cells) != len(heading):
            raise ListFileError(f"Line {number}: {len(cells)} cells under {len(heading)} headings.")
        # A cell that a table program was kept from computing comes back with its apostrophe.
        given = {h: c.strip().removeprefix("'") for h, c in zip(heading, cells, strict=True) if c.strip()}
        rows_read.append({h: c.replace(",", ".") if mark == ";" and h not in words else c for h, c in given.items()})
    return rows_read


def first_mistake(error: ValidationError) -> str:
    """The first thing that is wrong with an entry, at its column."""
    first = error.errors()[0]
    where = ".".join(str(x) for x in first["loc"] if isinstance(x, str))
    message = first["msg"].removeprefix("Value error, ")
    return f"{where}: {message}" if where else message
