"""What a hand moves to open a circuit's switches: where it is reached, and what is on it."""

from __future__ import annotations

from enum import StrEnum

from pydantic import Field

from mavrik.core.document import Document, Label


class ControlPlace(StrEnum):
    """Where a control is reached."""

    DRIVER = "driver"
    """By the driver, seated and belted."""
    OUTSIDE = "outside"
    """From outside, near the windscreen pillar."""
    BONNET = "bonnet"
    BATTERY = "battery"
    HIDDEN = "hidden"


PLACE_WORDS = {
    ControlPlace.DRIVER: "by the seated driver", ControlPlace.OUTSIDE: "from outside, near the pillar",
    ControlPlace.BONNET: "under the bonnet", ControlPlace.BATTERY: "at the battery", ControlPlace.HIDDEN: "hidden",
}  # fmt: skip


class ControlFacts(Document):
    """What somebody has looked at on a control; null: nobody has said."""

    place: ControlPlace | None = Field(None, description="Where it is reached; null: nobody has said")
    marked: bool | None = Field(None, description="With the sign that the rulebook asks for; null: nobody has said")
    lockable: bool | None = Field(None, description="Can be locked open; null: nobody has said")
    removable: bool | None = Field(None, description="Its key or knob comes off; null: nobody has said")


class FittedControl(ControlFacts):
    """A control of the vehicle, by what it is called."""

    label: Label = Field(description="As switches name what works them; a switch that names nothing is its own control")
    makes_first: bool | None = Field(
        None, description="Of a selector: it makes the next contact before it breaks the last; null: nobody has said"
    )
