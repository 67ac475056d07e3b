"""A path through sheet metal."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.branches.contacts import ContactBranch


class BodyBranch(ContactBranch):
    """A path through sheet metal."""

    place_in_list: ClassVar[int | None] = 100
    title: ClassVar[str] = "Body metal"
    blank_label: ClassVar[str] = "Body metal"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.3}
    symbol: ClassVar[Symbol] = Symbol.LINE

    kind: Literal["body"] = "body"
