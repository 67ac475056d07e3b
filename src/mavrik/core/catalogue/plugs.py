"""Series of plugs: how many poles, what each contact carries and takes, and what their halves are told apart by."""

from __future__ import annotations

from functools import cache

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table


class PlugSeries(BaseModel):
    """A series of plugs."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    poles: int
    rating_a: float
    """Of one contact, for good."""
    least_mm2: float
    most_mm2: float
    """Conductors that its contacts are made for."""
    seal_mm: tuple[float, float] | None
    """Insulation that its seals close on; None: it has none."""
    gendered: bool
    """One half has pins, the other sockets; otherwise both are alike."""
    keys: tuple[str, ...]
    """Colours or keys that go together with nothing but themselves."""


class PlugTable(Table):
    """The file ``connectors.json``."""

    series: dict[str, PlugSeries]


@cache
def plug_table() -> PlugTable:
    """The series.

    >>> plug_table().series["power_2_50"].gendered
    False
    """
    return load_table("connectors", PlugTable)
