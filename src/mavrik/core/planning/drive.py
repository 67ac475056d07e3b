"""The alternator's drive: what a pulley does to shaft speed and output, between what the belt, the unit and the owner allow."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, hypot, pi
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator
from scipy.optimize import brentq

from mavrik.core.catalogue.sources import output_limit_a, source_table
from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.document import Document, Identifier, Label
from mavrik.core.planning.belts import Contact, Route, slip_torque_nm
from mavrik.core.planning.drive_belt import (
    DriveArm,
    DriveBeltError,
    DrivePulley,
    Millimetre,
    TensionerAt,
    belt_ways,
    drive_finding,
    read_belt,
)
from mavrik.core.protection.documents import Finding, Severity, by_severity

SAME_SPEED = 0.03
"""Two engine speeds that differ by more are not the same: an idling alternator's output rises steeply. Our choice, no source."""

SLIPS_FROM = 0.03
"""A shaft this much slower than its pulleys say slips: ribbed belts creep by one per cent or two. Common practice, no source."""

CROWDED = 0.9
"""Above this share of its limit speed at redline a unit has little left for an over-revving engine. Our choice, no source."""

MUCH_AT_IDLE = 0.25
"""Of its torque at idle, more than this is felt. Common practice, rough, no source."""

Rpm = Annotated[float, Field(ge=100, le=30_000, description="Speed [1/min]")]


class DriveReading(Document):
    """Output read by a clamp, and at which engine speed."""

    current_a: Annotated[float, Field(ge=0, le=2000, description="Output [A]")]
    u_a: Annotated[float, Field(ge=0, le=500, description="Its expanded uncertainty [A]")]
    engine_rpm: Rpm


class DriveRequest(Document):
    """What is there, what it is to give, and what limits it; what is not known is left out."""

    alternator_id: Identifier
    idle_rpm: Rpm = 800.0
    cruise_rpm: Rpm = 2000.0
    redline_rpm: Rpm = 5000.0
    limit_rpm: Annotated[Rpm | None, Field(description="The unit's limit speed, by its maker [1/min]")] = None
    crank_mm: Millimetre | None = None
    """Diameter of the driving pulley."""
    now_mm: Millimetre | None = None
    """Of the alternator's, as found."""
    new_mm: Millimetre | None = None
    """Of the one that is thought of."""
    engine_read_rpm: Rpm | None = None
    shaft_read_rpm: Rpm | None = None
    """Both by tachometer, at one moment: they say what diameters only promise."""
    wanted_idle_a: Annotated[float, Field(gt=0, le=2000, description="Output wanted at a hot idle [A]")] | None = None
    smallest_mm: Millimetre | None = None
    """The smallest pulley that the belt's maker allows."""
    centres_mm: Annotated[float, Field(gt=10, le=3000, description="Distance of the two shafts [mm]")] | None = None
    """Where the belt goes round these two pulleys alone."""
    pulleys: Annotated[
        tuple[DrivePulley, ...], Field(max_length=12, description="All that the belt goes round, in its order")
    ] = ()
    arm: DriveArm | None = None
    belt_mm: Annotated[float, Field(ge=100, le=6000, description="Effective length of the belt that is fitted [mm]")] | None = (
        None
    )
    ribs: Annotated[int | None, Field(ge=1, le=14, description="Ribs of the belt, as the pulleys' grooves have them")] = None
    stock: Annotated[
        tuple[Annotated[str, Field(max_length=24)], ...],
        Field(max_length=40, description="Belts that are to hand, as written on them: 6PK1815, 1815 or 71.5in"),
    ] = ()
    engine_idle_nm: Annotated[float | None, Field(ge=5, le=5000, description="Torque that the engine has at idle [Nm]")] = None
    before: DriveReading | None = None
    after: DriveReading | None = None

    @model_validator(mode="before")
    @classmethod
    def _belts_by_name(cls, given: Any) -> Any:
        # Belts were kept by their length alone, before they had names.
        if isinstance(given, dict) and "stock_mm" in given:
            given = {**given, "stock": given.get("stock") or [f"{mm:g}" for mm in given["stock_mm"]]}
            del given["stock_mm"]
        return given


