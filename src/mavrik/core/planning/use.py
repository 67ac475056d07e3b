"""How a vehicle is used: what it feeds, in which scenes, how long at which engine speed, how often it starts."""

from __future__ import annotations

import csv
import math
from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.circuit import Circuit, LoadKind
from mavrik.core.document import Ampere, Document, Identifier, Label
from mavrik.core.operating.bench_states import IDLE_RPM

DAY_H = 24.0
SUM_WITHIN = 0.02
"""A counter and the hours by speed agree within so much: both are rounded. Our choice, no source."""

MOST_SPEEDS = 30
ON_THE_ROAD = "On the road"


class UseProblemError(ValueError):
    """Something in a use that contradicts itself, and in which field."""

    def __init__(self, field: str, message: str) -> None:
        """field: of the request; message: in plain words."""
        super().__init__(message)
        self.field = field


class Consumer(Document):
    """One consumer: of the circuit, of the catalogue, measured, or as somebody says."""

    label: Label
    current_a: Ampere = Field(description="While it draws, at the system's nominal voltage [A]")
    law: LoadKind = LoadKind.CURRENT
    duty: Annotated[float, Field(ge=1e-6, le=1, description="Share of the time it draws while it is switched on")] = 1.0
    cut_off_v: Annotated[float, Field(ge=0, le=32, description="Switches itself off below [V]; power only")] = 0.0
    origin: Literal["circuit", "catalogue", "measured", "entered"] = "entered"
    load_id: Identifier | None = Field(None, description="The circuit's load that it stands for; left out, it comes on top")
    battery_id: Identifier | None = Field(None, description="Whose battery feeds one on top; left out, the first")


class Scene(Document):
    """A part of the day: engine speed, what is on, how long."""

    label: Label
    engine_rpm: Annotated[float, Field(ge=0, le=8000, description="Engine speed [1/min]; 0: stopped")]
    hours_a_day: Annotated[float, Field(ge=0, le=24, description="Hours a day [h]")] = 0.0
    on: Annotated[tuple[Label, ...], Field(max_length=60, description="Labels of the consumers that are on")] = ()
    plugged_in: Annotated[bool, Field(description="Whether chargers that the mains feed are plugged in")] = False


class SpeedHours(Document):
    """Hours round one engine speed."""

    engine_rpm: Annotated[float, Field(ge=0, le=8000, description="Engine speed, the middle of the bin [1/min]")]
    hours: Annotated[float, Field(ge=0, le=200_000, description="Hours there [h]")]


class OutputRead(Document):
    """Output that a clamp read with everything on and the unit warm, and at which engine speed."""

    current_a: Annotated[float, Field(ge=1e-3, le=2000, description="Output [A]")]
    engine_rpm: Annotated[float, Field(ge=100, le=8000, description="Engine speed [1/min]")]


class UseRequest(Document):
    """All that is said of a use."""

    consumers: Annotated[tuple[Consumer, ...], Field(max_length=60)] = ()
    scenes: Annotated[tuple[Scene, ...], Field(max_length=12)] = ()
    speeds: Annotated[tuple[SpeedHours, ...], Field(max_length=MOST_SPEEDS, description="As an engine computer counts")] = ()
    engine_hours: Annotated[float, Field(ge=1e-3, le=200_000)] | None = Field(
        None, description="What the hour counter says for the same time [h]"
    )
    driving: Label | None = Field(
        None, description="Scene whose consumers are on at those speeds; left out, the busiest on the road"
    )
    starts_a_day: Annotated[int, Field(ge=0, le=1000)] = 4
    crank_s: Annotated[float, Field(ge=1e-3, le=30, description="How long one start cranks [s]")] = 1.5
    crank_a: Ampere | None = Field(None, description="What the starter takes [A]; left out, as the circuit's does")
    asleep_a: Annotated[float, Field(ge=0, le=50, description="What flows with the key off and the modules asleep [A]")] = 0.03
    state_of_charge: Annotated[float, Field(ge=0.05, le=1, description="How charged the batteries live")] = 0.8
    coldest_c: Annotated[float, Field(ge=-40, le=60, description="Of the batteries in the cold [degC]")] = -5.0
    warmest_c: Annotated[float, Field(ge=-40, le=60, description="Of the batteries in the heat [degC]")] = 30.0
    sun_h: Annotated[float, Field(ge=0, le=12, description="Hours of full sun that a day is worth to a panel [h]")] = 3.0
    read: OutputRead | None = None


