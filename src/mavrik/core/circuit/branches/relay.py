"""The contact of a relay or solenoid."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.contacts import SwitchedBranch


class RelayBranch(SwitchedBranch):
    """The contact of a relay or solenoid."""

    place_in_list: ClassVar[int | None] = 70
    title: ClassVar[str] = "Relay contact"
    blank_label: ClassVar[str] = "New relay"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.3, "rating_a": 200}

    kind: Literal["relay"] = "relay"
