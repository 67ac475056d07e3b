"""One way of an isolator with transistors."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from mavrik.core.circuit.branches.diode import DiodeBranch


class MosfetBranch(DiodeBranch):
    """One way of an isolator with transistors: a diode that loses almost nothing."""

    place_in_list: ClassVar[int | None] = 120
    title: ClassVar[str] = "Isolator, transistor"
    when: ClassVar[str] = "A diode that loses almost nothing."
    blank_label: ClassVar[str] = "New isolator"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.4, "forward_v": 0.02}

    kind: Literal["mosfet"] = "mosfet"  # type: ignore[assignment]
    forward_v: Annotated[float, Field(ge=0, le=2, description="Forward voltage [V]")] = 0.02
