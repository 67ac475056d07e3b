"""A fuse of a known family."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import model_validator

from mavrik.core.catalogue.fuses import FuseFamily, cold_resistance_ohm
from mavrik.core.circuit.branches.base import BranchBase, Symbol
from mavrik.core.document import Ampere


class FuseBranch(BranchBase):
    """A fuse of a known family."""

    place_in_list: ClassVar[int | None] = 30
    title: ClassVar[str] = "Fuse"
    blank_label: ClassVar[str] = "New fuse"
    blank_values: ClassVar[Mapping[str, Any]] = {"family": FuseFamily.STRIP_51, "rating_a": 150}
    protects: ClassVar[bool] = True
    symbol: ClassVar[Symbol] = Symbol.FUSE

    kind: Literal["fuse"] = "fuse"
    family: FuseFamily
    rating_a: Ampere

    @model_validator(mode="after")
    def _made(self) -> FuseBranch:
        cold_resistance_ohm(self.family, self.rating_a)
        return self

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Cold resistance of a sound fuse [ohm]; its own temperature is not modelled."""
        return cold_resistance_ohm(self.family, self.rating_a)

    @property
    def in_words(self) -> str:
        """Its rating."""
        return f"{self.rating_a:g} A"

    @property
    def how_to_mend(self) -> str:
        """What to do about one that has too much resistance."""
        return "Measure stud to fuse blade at each end: clean and torque the end that reads, or replace the fuse."
