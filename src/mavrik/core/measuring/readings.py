"""Readings and runs: what a meter showed, kept so that it can be understood without the program that took it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mavrik.core.document import Document, Identifier, Moment
from mavrik.core.measuring.instruments import Instrument
from mavrik.core.operating.state import State


@dataclass(frozen=True)
class Measured:
    """A value with its expanded uncertainty (coverage 2), in the unit of its quantity."""

    value: float
    uncertainty: float


class Probe(Document):
    """A point that was touched."""

    node: Identifier
    label: Annotated[str, Field(max_length=60)]


class Reading(Document):
    """One value a meter showed.

    `point` and `value` are what has to be said; the rest is filled in when the reading is kept, from the procedure, the circuit
    and the instruments as they are that day, and says what the reading was of without them.
    """

    point: Annotated[str, Field(min_length=1, max_length=90, description="Which of the procedure's measuring points")]
    value: Annotated[float, Field(ge=-1e6, le=1e6, description="In the unit of the quantity; 1 for yes, 0 for no")]
    quantity: Annotated[str, Field(max_length=40, description="What it is: voltage, voltage_drop, current ...")] = ""
    unit: Annotated[str, Field(max_length=12, description="Of value and uncertainty")] = ""
    shown: float | None = Field(None, description="As the meter showed it, in shown_unit")
    shown_unit: Annotated[str, Field(max_length=12)] = ""
    uncertainty: Annotated[float, Field(ge=0)] | None = Field(None, description="Expanded, coverage 2")
    label: Annotated[str, Field(max_length=160, description="What was read, in words")] = ""
    red: Probe | None = Field(None, description="Where the red probe was")
    black: Probe | None = Field(None, description="Where the black probe was")
    element: Annotated[str, Field(max_length=40, description="Branch, battery or alternator it is of")] = ""
    state: Annotated[str, Field(max_length=40, description="Which of the run's states it was read in")] = ""
    instrument: Annotated[str, Field(max_length=40)] | None = Field(None, description="Id among the run's instruments")
    source: Literal["typed", "meter", "capture"] = Field("typed", description="Typed, or taken from a connected instrument")
    spread: Annotated[float, Field(ge=0)] | None = Field(
        None, description="Standard deviation of the samples a connected meter gave while it was stable"
    )
    at: Moment | None = Field(None, description="When it was read")

    @property
    def measured(self) -> Measured:
        """Its value and uncertainty. Raises ValueError for one that was not completed."""
        if self.uncertainty is None:
            raise ValueError(f"{self.point} has no uncertainty yet")
        return Measured(self.value, self.uncertainty)


class Run(Document):
    """A procedure as it was carried out, a permanent record: a correction or a repeat is a run of its own."""

    procedure: Annotated[str, Field(max_length=40)]
    readings: Annotated[tuple[Reading, ...], Field(max_length=700)] = ()
    instruments: Annotated[tuple[Instrument, ...], Field(max_length=10, description="As they were that day")] = ()
    states: Annotated[dict[str, State], Field(max_length=20, description="The operating states of the readings, by name")] = (
        Field(default_factory=dict)
    )
    engine_rpm: Annotated[float, Field(ge=0, le=12000)] | None = Field(
        None, description="Engine speed [1/min], where it was noted; judged by where all that the test asks for is at one speed"
    )
    engine_space_c: Annotated[float, Field(ge=-40, le=140)] | None = Field(None, description="Under the bonnet, where noted")
    ambient_c: Annotated[float, Field(ge=-40, le=60)] | None = Field(None, description="Round the vehicle, where noted")
    loads_on: Annotated[tuple[Identifier, ...], Field(max_length=100)] | None = Field(
        None, description="Ids of the loads that were on meanwhile; null: those that the circuit has on"
    )
    bank_on: Identifier | None = Field(
        None, description="Id of the battery that a load bank hung on; null: none, or nobody noted it"
    )
    skipped: Annotated[str, Field(max_length=200, description="Why it was skipped; empty where it was made")] = ""
    note: Annotated[str, Field(max_length=1000)] = ""
    measured_by: Annotated[str, Field(max_length=80)] = ""
    measured_at: Moment | None = None

    @model_validator(mode="after")
    def _each_once(self) -> Run:
        points = [r.point for r in self.readings]
        twice = sorted({p for p in points if points.count(p) > 1})
        if twice:
            raise ValueError(f"read twice in one run: {', '.join(twice)}; a repeat is a run of its own")
        return self

    def reading(self, point: str) -> Reading | None:
        """The reading of a point, or None where it was not read."""
        return next((r for r in self.readings if r.point == point), None)


def overdue_meters(run: Run) -> tuple[str, ...]:
    """Labels of the meters whose calibration was overdue on the day they read.

    run: as carried out; one without a date has none
    """
    if run.measured_at is None:
        return ()
    day = run.measured_at.date()
    used = {r.instrument for r in run.readings}
    return tuple(m.label for m in run.instruments if m.id in used and m.calibration_due is not None and m.calibration_due < day)
