"""Lists page by page: a page says where it ended, and the next one goes on from there, whatever was added meanwhile."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Select, String, cast, literal, tuple_
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from mavrik.core.document import Problem
from mavrik.jobs.errors import InvalidError


@dataclass(frozen=True)
class Sorting:
    """Columns that a list is ordered by, all the same way; together they tell every row from every other."""

    name: str
    by: tuple[ColumnElement[Any], ...]
    falling: bool = False

    def ordered(self, query: Select[Any]) -> Select[Any]:
        """The query in this order."""
        return query.order_by(*((c.desc() for c in self.by) if self.falling else self.by))


def _refused() -> InvalidError:
    return InvalidError("The list cannot go on from there.", [Problem("after", "after", "As the page before gave it")])


def _cursor(sorting: Sorting, values: Sequence[Any]) -> str:
    return base64.urlsafe_b64encode(json.dumps([sorting.name, *map(str, values)]).encode()).decode().rstrip("=")


def _place(sorting: Sorting, cursor: str) -> list[str]:
    try:
        read = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
    except (ValueError, binascii.Error):
        raise _refused() from None
    known = isinstance(read, list) and len(read) == 1 + len(sorting.by) and all(isinstance(v, str) for v in read)
    if not known or read[0] != sorting.name:
        raise _refused()
    return list(read[1:])


def page_of(session: Session, query: Select[*tuple[Any, ...]], sorting: Sorting, after: str, limit: int) -> tuple[list[Any], str]:
    """One page of what a query finds: its rows, and where the next page begins; empty for the last.

    query: without an order; after: where the page before ended, as it said
    Raises InvalidError for a place that no page ended at.
    """
    if after:
        at = [cast(literal(v, String), c.type) for v, c in zip(_place(sorting, after), sorting.by, strict=True)]
        here = tuple_(*sorting.by)
        query = query.where(here < tuple_(*at) if sorting.falling else here > tuple_(*at))
    query = sorting.ordered(query).limit(limit + 1)
    try:
        rows = session.execute(query.add_columns(*(cast(c, String) for c in sorting.by))).all()
    except DataError as error:
        if after:
            raise _refused() from error
        raise
    shown, width = rows[:limit], len(sorting.by)
    return [r[:-width] for r in shown], _cursor(sorting, shown[-1][-width:]) if len(rows) > limit else ""