def usual_scenes(everything: tuple[str, ...]) -> tuple[Scene, ...]:
    """Scenes to begin with, to be corrected: hours of a short-trip day, idling with everything on. Our choice, no source.

    everything: labels of what is on while the engine turns

    >>> [s.label for s in usual_scenes(())]
    ['Idle at night in rain', 'In town', 'On the road', 'Parked']
    """
    return (
        Scene(label="Idle at night in rain", engine_rpm=IDLE_RPM, hours_a_day=0.3, on=everything),
        Scene(label="In town", engine_rpm=1500, hours_a_day=0.7, on=everything),
        Scene(label=ON_THE_ROAD, engine_rpm=2500, hours_a_day=0.5, on=everything),
        Scene(label="Parked", engine_rpm=0, hours_a_day=22.5),
    )


def usual_use(circuit: Circuit, added: Sequence[tuple[str, float]] = ()) -> UseRequest:
    """What a use begins with: the consumers of the circuit and those to be added, in the usual scenes.

    circuit: as found; added: label and current [A] of what is to come

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [c.label for c in usual_use(build_layout("motorcycle", 12), [("Heated grips", 4.0)]).consumers]
    ['Headlamp', 'Heated grips']
    """
    consumers: list[Consumer] = []
    on: list[str] = []

    def add(consumer: Consumer, usually_on: bool = True) -> None:
        labels = {c.label for c in consumers}
        label = next(n for n in (consumer.label, *(f"{consumer.label[:55]} {k}" for k in range(2, 200))) if n not in labels)
        consumers.append(consumer.model_copy(update={"label": label}))
        if usually_on:
            on.append(label)

    for x in circuit.loads:
        if not x.cranking and len(consumers) < 50:
            add(
                Consumer(label=x.label, current_a=x.current_a, law=x.law, cut_off_v=x.cut_off_v, origin="circuit", load_id=x.id),
                x.on,
            )
    for label, amps in added[:10]:
        add(Consumer(label=label, current_a=amps, origin="entered"))
    return UseRequest(consumers=tuple(consumers), scenes=usual_scenes(tuple(on)))


def use_without(use: UseRequest, labels: Collection[str]) -> UseRequest:
    """A use with some of its consumers off in every scene.

    use: what the vehicle is used for; labels: of those that are done without

    >>> use_without(UseRequest(scenes=usual_scenes(("Radio", "Fan"))), ["Radio"]).scenes[0].on
    ('Fan',)
    """
    scenes = (s.model_copy(update={"on": tuple(n for n in s.on if n not in labels)}) for s in use.scenes)
    return use.model_copy(update={"scenes": tuple(scenes)})


FASTER_RPM = 150.0
"""What an idle is raised by where that is allowed at all. Common practice, no source."""


def idling(use: UseRequest) -> Scene | None:
    """The scene of the slowest engine that turns; None where none does."""
    return min((s for s in use.scenes if s.engine_rpm > 0), key=lambda s: s.engine_rpm, default=None)


def idling_faster(use: UseRequest) -> UseRequest:
    """A use whose slowest engine speed is `FASTER_RPM` higher, in every scene that has it.

    >>> idling_faster(UseRequest(scenes=usual_scenes(()))).scenes[0].engine_rpm
    950.0
    """
    slowest = idling(use)
    if slowest is None:
        return use
    faster = {"engine_rpm": slowest.engine_rpm + FASTER_RPM}
    scenes = (s.model_copy(update=faster) if s.engine_rpm == slowest.engine_rpm else s for s in use.scenes)
    return use.model_copy(update={"scenes": tuple(scenes)})


