"""A disconnect switch or isolator; solved closed unless it is open."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.document import Label


class SwitchBranch(SwitchedBranch):
    """A disconnect switch or isolator; solved closed unless it is open."""

    place_in_list: ClassVar[int | None] = 60
    title: ClassVar[str] = "Switch"
    blank_label: ClassVar[str] = "New switch"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.3}

    kind: Literal["switch"] = "switch"
    selector: Label | None = Field(
        None, description="Battery selector whose contact it is, by what it is called; null: a switch of its own"
    )
