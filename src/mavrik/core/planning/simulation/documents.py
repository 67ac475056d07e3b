"""What is asked of a simulation, and what it comes to."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.document import Document, Label

MOST_POINTS = 120

Series = Annotated[tuple[float, ...], Field(max_length=2 * MOST_POINTS)]


class SimulationRequest(Document):
    """How long, how often, and how the regulator goes about it."""

    days: Annotated[float, Field(ge=0.1, le=60, description="How long [d]")] = 7.0
    runs: Annotated[int, Field(ge=1, le=500, description="Vehicles that differ as vehicles do; 1: the nominal one alone")] = 40
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 1
    regulator: Literal["fixed", "timed", "hears"] = Field(
        "fixed",
        description="fixed: its set point always; timed: begins anew at every start; hears: asks what its batteries ask, the lowest wins",
    )
    bulk_h: Annotated[float, Field(ge=1e-3, le=24, description="How long a timed regulator charges after a start [h]")] = 1.5


class Curve(Document):
    """One quantity over time: the nominal vehicle, and between which eight of ten lie."""

    name: Literal["charge", "volts", "battery_a", "output_a", "charger_a", "alternator_c"]
    label: Label
    nominal: Series
    low: Series
    high: Series


class BatteryFate(Document):
    """What becomes of one battery."""

    label: Label
    start_charge: float
    end_charge: float
    end_low: float
    end_high: float
    least_charge: float
    full_after_h: Annotated[float | None, Field(description="First time it is full [h]; null: it is not")]
    overcharged_h: Annotated[float, Field(description="Held above float while full [h]")]


class ChargerFate(Document):
    """What one charger comes to, nominally, a DC-DC charger among them."""

    label: Label
    given_ah: float
    fed_h: Annotated[float, Field(description="It had something to give [h]")]
    floated_h: Annotated[float, Field(description="Of those, it held float [h]")]
    held_off_h: Annotated[float, Field(description="Of those, something else held a voltage above its own [h]")]
    held_off_by: Annotated[Label | None, Field(description="What did so longest")]
    began_anew: Annotated[int, Field(description="How often it went back from float to its first stage while it was fed")]


class SimulationView(Document):
    """What a simulation comes to."""

    headline: Annotated[str, Field(max_length=200)]
    days: float
    runs: int
    time_h: Series
    curves: Annotated[tuple[Curve, ...], Field(max_length=20)]
    batteries: Annotated[tuple[BatteryFate, ...], Field(max_length=12)]
    chargers: Annotated[tuple[ChargerFate, ...], Field(max_length=12)] = ()
    no_start_after_d: float | None = Field(
        description="Nominally, until the first battery no longer starts the engine [d]; null: not in this time"
    )
    no_start_share: float = Field(description="Of the vehicles, those that it happens to in this time")
    made_ah: float = Field(description="By the alternators, nominally [Ah]")
    used_ah: float = Field(description="By consumers, starts and what never sleeps [Ah]")
    stored_ah: float = Field(description="More in the batteries than at the beginning, by what went in and out [Ah]")
    collapsed: bool = Field(description="Whether the voltage collapsed at some time")
