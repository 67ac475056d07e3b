"""Alternators that can be bought, as CSV."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import ValidationError

from mavrik.core.catalogue.units import MOST_UNITS, Unit, UnitList
from mavrik.exchange.list_csv import ListFileError, first_mistake, list_from_csv, list_to_csv

COLUMNS = tuple(n for n in Unit.model_fields)
NEEDED = ("name", "rated_a", "limit_rpm", "pulley_mm", "price")
WORDS = {"name", "kind", "regulator", "frame", "ears", "rotation", "plug"}


def units_to_csv(units: Iterable[Unit]) -> str:
    """Units as CSV, a line each; the points of a curve as `1500:40 3000:110`.

    >>> from mavrik.core.catalogue.units import usual_units
    >>> units_to_csv(usual_units().units[:1]).splitlines()[0].split(",")[:4]
    ['name', 'system_voltage_v', 'kind', 'rated_a']
    """
    return list_to_csv(
        COLUMNS, ({**u.model_dump(), "points": " ".join(f"{rpm:g}:{amps:g}" for rpm, amps in u.points)} for u in units)
    )


def units_from_csv(text: str) -> UnitList:
    """Units of a CSV with a heading, as `list_from_csv` reads it; columns left out are as usual.

    Raises ListFileError with the line that is wrong.

    >>> units_from_csv("name;rated_a;limit_rpm;pulley_mm;price\\nHollow 95;95;16000;58,5;140").units[0].pulley_mm
    58.5
    """
    rows = list_from_csv(text, COLUMNS, NEEDED, WORDS, MOST_UNITS, "units")
    units = [_unit_of(row, number) for number, row in enumerate(rows, start=2)]
    try:
        return UnitList(units=tuple(units))
    except ValidationError as error:
        raise ListFileError(first_mistake(error)) from error


def _unit_of(row: Mapping[str, str], number: int) -> Unit:
    given: dict[str, Any] = dict(row)
    try:
        if "points" in given:
            given["points"] = tuple(tuple(float(x) for x in pair.split(":")) for pair in given["points"].split())
        if "system_voltage_v" in given:
            given["system_voltage_v"] = int(float(given["system_voltage_v"]))
        return Unit.model_validate(given)
    except ValidationError as error:
        raise ListFileError(f"Line {number}: {first_mistake(error)}") from error
    except ValueError as error:
        raise ListFileError(f"Line {number}: a point is a speed and an output, as 1500:40.") from error