def check_use(circuit: Circuit, use: UseRequest) -> None:
    """Raises UseProblemError for what contradicts itself: names twice or unknown, hours over a day, speeds that do not sum."""
    labels = [c.label for c in use.consumers]
    if twice := next((n for n in labels if labels.count(n) > 1), None):
        raise UseProblemError("consumers", f"Two consumers are called '{twice}': tell them apart by name.")
    scenes = [s.label for s in use.scenes]
    if twice := next((n for n in scenes if scenes.count(n) > 1), None):
        raise UseProblemError("scenes", f"Two scenes are called '{twice}': tell them apart by name.")
    loads = {x.id for x in circuit.loads if not x.cranking}
    batteries = {b.id for b in circuit.batteries}
    for c in use.consumers:
        if c.load_id is not None and c.load_id not in loads:
            raise UseProblemError("consumers", f"{c.label}: the circuit has no load '{c.load_id}'.")
        if c.battery_id is not None and c.battery_id not in batteries:
            raise UseProblemError("consumers", f"{c.label}: the circuit has no battery '{c.battery_id}'.")
    for s in use.scenes:
        if unknown := next((n for n in s.on if n not in labels), None):
            raise UseProblemError("scenes", f"{s.label}: there is no consumer '{unknown}'.")
    if use.driving is not None and use.driving not in scenes:
        raise UseProblemError("driving", f"There is no scene '{use.driving}'.")
    hours = sum(s.hours_a_day for s in use.scenes)
    if hours > DAY_H * (1 + 1e-9):
        raise UseProblemError("scenes", f"The scenes fill {hours:g} hours: a day has 24.")
    if use.warmest_c < use.coldest_c:
        raise UseProblemError("warmest_c", "The warmest is not colder than the coldest.")
    rpm = [s.engine_rpm for s in use.speeds]
    if any(b <= a for a, b in pairwise(rpm)):
        raise UseProblemError("speeds", "Engine speeds rise from row to row, each but once.")
    total = sum(s.hours for s in use.speeds)
    if use.speeds and total <= 0:
        raise UseProblemError("speeds", "No hours at any speed.")
    if use.speeds and use.engine_hours is not None and abs(total - use.engine_hours) > SUM_WITHIN * use.engine_hours + 0.5:
        raise UseProblemError("engine_hours", f"The speeds sum to {total:g} h, the counter says {use.engine_hours:g} h.")


def read_speeds(text: str) -> tuple[SpeedHours, ...]:
    """Hours by engine speed from an engine computer's CSV: two columns of numbers, a heading or not, in any order of speeds.

    text: lines with comma, semicolon or tab between; a decimal comma where the separator is another
    Returns the rows by speed. Raises UseProblemError with the line that is wrong.

    >>> read_speeds("rpm;h\\n1500;20,5\\n700;100")[0].hours
    100.0
    """
    rows: list[SpeedHours] = []
    lines = [line for line in text.splitlines() if line.strip()]
    mark = next((m for m in (";", "\t", ",") if any(m in line for line in lines)), ",")
    for number, cells in enumerate(csv.reader(lines, delimiter=mark), start=1):
        columns = [c.strip().replace(",", ".") if mark != "," else c.strip() for c in cells[:2]]
        try:
            rpm, hours = (float(c) for c in columns)
            if not (math.isfinite(rpm) and math.isfinite(hours)):
                raise ValueError
            rows.append(SpeedHours(engine_rpm=rpm, hours=hours))
        except ValueError as error:
            if number == 1 and len(lines) > 1:
                continue
            raise UseProblemError("speeds", f"Line {number}: an engine speed to 8000 /min and its hours, as 1500;20.5") from error
    if len(rows) > MOST_SPEEDS:
        raise UseProblemError("speeds", f"{len(rows)} speeds: at most {MOST_SPEEDS} are taken.")
    return tuple(sorted(rows, key=lambda r: r.engine_rpm))
