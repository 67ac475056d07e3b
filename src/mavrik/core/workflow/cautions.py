"""Cautions as data, each with the steps it belongs to."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table


class Caution(BaseModel):
    """One caution."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    id: str
    steps: tuple[str, ...]
    confirm: bool
    """Whether the danger is real enough to ask for a tap."""
    text: str


class CautionTable(Table):
    """The file ``cautions.json``."""

    cautions: tuple[Caution, ...]


def all_cautions() -> tuple[Caution, ...]:
    """Every caution, from the data file."""
    return load_table("cautions", CautionTable).cautions


def cautions_for(step: str) -> tuple[Caution, ...]:
    """The cautions of one step.

    step: job, circuit, measure, plan, drive, isolate, build, hand_over, hand_over_switch for a job with a disconnect; step_ and a phase of the bench's steps

    >>> [c.id for c in cautions_for("job")]
    ['scope']
    """
    return tuple(caution for caution in all_cautions() if step in caution.steps)
