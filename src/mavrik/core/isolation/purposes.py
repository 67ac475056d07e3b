"""What a disconnect is for, and what each purpose requires, forbids and advises: data, edited by the workshop."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, TypeAlias

from pydantic import BaseModel, ConfigDict, Field, model_validator

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Document
from mavrik.core.isolation.documents import IsolationPurpose, PurposeProfile, RuleNames

Profiles: TypeAlias = Mapping[IsolationPurpose, PurposeProfile]


class PurposeList(Document):
    """What every purpose asks in a workshop."""

    purposes: Annotated[dict[IsolationPurpose, PurposeProfile], Field(max_length=len(IsolationPurpose))]

    @model_validator(mode="after")
    def _all(self) -> PurposeList:
        if missing := [p.value for p in IsolationPurpose if p not in self.purposes]:
            raise ValueError(f"'{missing[0]}' is missing")
        return self


class LoadDump(BaseModel):
    """What a system may see when a battery is cut from an alternator that charges it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    unclamped_v: tuple[float, float]
    unclamped_ms: tuple[float, float]
    clamped_v: float


class IsolationTable(Table):
    """The file ``isolation.json``."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    purposes: dict[IsolationPurpose, PurposeProfile]
    stays: dict[IsolationPurpose, RuleNames]
    """What nobody may take out of a purpose, or it would no longer be what its name says."""
    load_dump: dict[int, LoadDump]
    drain_a: float
    winch_continuous_a: float
    winch_solenoid_a: float


def isolation_table() -> IsolationTable:
    """Purposes and figures of isolation.

    >>> isolation_table().purposes[IsolationPurpose.EMERGENCY].label
    'Emergency stop in competition'
    """
    return load_table("isolation", IsolationTable)


def usual_purposes() -> PurposeList:
    """What a workshop begins with.

    >>> "engine_stops" in usual_purposes().purposes[IsolationPurpose.EMERGENCY].requires
    True
    """
    return PurposeList(purposes=isolation_table().purposes)
