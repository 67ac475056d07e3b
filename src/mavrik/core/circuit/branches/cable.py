"""An insulated cable."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.conductors import ConductorBranch


class CableBranch(ConductorBranch):
    """An insulated cable."""

    place_in_list: ClassVar[int | None] = 10
    title: ClassVar[str] = "Cable"
    blank_label: ClassVar[str] = "New cable"
    blank_values: ClassVar[Mapping[str, Any]] = {"length_m": 0.5, "size": "25 mm2"}

    kind: Literal["cable"] = "cable"