class DriveProblemError(ValueError):
    """Something in a request that contradicts itself, and in which field."""

    def __init__(self, field: str, message: str) -> None:
        """field: of the request; message: in plain words."""
        super().__init__(message)
        self.field = field


@dataclass(frozen=True)
class AtSpeed:
    """What a shaft does at one engine speed."""

    shaft_rpm: float
    cold_a: float
    hot_a: float
    over_limit: bool
    power_w: float
    """What turning it takes, giving all it can when cold, which is most."""
    torque_nm: float
    """The same at the shaft."""
    crank_nm: float
    """The same at the crankshaft, which turns slower by the ratio."""


@dataclass(frozen=True)
class DriveSpeed:
    """One engine speed, with the pulley as found and the one thought of."""

    name: Literal["idle", "cruise", "redline"]
    engine_rpm: float
    before: AtSpeed
    after: AtSpeed | None
    """None where no other pulley is thought of."""


@dataclass(frozen=True)
class PulleyRange:
    """Between which diameters a pulley gives what is wanted without overspeed."""

    least_mm: float | None
    least_by: Literal["limit speed", "belt"] | None
    """What does not allow a smaller one; None where nothing is known that does."""
    most_mm: float | None
    """The largest that gives the wanted output at a hot idle; None where nothing is wanted, or no pulley gives it."""
    possible: bool
    """Whether any diameter does all that is wanted and allowed."""


@dataclass(frozen=True)
class SlackSide:
    """What the belt's slack side needs at least so that the alternator does not slip, at the hardest of the three speeds."""

    least_n: float
    """On dry and clean ribs."""
    worn_n: float
    """On worn or damp ones."""
    rib_n: float | None
    """What each rib then carries, the mean of both sides, on worn or damp ones; None: nobody said how many there are."""
    ribs: int
    """So many carry it."""


@dataclass(frozen=True)
class BeltChange:
    """What the belt round the two pulleys becomes."""

    now: Route
    new: Route | None
    tension_now: SlackSide
    tension_new: SlackSide | None
    tensioner: TensionerAt | None


@dataclass(frozen=True)
class ReadGain:
    """What was gained, by two readings at the same engine speed."""

    gain_a: float
    u_a: float
    """Expanded uncertainty of the gain."""
    sure: bool
    """Whether it is more than that."""


class DriveView(Document):
    """What a drive does, before and after."""

    label: Label
    planned_label: Label | None = None
    """The unit that takes its place, where another is planned: what comes after is of that."""
    ratio_now: float
    ratio_from: Literal["tachometer", "diameters", "circuit"]
    ratio_new: float | None
    slip: float | None
    """What of the speed that the diameters promise the tachometer misses, as a share; None where not both are known."""
    cold_c: float
    hot_c: float
    speeds: tuple[DriveSpeed, ...]
    pulley: PulleyRange | None
    """None where the pulley as found is not known."""
    belt: BeltChange | None
    gain: ReadGain | None
    findings: tuple[Finding, ...]


def drive_in(circuit: Circuit, asked: DriveRequest, planned: Circuit | None = None) -> DriveView | None:
    """What a drive comes to in a circuit; None where it does not add up, as what a file brings may not.

    circuit: where its alternator is, the main one if it has another by now; asked: as for `plan_drive`
    planned: with the unit that is planned, where one is

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> drive_in(front_battery(12), DriveRequest(alternator_id="alternator", idle_rpm=900, cruise_rpm=800)) is None
    True
    """
    try:
        return plan_drive(unit_in(circuit, asked), asked, unit_in(planned, asked) if planned is not None else None)
    except DriveProblemError:
        return None


