"""A circuit breaker."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.branches.contacts import SwitchedBranch


class BreakerBranch(SwitchedBranch):
    """A circuit breaker."""

    place_in_list: ClassVar[int | None] = 40
    title: ClassVar[str] = "Breaker"
    blank_label: ClassVar[str] = "New breaker"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.5, "rating_a": 100}
    protects: ClassVar[bool] = True
    symbol: ClassVar[Symbol] = Symbol.BREAKER

    kind: Literal["breaker"] = "breaker"
    reset: Literal["manual", "self"] = "manual"
