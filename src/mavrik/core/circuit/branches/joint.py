"""A bolted face: bracket to block, ear to bracket."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.branches.contacts import ContactBranch


class JointBranch(ContactBranch):
    """A bolted face: bracket to block, ear to bracket."""

    place_in_list: ClassVar[int | None] = 90
    title: ClassVar[str] = "Bolted joint"
    blank_label: ClassVar[str] = "New joint"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.2}
    symbol: ClassVar[Symbol] = Symbol.JOINT

    kind: Literal["joint"] = "joint"
