"""A plug or terminal block."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.branches.contacts import ContactBranch


class ConnectorBranch(ContactBranch):
    """A plug or terminal block."""

    place_in_list: ClassVar[int | None] = 50
    title: ClassVar[str] = "Connector"
    blank_label: ClassVar[str] = "New connector"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.2}
    symbol: ClassVar[Symbol] = Symbol.PLUG

    kind: Literal["connector"] = "connector"
