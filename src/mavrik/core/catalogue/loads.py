"""Consumers that a vehicle usually has or is given: what they take, how long, and what they draw when switched on."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table


class UsualConsumer(BaseModel):
    """One consumer, as it usually is."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    current_a: float
    """At the nominal voltage of 12 V, while it draws."""
    law: Literal["current", "resistance", "power"]
    duty: float = 1.0
    """Share of the time it draws while it is switched on."""
    inrush_a: float | None = None
    cut_off_v: float = 0.0
    group: str


class ConsumerTable(Table):
    """The file ``loads.json``."""

    consumers: tuple[UsualConsumer, ...]


def consumer_table() -> ConsumerTable:
    """All consumers, from the data file that says what its figures are worth.

    >>> next(c.current_a for c in consumer_table().consumers if c.label == "Heated rear window")
    16.0
    """
    return load_table("loads", ConsumerTable)
