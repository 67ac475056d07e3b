"""What every branch has: two ends, a resistance, and how it stands in a network."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, Any, ClassVar

from pydantic import Field

from mavrik.core import network as net
from mavrik.core.document import Document, Identifier, Label


@dataclass(frozen=True)
class Setting:
    """What a state says of a branch."""

    closed: bool | None
    """Of a contact; None: as the document has it."""
    lasts_s: float
    """How long the state has lasted [s]: what waits for a threshold has waited so long."""
    reference_node: str
    """What voltages that a branch acts on are taken against."""


class Symbol(StrEnum):
    """Symbols of a schematic, by IEC 60617."""

    PART = "part"
    """A box with a name."""
    LINE = "line"
    JOINT = "joint"
    FUSE = "fuse"
    BREAKER = "breaker"
    SWITCH = "switch"
    DIODE = "diode"
    PLUG = "plug"
    RESISTOR = "resistor"


class BranchBase(Document, ABC):
    """What every branch has. Current in a sound charging circuit runs from `from_node` to `to_node`."""

    place_in_list: ClassVar[int | None] = None
    """Where the kind stands among the others; None for a base that is no kind itself."""
    title: ClassVar[str]
    """The kind in words."""
    when: ClassVar[str] = ""
    """What it does, where that needs saying."""
    blank_label: ClassVar[str]
    blank_values: ClassVar[Mapping[str, Any]] = {}
    """What a new one starts with."""
    by_voltage: ClassVar[bool] = False
    """Whether it conducts depends on the voltages at it: no plain metal."""
    settable: ClassVar[bool] = False
    """A state may say whether it is closed."""
    protects: ClassVar[bool] = False
    """It opens when it carries too much."""
    symbol: ClassVar[Symbol] = Symbol.PART
    """How a schematic draws it."""

    kind: str
    id: Identifier
    label: Label
    from_node: Identifier
    to_node: Identifier
    measured_mohm: Annotated[float, Field(ge=1e-4, le=100_000)] | None = Field(
        None, description="Resistance as measured, at 20 degC [mohm]; null: taken as sound"
    )
    note: Annotated[str, Field(max_length=500)] = ""

    @abstractmethod
    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance as new, clean and tight [ohm]."""

    def resistance_ohm(self, temperature_c: float) -> float:
        """Resistance as measured where it was, otherwise as sound, at a temperature [ohm].

        temperature_c: of the branch [degC]
        What it has over a sound one lies in its contacts, which do not follow temperature as the metal does.
        """
        sound = self.sound_resistance_ohm(temperature_c)
        if self.measured_mohm is None:
            return sound
        measured, sound_20c = self.measured_mohm / 1000, self.sound_resistance_ohm(20.0)
        return measured + sound - sound_20c if measured >= sound_20c else measured * sound / sound_20c

    @property
    def conducts(self) -> bool:
        """Whether current can pass, one way at least: all but an open contact."""
        return True

    @property
    def threshold_v(self) -> float:
        """What it loses before any current: a diode's forward voltage, nothing in metal [V]."""
        return 0.0

    def is_closed(self, setting: Setting) -> bool:
        """Whether it is closed at a state; metal always is."""
        return True

    def network_element(self, setting: Setting) -> net.Element | None:
        """The branch as an element of a network, at 20 degC; None while it is open."""
        if not self.is_closed(setting):
            return None
        return net.Resistor(self.id, self.from_node, self.to_node, self.resistance_ohm(20.0))

    @property
    def in_words(self) -> str:
        """Size or rating as one would say it."""
        return self.title.lower()

    @property
    def looks_bad(self) -> bool:
        """Whether the eye has found an end of it corroded, loose or burnt."""
        return False

    @property
    def how_to_mend(self) -> str:
        """What to do about one that has too much resistance."""
        return "Take the contact apart, clean it to bright metal, tighten it to its figure, and measure again."

    @classmethod
    def blank(cls) -> BranchBase:
        """One with starting values, to be put between two nodes and corrected at the vehicle."""
        name = f"new_{cls.model_fields['kind'].default}"
        return cls(id=name, label=cls.blank_label, from_node="from", to_node="to", **cls.blank_values)