def unit_in(circuit: Circuit, asked: DriveRequest) -> Alternator:
    """The alternator that a drive is of; the main one where the circuit has another by now."""
    return next((a for a in circuit.alternators if a.id == asked.alternator_id), circuit.alternator)


def plan_drive(unit: Alternator, asked: DriveRequest, planned: Alternator | None = None) -> DriveView:
    """What a change of pulley does to shaft speed, output, belt and limits.

    unit: the alternator, whose curve or rating says what it gives; asked: speeds, diameters, readings, wishes
    planned: the unit that takes its place, where one does: what comes after is of that
    Returns everything at idle, cruise and redline, before and after, cold and hot, with what to say of it.
    Raises DriveProblemError for speeds out of order, half a tachometer reading, or a pulley that is thought of with none to replace.
    Source: speeds go inversely as diameters; output over shaft speed and temperature as `output_limit_a` has it.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> unit = front_battery(12).alternator
    >>> asked = DriveRequest(alternator_id=unit.id, idle_rpm=800, crank_mm=150, now_mm=60, new_mm=50)
    >>> idle = plan_drive(unit, asked).speeds[0]
    >>> idle.before.shaft_rpm, idle.after.shaft_rpm
    (2000.0, 2400.0)
    """
    _check(asked)
    ratio, ratio_from, slip = _ratio(unit, asked)
    new = ratio * asked.now_mm / asked.new_mm if asked.now_mm and asked.new_mm else None

    def at(engine_rpm: float, own: float, by: Alternator) -> AtSpeed:
        shaft = engine_rpm * own
        cold = _output_a(by, shaft, table.reference_c)
        power = by.set_point_v * cold / table.alternator_efficiency
        return AtSpeed(
            shaft, cold, _output_a(by, shaft, table.hot_c), asked.limit_rpm is not None and shaft > asked.limit_rpm,
            power, power / (2 * pi * shaft / 60), power / (2 * pi * engine_rpm / 60),
        )  # fmt: skip

    table, then = source_table(), planned or unit
    engine: tuple[tuple[Literal["idle", "cruise", "redline"], float], ...] = (
        ("idle", asked.idle_rpm),
        ("cruise", asked.cruise_rpm),
        ("redline", asked.redline_rpm),
    )
    speeds = tuple(DriveSpeed(name, rpm, at(rpm, ratio, unit), at(rpm, new, then) if new else None) for name, rpm in engine)
    belt, belt_trouble = _belt(asked, speeds)
    gain, gain_trouble = _gain(asked)
    reach = _range(then, asked, ratio)
    found = [
        *_of_speeds(asked, speeds),
        *_of_engine(asked, speeds),
        *_of_slip(slip),
        *_of_wishes(then, asked, speeds, reach),
        *belt_trouble,
        *gain_trouble,
    ]
    another = (then.rated_a, then.curve) != (unit.rated_a, unit.curve)
    return DriveView(
        label=unit.label, planned_label=then.label if another else None, ratio_now=ratio, ratio_from=ratio_from, ratio_new=new, slip=slip,
        cold_c=table.reference_c, hot_c=table.hot_c, speeds=speeds, pulley=reach, belt=belt, gain=gain, findings=by_severity(found),
    )  # fmt: skip


def _output_a(unit: Alternator, shaft_rpm: float, warm_c: float) -> float:
    return float(output_limit_a(unit.rated_a, shaft_rpm, warm_c, unit.curve, unit.kind == "permanent_magnet"))


