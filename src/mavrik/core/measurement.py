"""What was measured: instruments, readings and the charging voltage-drop test."""

from __future__ import annotations

from datetime import date, datetime
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mavrik.core.circuit import Circuit, Document, Identifier, Label
from mavrik.core.topology import Problem
from mavrik.core.uncertainty import MeterSpec, expanded_uncertainty


class InstrumentKind(StrEnum):
    """What an instrument reads."""

    VOLTMETER = "voltmeter"
    CLAMP = "clamp"
    TACHOMETER = "tachometer"
    THERMOMETER = "thermometer"
    LOAD_BANK = "load_bank"
    OSCILLOSCOPE = "oscilloscope"


class Instrument(Document):
    """A meter with the accuracy its manual gives for the range used."""

    id: Identifier
    label: Label
    kind: InstrumentKind
    percent_of_reading: Annotated[float, Field(ge=0, le=20, description="Accuracy [% of reading]")]
    digits: Annotated[float, Field(ge=0, le=200, description="Accuracy [counts of the last digit]")]
    resolution: Annotated[float, Field(gt=0, le=100, description="Last digit, in V, A, degC or 1/min")]
    calibration_due: date | None = None

    @property
    def spec(self) -> MeterSpec:
        """Its accuracy as a specification."""
        return MeterSpec(self.percent_of_reading, self.digits, self.resolution)


TYPICAL_READINGS: dict[InstrumentKind, tuple[tuple[float, str, float], ...]] = {
    InstrumentKind.VOLTMETER: ((0.1, "mV", 1000), (14.0, "V", 1)),
    InstrumentKind.CLAMP: ((20.0, "A", 1), (100.0, "A", 1)),
    InstrumentKind.TACHOMETER: ((2000.0, "/min", 1),),
    InstrumentKind.THERMOMETER: ((90.0, "°C", 1),),
    InstrumentKind.LOAD_BANK: ((100.0, "A", 1),),
    InstrumentKind.OSCILLOSCOPE: ((0.3, "V p-p", 1),),
}
"""What each kind mostly reads in a charging test: value, unit it is shown in, units to one SI unit."""


def accuracy_in_words(instrument: Instrument) -> str:
    """How well an instrument knows what it mostly reads, so that people can choose one.

    instrument: with the accuracy its manual gives

    >>> meter = Instrument(id="m", label="M", kind=InstrumentKind.VOLTMETER, percent_of_reading=0.5, digits=2, resolution=0.001)
    >>> accuracy_in_words(meter)
    '100 mV ± 2.9 mV, 14 V ± 0.083 V'
    """
    return ", ".join(
        f"{value * factor:g} {unit} ± {expanded_uncertainty(value, instrument.spec) * factor:.2g} {unit}"
        for value, unit, factor in TYPICAL_READINGS[instrument.kind]
    )


class Quantity(StrEnum):
    """What a reading is."""

    STUD_VOLTAGE = "stud_voltage"
    BATTERY_VOLTAGE = "battery_voltage"
    FEED_DROP = "feed_drop"
    RETURN_DROP = "return_drop"
    BRANCH_DROP = "branch_drop"
    BRANCH_CURRENT = "branch_current"


OF_A_BRANCH = (Quantity.BRANCH_DROP, Quantity.BRANCH_CURRENT)
OF_VOLTAGE = (Quantity.STUD_VOLTAGE, Quantity.BATTERY_VOLTAGE)


def reading_key(quantity: Quantity, branch_id: str | None) -> str:
    """What a reading is of, in one word; one test holds each key once.

    >>> reading_key(Quantity.BRANCH_DROP, "charge_cable")
    'branch_drop:charge_cable'
    """
    return f"{quantity}:{branch_id}" if branch_id else str(quantity)


class Reading(Document):
    """One value a meter showed. Drops count positive along the charging current."""

    quantity: Quantity
    branch_id: Identifier | None = Field(None, description="The branch, for branch_drop and branch_current only")
    value: Annotated[float, Field(ge=-2000, le=2000, description="V, or A for branch_current")]
    red_node: Identifier | None = Field(None, description="Where the red probe was")
    black_node: Identifier | None = Field(None, description="Where the black probe was")

    @model_validator(mode="after")
    def _branch_where_needed(self) -> Reading:
        if (self.quantity in OF_A_BRANCH) != (self.branch_id is not None):
            raise ValueError("branch_id goes with branch_drop and branch_current, and only with them")
        return self

    @property
    def key(self) -> str:
        """What the reading is of; one test holds each key once."""
        return reading_key(self.quantity, self.branch_id)


class DropTest(Document):
    """A charging voltage-drop test: everything read while a known current flowed."""

    procedure: Literal["charging_drop"] = "charging_drop"
    output_current_a: Annotated[float, Field(gt=0, le=1000, description="Alternator output current [A]")]
    engine_speed_rpm: Annotated[float, Field(gt=0, le=12000, description="Engine speed [1/min]")]
    engine_space_c: Annotated[float, Field(ge=-40, le=140, description="Temperature under the bonnet [degC]")] = 40.0
    ambient_c: Annotated[float, Field(ge=-40, le=60, description="Temperature around the vehicle [degC]")] = 20.0
    voltmeter: Instrument
    clamp: Instrument
    readings: Annotated[tuple[Reading, ...], Field(max_length=700)] = ()
    measured_by: Annotated[str, Field(max_length=80)] = ""
    measured_at: datetime | None = None
    note: Annotated[str, Field(max_length=1000)] = ""

    @model_validator(mode="after")
    def _each_once(self) -> DropTest:
        keys = [reading.key for reading in self.readings]
        twice = {key for key in keys if keys.count(key) > 1}
        if twice:
            raise ValueError(f"read twice in one test: {', '.join(sorted(twice))}")
        return self

    def value(self, quantity: Quantity, branch_id: str | None = None) -> float | None:
        """The reading of a quantity, or None where it was not taken."""
        return self.by_key().get((quantity, branch_id))

    def by_key(self) -> dict[tuple[Quantity, str | None], float]:
        """All values by quantity and branch."""
        return {(r.quantity, r.branch_id): r.value for r in self.readings}


def check_readings(circuit: Circuit, test: DropTest) -> list[Problem]:
    """Readings that cannot be of this circuit, each with its key as the element.

    circuit: the circuit they were taken on
    test: the readings
    Returns a problem for a branch that is not there, a drop or voltage beyond what the system can show.
    Source: common practice.
    """
    problems = []
    known = {branch.id for branch in circuit.branches}
    highest = 1.5 * circuit.system_voltage_v
    for reading in test.readings:
        if reading.branch_id is not None and reading.branch_id not in known:
            problems.append(Problem(reading.key, "branch_id", f"There is no branch '{reading.branch_id}' in this circuit."))
        elif reading.quantity is Quantity.BRANCH_CURRENT:
            continue
        elif reading.quantity in OF_VOLTAGE and not 0 <= reading.value <= highest:
            problems.append(
                Problem(
                    reading.key,
                    "value",
                    f"{reading.value:g} V cannot be on a {circuit.system_voltage_v} V system. Allowed: 0 to {highest:g} V.",
                )
            )
        elif reading.quantity not in OF_VOLTAGE and abs(reading.value) > circuit.system_voltage_v:
            problems.append(
                Problem(
                    reading.key,
                    "value",
                    f"A drop of {reading.value:g} V is more than the {circuit.system_voltage_v} V system has. Was it read in millivolts?",
                )
            )
    return problems
