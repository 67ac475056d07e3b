"""A voltage-sensitive link between two batteries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from mavrik.core import network as net
from mavrik.core.circuit.branches.base import Setting
from mavrik.core.circuit.branches.contacts import ContactBranch


class LinkBranch(ContactBranch):
    """A voltage-sensitive link: closes above its cut-in at `from_node`, opens below its cut-out."""

    place_in_list: ClassVar[int | None] = 130
    title: ClassVar[str] = "Voltage link"
    when: ClassVar[str] = "Closes above its cut-in, opens below its cut-out."
    blank_label: ClassVar[str] = "New voltage link"
    blank_values: ClassVar[Mapping[str, Any]] = {"resistance_mohm": 0.5, "rating_a": 140}
    by_voltage: ClassVar[bool] = True
    settable: ClassVar[bool] = True

    kind: Literal["voltage_link"] = "voltage_link"
    cut_in_v: Annotated[float, Field(ge=6, le=32, description="Closes above [V]")] = 13.3
    cut_out_v: Annotated[float, Field(ge=6, le=32, description="Opens below [V]")] = 12.7
    delay_s: Annotated[float, Field(ge=0, le=600, description="Time a threshold must be passed for [s]")] = 0.0
    override: Literal["none", "closed", "open"] = "none"

    @property
    def conducts(self) -> bool:
        """Not when it is held open; by voltage it may."""
        return self.override != "open"

    @property
    def how_to_mend(self) -> str:
        """Its studs may be dirty; burnt contacts cannot be mended."""
        return (
            "Clean its studs to bright metal, tighten them, and measure again: contacts that are burnt are replaced, not cleaned."
        )

    @model_validator(mode="after")
    def _hysteresis(self) -> LinkBranch:
        if self.cut_out_v >= self.cut_in_v:
            raise ValueError("cut_out_v lies below cut_in_v, or the link would chatter")
        return self

    def is_closed(self, setting: Setting) -> bool:
        """Whether it is held closed; by its delay, whether it was closed before the state began."""
        return self.override == "closed" or (self.override == "none" and bool(setting.closed))

    def network_element(self, setting: Setting) -> net.Element | None:
        """A link that acts on the voltage at its `from_node`, or a contact where it is held or has not waited its delay yet."""
        if self.override != "none" or self.delay_s > setting.lasts_s:
            return super().network_element(setting)
        return net.Link(
            self.id, self.from_node, self.to_node, self.resistance_ohm(20.0), self.from_node, setting.reference_node,
            self.cut_in_v, self.cut_out_v, bool(setting.closed),
        )  # fmt: skip
