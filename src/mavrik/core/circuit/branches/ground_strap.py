"""A braided or flat ground strap."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.conductors import ConductorBranch


class GroundStrapBranch(ConductorBranch):
    """A braided or flat ground strap; judged by the same tables as a cable of its area."""

    place_in_list: ClassVar[int | None] = 20
    title: ClassVar[str] = "Ground strap"
    blank_label: ClassVar[str] = "New strap"
    blank_values: ClassVar[Mapping[str, Any]] = {"length_m": 0.5, "size": "25 mm2"}

    kind: Literal["ground_strap"] = "ground_strap"
