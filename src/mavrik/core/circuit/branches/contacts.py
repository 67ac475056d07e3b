"""Anything two metals touch in, and contacts that open."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from mavrik.core.circuit.branches.base import BranchBase, Setting, Symbol
from mavrik.core.document import Ampere, Label

Milliohm = Annotated[float, Field(ge=1e-4, le=1000, description="Resistance in sound condition [mohm]")]


class ContactBranch(BranchBase):
    """Anything two metals touch in: its sound resistance and what it may carry continuously."""

    resistance_mohm: Milliohm = 0.2
    rating_a: Ampere | None = Field(None, description="Continuous rating [A], where known")
    intermittent_a: Ampere | None = Field(None, description="Rating for short duty, as cranking [A], where known")

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance when clean and tight [ohm]; contacts are taken as independent of temperature."""
        return self.resistance_mohm / 1000

    @property
    def in_words(self) -> str:
        """Rating where it is known, otherwise its kind."""
        return f"{self.rating_a:g} A" if self.rating_a else self.title.lower()


class SwitchedBranch(ContactBranch):
    """A contact that somebody or something opens and closes."""

    settable: ClassVar[bool] = True
    symbol: ClassVar[Symbol] = Symbol.SWITCH

    closed: bool = True
    worked_by: Annotated[tuple[Label, ...], Field(max_length=4)] = Field(
        (),
        description="Controls each of which opens it, by what they are called; empty: a switch is its own, anything else has none",
    )

    @property
    def conducts(self) -> bool:
        """Closed or not."""
        return self.closed

    def is_closed(self, setting: Setting) -> bool:
        """As the state says, otherwise as the document has it."""
        return self.closed if setting.closed is None else setting.closed
