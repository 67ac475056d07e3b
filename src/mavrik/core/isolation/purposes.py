"""What a disconnect is for, and what each purpose requires, forbids and advises: data, to be edited."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.isolation.documents import IsolationPurpose


class PurposeProfile(BaseModel):
    """What one purpose asks, by the names of rules."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    why: str
    requires: tuple[str, ...]
    forbids: tuple[str, ...]
    advises: tuple[str, ...]


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