def _check(asked: DriveRequest) -> None:
    if asked.cruise_rpm <= asked.idle_rpm:
        raise DriveProblemError("cruise_rpm", "Cruising an engine turns faster than idling.")
    if asked.redline_rpm <= asked.cruise_rpm:
        raise DriveProblemError("redline_rpm", "The redline lies above cruising speed.")
    if (asked.engine_read_rpm is None) != (asked.shaft_read_rpm is None):
        field = "shaft_read_rpm" if asked.shaft_read_rpm is None else "engine_read_rpm"
        raise DriveProblemError(field, "A tachometer reading is of engine and shaft, both at one moment.")
    if asked.new_mm is not None and asked.now_mm is None:
        raise DriveProblemError("now_mm", "What a new pulley does depends on the one it replaces: enter that, too.")


def _ratio(unit: Alternator, asked: DriveRequest) -> tuple[float, Literal["tachometer", "diameters", "circuit"], float | None]:
    """Shaft speed over engine speed as found, what says so, and what slips."""
    promised = asked.crank_mm / asked.now_mm if asked.crank_mm and asked.now_mm else None
    if asked.engine_read_rpm and asked.shaft_read_rpm:
        read = asked.shaft_read_rpm / asked.engine_read_rpm
        return read, "tachometer", None if promised is None else 1 - read / promised
    if promised is not None:
        return promised, "diameters", None
    return unit.pulley_ratio, "circuit", None


def _range(unit: Alternator, asked: DriveRequest, ratio: float) -> PulleyRange | None:
    """Between which diameters a pulley may lie."""
    if asked.now_mm is None:
        return None
    driving = ratio * asked.now_mm
    least: list[tuple[float, Literal["limit speed", "belt"]]] = []
    if asked.limit_rpm is not None:
        least.append((driving * asked.redline_rpm / asked.limit_rpm, "limit speed"))
    if asked.smallest_mm is not None:
        least.append((asked.smallest_mm, "belt"))
    most = None
    if asked.wanted_idle_a is not None and (shaft := slowest_shaft_rpm(unit, asked.wanted_idle_a)) is not None:
        most = driving * asked.idle_rpm / shaft
    mm, by = max(least, default=(None, None), key=lambda pair: pair[0] or 0.0)
    possible = asked.wanted_idle_a is None or (most is not None and (mm is None or mm <= most))
    return PulleyRange(mm, by, most, possible)


def slowest_shaft_rpm(unit: Alternator, current_a: float) -> float | None:
    """The slowest shaft at which a hot unit gives a current [1/min]; None where none does.

    unit: the alternator; current_a: wanted of it [A]
    Source: `output_limit_a`, solved for the speed by Brent's method.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> unit = front_battery(12).alternator
    >>> slowest_shaft_rpm(unit, 2 * unit.rated_a) is None
    True
    """
    hot = source_table().hot_c
    every = np.linspace(0.0, 20_000.0, 2001)
    gives = np.asarray(output_limit_a(unit.rated_a, every, hot, unit.curve, unit.kind == "permanent_magnet"))
    enough = np.flatnonzero(gives >= current_a)
    if not len(enough):
        return None
    first = int(enough[0])
    if first == 0 or gives[first] == current_a:
        return float(every[first])
    return float(brentq(lambda rpm: _output_a(unit, rpm, hot) - current_a, every[first - 1], every[first]))


def _belt(asked: DriveRequest, speeds: Sequence[DriveSpeed]) -> tuple[BeltChange | None, tuple[Finding, ...]]:
    if asked.crank_mm is None or asked.now_mm is None or (asked.centres_mm is None and not asked.pulleys):
        return None, ()
    try:
        stock = [read_belt(name) for name in asked.stock]
    except DriveBeltError as error:
        raise DriveProblemError("stock", str(error)) from error
    two = (
        DrivePulley(name="Driving pulley", part="driving", x_mm=0.0, y_mm=0.0),
        DrivePulley(name="Alternator", part="alternator", x_mm=asked.centres_mm or 0.0, y_mm=0.0),
    )
    try:
        ways = belt_ways(
            asked.pulleys or two, asked.arm, asked.belt_mm, asked.crank_mm, asked.now_mm, asked.new_mm, stock, asked.ribs
        )
    except DriveBeltError as error:
        raise DriveProblemError("pulleys" if asked.pulleys else "centres_mm", str(error)) from error
    now = _slack_side(ways.now.on(ways.alternator), [s.before for s in speeds], asked.ribs)
    new = _slack_side(ways.new.on(ways.alternator), [s.after for s in speeds if s.after], asked.ribs) if ways.new else None
    return BeltChange(ways.now, ways.new, now, new, ways.tensioner), (*ways.findings, *_of_ribs(new or now, asked.ribs))


