"""The belt of an alternator's drive when a pulley changes: its way, its length, and whether the tensioner takes that up."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, degrees, hypot
from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.document import Document, Label
from mavrik.core.planning.belts import BeltError, Pulley, Route, Tensioner, TensionerPosition, moved, route, travel
from mavrik.core.protection.documents import Finding, Severity

NEVER_SO_SMALL_MM, MOST_MM = 5.0, 1000.0
Millimetre = Annotated[float, Field(gt=NEVER_SO_SMALL_MM, le=MOST_MM, description="Effective diameter, or a distance [mm]")]
Place = Annotated[float, Field(ge=-3000, le=3000, description="In the plane of the belt, x to the right, y up [mm]")]
Degrees = Annotated[
    float, Field(ge=-180, le=180, description="Of the tensioner's arm, against the clock, from where it is drawn [deg]")
]

PART = Literal["driving", "alternator", "tensioner", "other"]
GEOMETRY, PRACTICE = "Plane geometry", "Common practice, no single source"


class DrivePulley(Document):
    """A pulley of the drive, in the order in which the belt goes round."""

    name: Label
    part: PART = "other"
    diameter_mm: Millimetre | None = None
    """Left out for the driving pulley and the alternator's, whose diameters are said elsewhere."""
    x_mm: Place
    y_mm: Place
    back: bool = False
    """Whether the belt's back runs on it."""


class DriveArm(Document):
    """The arm that the tensioner's pulley hangs on."""

    x_mm: Place
    y_mm: Place
    """Of its pivot."""
    slack_deg: Degrees
    """Where its spring has pulled it to the end."""
    tight_deg: Degrees
    """Where it has no more to give."""


class DriveBeltError(ValueError):
    """Pulleys that no belt goes round, in plain words."""


@dataclass(frozen=True)
class StockBelt:
    """A belt that is to hand, with the new pulley where one is thought of."""

    name: str
    length_mm: float
    ribs: int | None
    share: float | None
    """Where the tensioner would stand; None: its length does not fit."""
    ribs_fit: Literal["same", "fewer", "more"] | None
    """Its ribs beside those asked for; None: one of the two is not known."""
    fits: bool
    """Whether it goes on: one with more ribs than the pulleys have grooves does not."""


@dataclass(frozen=True)
class NamedBelt:
    """A belt by what is written on it."""

    name: str
    length_mm: float
    ribs: int | None


_NAME = re.compile(r"(?:(\d{1,2})\s?PK\s?)?(\d{2,5}(?:[.,]\d{1,3})?)\s?(mm|in)?", re.IGNORECASE | re.ASCII)
SHORTEST_MM, LONGEST_MM = 100.0, 6000.0
MM_PER_INCH = 25.4


def read_belt(name: str) -> NamedBelt:
    """A belt by what is written on it: ribs, profile and effective length, or its length alone.

    name: as 6PK1815, 1815, 1815 mm or 71.5in
    Raises DriveBeltError for what is no belt.
    Source: ISO 9982's designation of ribbed belts of profile PK, from memory.

    >>> read_belt("6PK1815"), round(read_belt("71.5 in").length_mm, 2)
    (NamedBelt(name='6PK1815', length_mm=1815.0, ribs=6), 1816.1)
    """
    match = _NAME.fullmatch(name.strip())
    if match is None:
        raise DriveBeltError(f"'{name}' is no belt: write it as 6PK1815, 1815 or 71.5in.")
    ribs, digits, unit = match.groups()
    length = float(digits.replace(",", ".")) * (MM_PER_INCH if unit and unit.lower() == "in" else 1.0)
    if not SHORTEST_MM <= length <= LONGEST_MM:
        raise DriveBeltError(f"'{name}' is {length:.0f} mm long: belts have {SHORTEST_MM:.0f} to {LONGEST_MM:.0f} mm.")
    if ribs is not None and int(ribs) < 1:
        raise DriveBeltError(f"'{name}' has no rib.")
    return NamedBelt(name.strip(), length, int(ribs) if ribs else None)


