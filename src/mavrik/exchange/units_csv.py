"""Alternators that can be bought, as CSV: what a workshop writes out, corrects in a table program, and takes in again."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from pydantic import ValidationError

from mavrik.core.catalogue.units import MOST_UNITS, Unit, UnitList
from mavrik.exchange.readings_table import safe_cell

COLUMNS = tuple(n for n in Unit.model_fields)
NEEDED = ("name", "rated_a", "limit_rpm", "pulley_mm", "price")
WORDS = {"name", "kind", "regulator", "frame", "ears", "rotation", "plug"}


class UnitFileError(ValueError):
    """A line of a price list that is no unit."""


def units_to_csv(units: Iterable[Unit]) -> str:
    """Units as CSV, a line each; the points of a curve as `1500:40 3000:110`.

    >>> from mavrik.core.catalogue.units import usual_units
    >>> units_to_csv(usual_units().units[:1]).splitlines()[0].split(",")[:4]
    ['name', 'system_voltage_v', 'kind', 'rated_a']
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for u in units:
        row = {**u.model_dump(), "points": " ".join(f"{rpm:g}:{amps:g}" for rpm, amps in u.points)}
        writer.writerow(_cell(row[c]) for c in COLUMNS)
    return out.getvalue()


def _cell(value: Any) -> object:
    if value is None:
        return ""
    return f"{value:.10g}" if isinstance(value, float) else safe_cell(value)


def units_from_csv(text: str) -> UnitList:
    """Units of a CSV with a heading; columns in any order, those not known are refused, those left out are as usual.

    text: comma or semicolon between, a decimal comma where it is the semicolon
    Raises UnitFileError with the line that is wrong.

    >>> units_from_csv("name;rated_a;limit_rpm;pulley_mm;price\\nHollow 95;95;16000;58,5;140").units[0].pulley_mm
    58.5
    """
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip()]
    if not lines:
        raise UnitFileError("The file is empty.")
    mark = ";" if ";" in lines[0] else ","
    rows = list(csv.reader(lines, delimiter=mark))
    heading = [c.strip() for c in rows[0]]
    if unknown := next((c for c in heading if c not in COLUMNS), None):
        raise UnitFileError(f"Line 1: there is no column '{unknown}'. Columns: {', '.join(COLUMNS)}.")
    if missing := next((c for c in NEEDED if c not in heading), None):
        raise UnitFileError(f"Line 1: the column '{missing}' is missing.")
    if len(rows) - 1 > MOST_UNITS:
        raise UnitFileError(f"{len(rows) - 1} units: at most {MOST_UNITS} are taken.")
    units = [_unit_of(heading, cells, number, mark) for number, cells in enumerate(rows[1:], start=2)]
    try:
        return UnitList(units=tuple(units))
    except ValidationError as error:
        raise UnitFileError(_first(error)) from error


def _unit_of(heading: Sequence[str], cells: Sequence[str], number: int, mark: str) -> Unit:
    if len(cells) != len(heading):
        raise UnitFileError(f"Line {number}: {len(cells)} cells under {len(heading)} headings.")
    # A cell that a table program was kept from computing comes back with its apostrophe.
    given: dict[str, Any] = {h: c.strip().removeprefix("'") for h, c in zip(heading, cells, strict=True) if c.strip()}
    if mark == ";":
        given = {h: c if h in WORDS else c.replace(",", ".") for h, c in given.items()}
    try:
        if "points" in given:
            given["points"] = tuple(tuple(float(x) for x in pair.split(":")) for pair in given["points"].split())
        if "system_voltage_v" in given:
            given["system_voltage_v"] = int(float(given["system_voltage_v"]))
        return Unit.model_validate(given)
    except ValidationError as error:
        raise UnitFileError(f"Line {number}: {_first(error)}") from error
    except ValueError as error:
        raise UnitFileError(f"Line {number}: a point is a speed and an output, as 1500:40.") from error


def _first(error: ValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(x) for x in first["loc"] if isinstance(x, str))
    return f"{where}: {first['msg']}" if where else first["msg"]
