"""Base of what a list is asked with."""

from __future__ import annotations

from functools import cache
from typing import Any

from mavrik.core.document import Document


@cache
def _schema(of: type[ListQuery]) -> dict[str, Any]:
    return super(ListQuery, of).model_json_schema()


class ListQuery(Document):
    """Filters, order and place of a list, as an address carries them."""

    @classmethod
    def model_json_schema(cls, *args: Any, **more: Any) -> dict[str, Any]:
        """The schema; the plain one is made once, because each request is read by it."""
        return super().model_json_schema(*args, **more) if args or more else _schema(cls)