def _to_hand(belt: NamedBelt, share: float | None, grooves: int | None) -> StockBelt:
    """A belt that is to hand on pulleys with so many grooves."""
    beside: Literal["same", "fewer", "more"] | None = None
    if belt.ribs is not None and grooves is not None:
        beside = "same" if belt.ribs == grooves else "fewer" if belt.ribs < grooves else "more"
    return StockBelt(belt.name, belt.length_mm, belt.ribs, share, beside, share is not None and beside != "more")


@dataclass(frozen=True)
class TensionerAt:
    """Where the tensioner stands, between 0, its spring at its end, and 1; None: it does not take the belt up."""

    now: float | None
    new: float | None
    shortest_mm: float
    longest_mm: float
    """Belts between which it has travel, with the new pulley where one is thought of."""
    to_hand: tuple[StockBelt, ...]


@dataclass(frozen=True)
class BeltWays:
    """What the belt becomes."""

    now: Route
    new: Route | None
    tensioner: TensionerAt | None
    findings: tuple[Finding, ...]
    alternator: str
    """Name of its pulley."""


def belt_ways(
    pulleys: Sequence[DrivePulley],
    arm: DriveArm | None,
    belt_mm: float | None,
    driving_mm: float,
    now_mm: float,
    new_mm: float | None,
    stock: Sequence[NamedBelt] = (),
    ribs: int | None = None,
) -> BeltWays:
    """The way of a belt with the alternator's pulley as found, and with another.

    pulleys: in order; arm: of the tensioner, where there is one; belt_mm: of the belt that is fitted, left out as long as its way is drawn
    stock: belts that are to hand; ribs: as many as the pulleys have grooves, where that is known
    driving_mm, now_mm, new_mm: diameters of the driving pulley and of the alternator's [mm]
    Raises DriveBeltError for pulleys that no belt goes round, or that are not one of each kind that is needed.
    Source: `belts`.

    >>> two = [DrivePulley(name="Crank", part="driving", x_mm=0, y_mm=0), DrivePulley(name="Unit", part="alternator", x_mm=300, y_mm=0)]
    >>> ways = belt_ways(two, None, None, 150, 60, 50)
    >>> round(ways.now.length_mm - ways.new.length_mm)
    14
    """
    alternator = _only(pulleys, "alternator").name
    _only(pulleys, "driving")
    held = _held(pulleys, arm)
    try:
        before, after = (
            _round(pulleys, driving_mm, diameter_mm) for diameter_mm in (now_mm, new_mm if new_mm is not None else now_mm)
        )
        now, new = route(before), route(after) if new_mm is not None else None
        if held is None:
            return BeltWays(now, new, None, (*_in_the_way(new or now), *_of_length(now, new)), alternator)
        belt = belt_mm if belt_mm is not None else now.length_mm
        as_found, with_new = travel(before, held), travel(after, held)
        first, second = as_found.with_belt(belt), with_new.with_belt(belt)
        if not first.slackens:
            raise DriveBeltError("A spring pulls the tensioner towards the longer way of the belt: swap the ends of its travel.")
        to_hand = tuple(_to_hand(b, with_new.with_belt(b.length_mm).share, ribs) for b in stock)
        at = TensionerAt(first.share, second.share if new is not None else None, second.shortest_mm, second.longest_mm, to_hand)
        if first.share is not None:
            now = route(moved(before, held, first.share))
        if new is not None and second.share is not None:
            new = route(moved(after, held, second.share))
    except BeltError as error:
        raise DriveBeltError(str(error)) from error
    ways = _of_tensioner(belt, first, second if new_mm is not None else None)
    return BeltWays(now, new, at, (*_in_the_way(new or now), *ways), alternator)


def _only(pulleys: Sequence[DrivePulley], part: PART) -> DrivePulley:
    pulleys_of_part = [p for p in pulleys if p.part == part]
    if len(pulleys_of_part) != 1:
        raise DriveBeltError(f"A drive has one {'driving pulley' if part == 'driving' else part}, not {len(pulleys_of_part)}.")
    return pulleys_of_part[0]


