"""A shunt that a current is read across."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.branches.contacts import ContactBranch


class ShuntBranch(ContactBranch):
    """A shunt that a current is read across."""

    place_in_list: ClassVar[int | None] = 80
    title: ClassVar[str] = "Shunt"
    blank_label: ClassVar[str] = "New shunt"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.1}
    symbol: ClassVar[Symbol] = Symbol.RESISTOR

    kind: Literal["shunt"] = "shunt"