def _slack_side(contact: Contact, turns: Sequence[AtSpeed], ribs: int | None) -> SlackSide:
    """At the hardest of some speeds; each newton of the slack side carries so much torque."""
    table, torque = source_table(), max(t.torque_nm for t in turns)
    least, worn = (torque / slip_torque_nm(contact, 1.0, f) for f in (table.belt_friction, table.belt_friction_worn))
    mean = worn + torque / (contact.pulley.diameter_mm / 1000)
    return SlackSide(least, worn, mean / ribs if ribs else None, ceil(mean / table.rib_tension_n))


def _of_ribs(side: SlackSide, ribs: int | None) -> list[Finding]:
    """A belt too narrow for what it has to turn."""
    table = source_table()
    if ribs is None or ribs >= side.ribs:
        return []
    return [
        drive_finding(
            "too_few_ribs",
            Severity.WARNING,
            f"{ribs} ribs are too few: {side.ribs} carry it",
            f"So as not to slip once worn, each rib would stand at {side.rib_n:.0f} N. Such a tension wears belt and bearings: more wrap, "
            "more ribs, or a unit of its own belt.",
            f"{table.rib_tension_n:.0f} N a rib at most, the mean of both sides, from memory; the belt maker's figure wins.",
        )
    ]


def _gain(asked: DriveRequest) -> tuple[ReadGain | None, list[Finding]]:
    """The gain by what was read, where both readings are of one engine speed."""
    if asked.before is None or asked.after is None:
        return None, []
    one, other = asked.before.engine_rpm, asked.after.engine_rpm
    if abs(one - other) > SAME_SPEED * max(one, other):
        return None, [
            drive_finding(
                "not_one_speed",
                Severity.WARNING,
                "No gain: the two were not read at one engine speed",
                f"{one:.0f} and {other:.0f} /min are {abs(one - other) / max(one, other):.0%} apart, and output rises steeply with speed. "
                "Read both at one speed.",
                f"A gain is the difference of two readings at the same engine speed, within {SAME_SPEED:.0%}.",
            )
        ]
    u = hypot(asked.before.u_a, asked.after.u_a)
    gain = asked.after.current_a - asked.before.current_a
    return ReadGain(gain, u, abs(gain) > u), []


def _of_speeds(asked: DriveRequest, speeds: Sequence[DriveSpeed]) -> list[Finding]:
    """What shaft speeds say: beyond the limit, near it, or nobody knows it."""
    redline = speeds[-1]
    shaft = (redline.after or redline.before).shaft_rpm
    if asked.limit_rpm is None:
        return [
            drive_finding(
                "limit_unknown",
                Severity.WARNING,
                "The unit's limit speed is not known",
                f"At redline the shaft turns {shaft:.0f} /min. Ask its maker before a smaller pulley is fitted.",
                "A rotor beyond its limit speed comes apart.",
            )
        ]
    share = shaft / asked.limit_rpm
    if share > 1:
        return [
            drive_finding(
                "overspeed",
                Severity.DANGER,
                f"Overspeed: {shaft:.0f} /min at redline",
                f"The unit's limit is {asked.limit_rpm:.0f} /min. Windings and slip rings come off the rotor; parts leave the case.",
                "At redline the shaft stays below the unit's limit speed.",
                "The maker's limit, as entered",
            )
        ]
    if share > CROWDED:
        return [
            drive_finding(
                "near_limit",
                Severity.NOTE,
                f"{share:.0%} of the limit speed at redline",
                "A missed gear takes the engine past its redline, and the unit past its limit.",
                f"Above {CROWDED:.0%} of the limit speed there is little left.",
            )
        ]
    return []


