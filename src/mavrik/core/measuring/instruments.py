"""The workshop's instruments: how well each reads, and how many digits a reading earns."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import AfterValidator, Field, WithJsonSchema

from mavrik.core.document import Day, Document, Identifier, Label
from mavrik.core.measuring.meters import METER_KINDS
from mavrik.core.measuring.quantities import Quantity
from mavrik.core.measuring.uncertainty import MeterSpec, expanded_uncertainty

UNKNOWN_SHARE = 0.01
"""Of itself: how well a value is known that was read with nobody knows what. Our choice, no source."""


def _known(name: str) -> str:
    if name not in METER_KINDS:
        raise ValueError(f"Kinds of instrument: {', '.join(METER_KINDS)}; not {name}")
    return name


MeterKindName = Annotated[
    str, AfterValidator(_known), WithJsonSchema({"type": "string", "enum": list(METER_KINDS), "title": "Kind of instrument"})
]


class Instrument(Document):
    """A meter with the accuracy its manual gives for the range used."""

    id: Identifier
    label: Label
    kind: MeterKindName
    percent_of_reading: Annotated[float, Field(ge=0, le=20, description="Accuracy [% of reading]")]
    digits: Annotated[float, Field(ge=0, le=200, description="Accuracy [counts of the last digit]")]
    resolution: Annotated[float, Field(ge=1e-9, le=100, description="Last digit, in V, A, degC or 1/min")]
    calibration_due: Day | None = None

    @property
    def spec(self) -> MeterSpec:
        """Its accuracy as a specification."""
        return MeterSpec(self.percent_of_reading, self.digits, self.resolution)


def accuracy_in_words(instrument: Instrument) -> str:
    """How well an instrument knows what it mostly reads, so that people can choose one.

    instrument: with the accuracy its manual gives

    >>> meter = Instrument(id="m", label="M", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001)
    >>> accuracy_in_words(meter)
    '100 mV ± 2.9 mV, 14 V ± 0.083 V'
    """
    return ", ".join(
        f"{value * factor:g} {unit} ± {expanded_uncertainty(value, instrument.spec) * factor:.2g} {unit}"
        for value, unit, factor in METER_KINDS[instrument.kind].typical
    )


def reading_uncertainty(quantity: Quantity, value: float, instrument: Instrument | None) -> float:
    """Expanded uncertainty of a reading, in the quantity's unit.

    quantity, value: what was read; instrument: what it was read with, where that is known
    Without an instrument 1 % of itself and a last digit; a yes or no for certain.
    Source: JCGM 100, 4.3.7; without an instrument our choice, no source.
    """
    if quantity.yes_or_no:
        return 0.0
    if instrument is not None:
        return expanded_uncertainty(value, instrument.spec)
    return UNKNOWN_SHARE * abs(value) + quantity.last_digit


def gain_uncertainty(value: float, instrument: Instrument | None) -> float:
    """The part of a reading's expanded uncertainty that goes with its value: all readings of one meter on one range share it.

    value: what was read, in its unit; instrument: what it was read with; without one nothing is known to be shared
    Source: JCGM 100, 4.3.7 and 5.2.2; percent of the reading is taken as common, counts of the last digit are not.

    >>> meter = Instrument(id="m", label="M", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001)
    >>> round(gain_uncertainty(14.2, meter), 3)
    0.082
    """
    if instrument is None:
        return 0.0
    return expanded_uncertainty(value, MeterSpec(instrument.percent_of_reading, 0.0, 1.0))


def earned_digits(quantity: Quantity, uncertainty: float) -> int:
    """How many digits behind the point of its shown value a reading earns: the last one says no more than its doubt.

    quantity: what was read; uncertainty: expanded, in its unit

    >>> from mavrik.core.measuring.quantities import QUANTITIES
    >>> earned_digits(QUANTITIES["voltage"], 0.083), earned_digits(QUANTITIES["voltage_drop"], 0.0029)
    (2, 0)
    """
    doubt = abs(quantity.shown(uncertainty))
    if doubt <= 0:
        return quantity.digits
    return min(max(math.ceil(-math.log10(doubt)), 0), 4)


def as_earned(quantity: Quantity, value: float, instrument: Instrument | None) -> float:
    """A reading rounded to the digits its meter earns, in the quantity's unit.

    quantity, value: what was read; instrument: what it was read with, where that is known

    >>> from mavrik.core.measuring.quantities import QUANTITIES
    >>> meter = Instrument(id="m", label="M", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001)
    >>> as_earned(QUANTITIES["voltage"], 14.38271, meter)
    14.38
    """
    digits = earned_digits(quantity, reading_uncertainty(quantity, value, instrument))
    return quantity.from_shown(round(quantity.shown(value), digits))