def _round(pulleys: Sequence[DrivePulley], driving_mm: float, own_mm: float) -> list[Pulley]:
    """The same with all diameters."""
    diameters = {"driving": driving_mm, "alternator": own_mm}
    rounds = []
    for p in pulleys:
        diameter = diameters.get(p.part, p.diameter_mm)
        if diameter is None:
            raise DriveBeltError(f"{p.name} has no diameter yet.")
        rounds.append(Pulley(p.name, diameter, p.x_mm, p.y_mm, p.back))
    return rounds


def _held(pulleys: Sequence[DrivePulley], arm: DriveArm | None) -> Tensioner | None:
    """The tensioner's arm as its drawn place has it; None where there is none."""
    tensioners = [p for p in pulleys if p.part == "tensioner"]
    if not tensioners and arm is None:
        return None
    if len(tensioners) > 1:
        raise DriveBeltError(f"A drive has one tensioner, not {len(tensioners)}.")
    if arm is None:
        return None
    if not tensioners:
        raise DriveBeltError("An arm has a pulley: say which one is the tensioner.")
    (p,) = tensioners
    length, angle = hypot(p.x_mm - arm.x_mm, p.y_mm - arm.y_mm), degrees(atan2(p.y_mm - arm.y_mm, p.x_mm - arm.x_mm))
    if length <= 0 or arm.slack_deg == arm.tight_deg:
        raise DriveBeltError("The tensioner's arm has no length, or no travel.")
    return Tensioner(p.name, arm.x_mm, arm.y_mm, length, angle + arm.slack_deg, angle + arm.tight_deg)


def drive_finding(code: str, severity: Severity, title: str, why: str, rule: str, source: str = PRACTICE) -> Finding:
    """A finding of the drive: of no branch of the circuit.

    >>> drive_finding("x", Severity.NOTE, "A belt 3 mm shorter", "Look.", "Geometry holds.").branch_id is None
    True
    """
    return Finding(code, severity, None, title, why, rule, source)


def _of_length(now: Route, new: Route | None) -> list[Finding]:
    if new is None or not (change := new.length_mm - now.length_mm):
        return []
    return [
        drive_finding(
            "belt_length",
            Severity.NOTE,
            f"A belt {abs(change):.0f} mm {'shorter' if change < 0 else 'longer'}",
            "Or as much of the tensioner's travel, if it has that left: look at its mark before you buy.",
            "The belt is as long as its way round all pulleys.",
            GEOMETRY,
        )
    ]


def _in_the_way(way: Route) -> list[Finding]:
    return [
        drive_finding(
            "in_the_way",
            Severity.WARNING,
            f"The belt runs into {hit}",
            f"From {of} to {to} it has to pass it.",
            "Between two pulleys the belt runs free.",
            GEOMETRY,
        )
        for of, to, hit in way.touches
    ]


def _of_tensioner(belt: float, now: TensionerPosition, new: TensionerPosition | None) -> list[Finding]:
    """Whether the tensioner takes up what the belt is too long or too short by."""
    rule = "The tensioner stands between its stops with the belt that is fitted."
    if now.share is None:
        return [
            drive_finding(
                "belt_does_not_fit",
                Severity.WARNING,
                f"A belt of {belt:.0f} mm does not go round as it is drawn",
                f"With the pulley as found the tensioner takes {now.shortest_mm:.0f} to {now.longest_mm:.0f} mm: measure places and belt again.",
                rule,
                GEOMETRY,
            )
        ]
    if new is None:
        return []
    if new.share is None:
        return [
            drive_finding(
                "not_taken_up",
                Severity.WARNING,
                "The tensioner does not take it up",
                f"With the new pulley it takes belts of {new.shortest_mm:.0f} to {new.longest_mm:.0f} mm; the one that is fitted has {belt:.0f} mm.",
                rule,
                GEOMETRY,
            )
        ]
    return [
        drive_finding(
            "taken_up",
            Severity.NOTE,
            "The tensioner takes it up",
            f"It stands at {now.share:.0%} of its travel now, at {new.share:.0%} then, 0% being its spring's end. The belt stays.",
            rule,
            GEOMETRY,
        )
    ]
