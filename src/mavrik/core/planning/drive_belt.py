"""The belt of an alternator's drive when a pulley changes: its way, its length, and whether the tensioner takes that up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import atan2, degrees, hypot
from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.document import Document, Label
from mavrik.core.planning.belts import BeltError, Pulley, Route, TakenUp, Tensioner, moved, route, travel
from mavrik.core.protection.documents import Finding, Severity

Millimetre = Annotated[float, Field(gt=5, le=1000, description="Effective diameter, or a distance [mm]")]
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

    length_mm: float
    share: float | None
    """Where the tensioner would stand; None: it does not fit."""


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
    stock_mm: Sequence[float] = (),
) -> BeltWays:
    """The way of a belt with the alternator's pulley as found, and with another.

    pulleys: in order; arm: of the tensioner, where there is one; belt_mm: of the belt that is fitted, left out as long as its way is drawn
    stock_mm: belts that are to hand [mm]
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
        before, after = (_round(pulleys, driving_mm, own) for own in (now_mm, new_mm if new_mm is not None else now_mm))
        now, new = route(before), route(after) if new_mm is not None else None
        if held is None:
            return BeltWays(now, new, None, (*_in_the_way(new or now), *_of_length(now, new)), alternator)
        belt = belt_mm if belt_mm is not None else now.length_mm
        as_found, with_new = travel(before, held), travel(after, held)
        first, second = as_found.with_belt(belt), with_new.with_belt(belt)
        if not first.slackens:
            raise DriveBeltError("A spring pulls the tensioner towards the longer way of the belt: swap the ends of its travel.")
        to_hand = tuple(StockBelt(mm, with_new.with_belt(mm).share) for mm in stock_mm)
        at = TensionerAt(first.share, second.share if new is not None else None, second.shortest_mm, second.longest_mm, to_hand)
        if first.share is not None:
            now = route(moved(before, held, first.share))
        if new is not None and second.share is not None:
            new = route(moved(after, held, second.share))
    except BeltError as error:
        raise DriveBeltError(str(error)) from error
    found = _of_tensioner(belt, first, second if new_mm is not None else None)
    return BeltWays(now, new, at, (*_in_the_way(new or now), *found), alternator)


def _only(pulleys: Sequence[DrivePulley], part: PART) -> DrivePulley:
    own = [p for p in pulleys if p.part == part]
    if len(own) != 1:
        raise DriveBeltError(f"A drive has one {'driving pulley' if part == 'driving' else part}, not {len(own)}.")
    return own[0]


def _round(pulleys: Sequence[DrivePulley], driving_mm: float, own_mm: float) -> list[Pulley]:
    """The same with all diameters."""
    said = {"driving": driving_mm, "alternator": own_mm}
    found = []
    for p in pulleys:
        diameter = said.get(p.part, p.diameter_mm)
        if diameter is None:
            raise DriveBeltError(f"{p.name} has no diameter yet.")
        found.append(Pulley(p.name, diameter, p.x_mm, p.y_mm, p.back))
    return found


def _held(pulleys: Sequence[DrivePulley], arm: DriveArm | None) -> Tensioner | None:
    """The tensioner's arm as its drawn place has it; None where there is none."""
    own = [p for p in pulleys if p.part == "tensioner"]
    if not own and arm is None:
        return None
    if len(own) > 1:
        raise DriveBeltError(f"A drive has one tensioner, not {len(own)}.")
    if arm is None:
        return None
    if not own:
        raise DriveBeltError("An arm has a pulley: say which one is the tensioner.")
    (p,) = own
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


def _of_tensioner(belt: float, now: TakenUp, new: TakenUp | None) -> list[Finding]:
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
