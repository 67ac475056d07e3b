"""A diode, or one way of a diode isolator."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from mavrik.core import network as net
from mavrik.core.circuit.branches.base import Setting, Symbol
from mavrik.core.circuit.branches.contacts import ContactBranch


class DiodeBranch(ContactBranch):
    """A diode, or one way of a diode isolator; conducts from `from_node` to `to_node` only."""

    place_in_list: ClassVar[int | None] = 110
    title: ClassVar[str] = "Diode"
    when: ClassVar[str] = "Conducts one way, at its forward voltage."
    blank_label: ClassVar[str] = "New diode"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 1.0, "forward_v": 0.7}
    by_voltage: ClassVar[bool] = True
    symbol: ClassVar[Symbol] = Symbol.DIODE

    kind: Literal["diode"] = "diode"
    forward_v: Annotated[float, Field(ge=0, le=2, description="Forward voltage [V]")] = 0.7

    @property
    def how_to_mend(self) -> str:
        """Its studs may be dirty; what is inside cannot be mended."""
        return "Clean its studs to bright metal, tighten them, and measure again: what it still loses it loses inside, and it is replaced."

    @property
    def threshold_v(self) -> float:
        """Its forward voltage [V]."""
        return self.forward_v

    def network_element(self, setting: Setting) -> net.Element | None:
        """A diode with its resistance at 20 degC."""
        return net.Diode(self.id, self.from_node, self.to_node, self.forward_v, self.resistance_ohm(20.0))