def _of_engine(asked: DriveRequest, speeds: Sequence[DriveSpeed]) -> list[Finding]:
    """An idling engine that the alternator asks much of."""
    idle = speeds[0].after or speeds[0].before
    if asked.engine_idle_nm is None or idle.crank_nm <= MUCH_AT_IDLE * asked.engine_idle_nm:
        return []
    return [
        drive_finding(
            "heavy_at_idle",
            Severity.WARNING,
            f"{idle.crank_nm / asked.engine_idle_nm:.0%} of what the engine has at idle",
            f"At full output the alternator takes {idle.crank_nm:.0f} Nm of the crankshaft. The idle may sag or hunt when it comes on at once: "
            "a faster idle, or a regulator that comes on slowly.",
            f"Above {MUCH_AT_IDLE:.0%} an idle has little to spare.",
        )
    ]


def _of_slip(slip: float | None) -> list[Finding]:
    """What tachometer and diameters say of one another."""
    if slip is None or abs(slip) <= SLIPS_FROM:
        return []
    if slip < 0:
        return [
            drive_finding(
                "faster_than_its_pulleys",
                Severity.WARNING,
                f"The shaft turns {-slip:.0%} faster than its pulleys let it",
                "Measure both diameters again, where the belt runs, and read engine and shaft at one moment.",
                "No belt turns a shaft faster than the ratio of the diameters.",
            )
        ]
    return [
        drive_finding(
            "slips",
            Severity.WARNING,
            f"The belt slips: the shaft turns {slip:.0%} slower than its pulleys say",
            "Belt, tensioner and alignment first: a smaller pulley has less of the belt round it, and slips sooner.",
            f"More than {SLIPS_FROM:.0%} is no creep.",
        )
    ]


def _of_wishes(unit: Alternator, asked: DriveRequest, speeds: Sequence[DriveSpeed], reach: PulleyRange | None) -> list[Finding]:
    """Whether what is wanted at a hot idle can be had, and what stands against it."""
    if asked.wanted_idle_a is None:
        return []
    wanted = asked.wanted_idle_a
    if slowest_shaft_rpm(unit, wanted) is None:
        most = max(_output_a(unit, rpm, source_table().hot_c) for rpm in (3000.0, 6000.0, 12_000.0))
        return [
            drive_finding(
                "beyond_the_unit",
                Severity.WARNING,
                f"No pulley gives {wanted:.0f} A hot",
                f"Hot, {unit.label} gives {most:.1f} A at most, however fast it turns: a larger unit, or less load at idle.",
                "A pulley changes the speed, not what the unit can give.",
            )
        ]
    if reach is None:
        return []
    assert reach.most_mm is not None
    if reach.least_mm is not None and reach.least_mm > reach.most_mm:
        return [
            drive_finding(
                "out_of_reach",
                Severity.WARNING,
                f"No pulley gives {wanted:.0f} A at a hot idle",
                f"That takes {reach.most_mm:.1f} mm or less, and the {reach.least_by} asks for {reach.least_mm:.1f} mm or more: "
                "a unit that gives more at low speed, a faster idle, or less load.",
                "Between the smallest pulley that is allowed and the largest that gives enough there has to be room.",
            )
        ]
    idle = speeds[0].after or speeds[0].before
    if idle.hot_a < wanted:
        return [
            drive_finding(
                "short_at_idle",
                Severity.WARNING,
                f"{idle.hot_a:.0f} A at a hot idle, {wanted:.0f} A wanted",
                f"{reach.most_mm:.1f} mm or less does.",
                "Hot windings give less: what counts is the output at a hot idle.",
            )
        ]
    return []
