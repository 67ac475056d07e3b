"""A belt round its pulleys: how long it is, how far it goes round each, whether the tensioner takes it up, and when it slips.

Lengths are those of the belt's effective line; diameters are effective diameters, as a belt maker's catalogue gives them. The drawing's
plane is the belt's: x to the right, y up, in millimetres.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations, pairwise
from math import asin, atan2, ceil, cos, degrees, exp, hypot, isfinite, log, pi, radians, sin, sqrt
from typing import TypeAlias

from scipy.optimize import brentq

TOUCH_MM = 1e-6
"""Nearer than this is touching: rounding, not a gap."""

RIB_DEG = 40.0
"""Angle between the flanks of a rib. Source: ISO 9982 for profile PK, from memory."""

STEP_DEG = 1.0
"""A tensioner's travel is looked at in steps of this before the place is found exactly."""


Place: TypeAlias = tuple[float, float]


class BeltError(ValueError):
    """A drive that no belt goes round."""

    def __init__(self, message: str, pulleys: Sequence[str] = ()) -> None:
        """message: what is wrong; pulleys: the names of those it is about."""
        super().__init__(message)
        self.pulleys = tuple(pulleys)


@dataclass(frozen=True)
class Pulley:
    """A pulley of a drive, in the order in which the belt goes round."""

    name: str
    diameter_mm: float
    x_mm: float
    y_mm: float
    back: bool = False
    """Whether the belt's back runs on it: it turns the other way."""


@dataclass(frozen=True)
class Contact:
    """How a belt lies on one pulley and leaves it for the next."""

    pulley: Pulley
    wrap_deg: float
    arrives: Place
    leaves: Place
    span_mm: float
    """Free length to the next pulley."""
    sense: int
    """+1: it turns against the clock, -1: with it, where the belt runs in the order of the pulleys."""


@dataclass(frozen=True)
class Route:
    """A belt's way round."""

    contacts: tuple[Contact, ...]
    length_mm: float
    touches: tuple[tuple[str, str, str], ...]
    """What is in the way: the two pulleys of a span, and the one that it runs into."""

    def on(self, name: str) -> Contact:
        """How it lies on one of the pulleys. Raises KeyError."""
        for c in self.contacts:
            if c.pulley.name == name:
                return c
        raise KeyError(name)


@dataclass(frozen=True)
class OpenBelt:
    """A belt round two pulleys."""

    length_mm: float
    wrap_small_deg: float
    wrap_large_deg: float


def open_belt(large_mm: float, small_mm: float, centres_mm: float) -> OpenBelt:
    """Length and wrap of an open belt round two pulleys.

    large_mm, small_mm: diameters; centres_mm: distance of the centres [mm]
    Raises BeltError for pulleys that touch, or are none.
    Source: Shigley, Mechanical Engineering Design, flexible mechanical elements (from memory):
    L = sqrt(4 C2 - (D - d)2) + (D thetaD + d thetad) / 2 with thetaD = pi + 2 asin((D - d) / 2C).

    >>> round(open_belt(180, 60, 400).length_mm, 2)
    1186.01
    """
    _check([("large", large_mm), ("small", small_mm)])
    large_mm, small_mm = max(large_mm, small_mm), min(large_mm, small_mm)
    if not (isfinite(centres_mm) and centres_mm > (large_mm + small_mm) / 2):
        raise BeltError("The two pulleys overlap.", ("large", "small"))
    more = 2 * asin((large_mm - small_mm) / (2 * centres_mm))
    length = sqrt(4 * centres_mm**2 - (large_mm - small_mm) ** 2) + (large_mm * (pi + more) + small_mm * (pi - more)) / 2
    return OpenBelt(length, degrees(pi - more), degrees(pi + more))


def route(pulleys: Sequence[Pulley]) -> Route:
    """The way of a belt round any number of pulleys: straight between them, in arcs on them.

    pulleys: in the order in which the belt goes round, two at least
    Returns every contact, the whole length, and what is in the belt's way.
    Raises BeltError for pulleys that overlap, where the belt cannot lie on one on the side that is asked for, or would cross itself.
    Source: plane geometry: the common tangents of two circles, the outer ones for pulleys on one side of the belt, the inner ones
    for pulleys on either side.

    >>> crank, unit = Pulley("crank", 180, 0, 0), Pulley("alternator", 60, 400, 0)
    >>> found = route([crank, unit])
    >>> round(found.length_mm, 2), round(found.on("alternator").wrap_deg, 1)
    (1186.01, 162.7)
    """
    if len(pulleys) < 2:
        raise BeltError("A belt goes round two pulleys at least.")
    _check([(p.name, p.diameter_mm) for p in pulleys])
    if len({p.name for p in pulleys}) != len(pulleys):
        raise BeltError("Two pulleys have the same name.", [p.name for p in pulleys])
    for a, b in combinations(pulleys, 2):
        if hypot(b.x_mm - a.x_mm, b.y_mm - a.y_mm) <= (a.diameter_mm + b.diameter_mm) / 2 + TOUCH_MM:
            raise BeltError(f"{a.name} and {b.name} overlap.", (a.name, b.name))
    ways = _loops(pulleys)
    if not ways:
        for k, p in enumerate(pulleys):
            if _loops([*pulleys[:k], replace(p, back=not p.back), *pulleys[k + 1 :]]):
                side = "back" if p.back else "ribs"
                raise BeltError(f"The belt does not lie on {p.name} with its {side}: it passes on the other side.", (p.name,))
        raise BeltError("Gone round in this order the belt would cross itself.", [p.name for p in pulleys])
    contacts = min(ways, key=_length)
    return Route(contacts, _length(contacts), tuple(_in_the_way(contacts)))


def _check(diameters: Sequence[tuple[str, float]]) -> None:
    for name, diameter in diameters:
        if not (isfinite(diameter) and diameter > 0):
            raise BeltError(f"{name} has no diameter above 0.", (name,))


def _loops(pulleys: Sequence[Pulley]) -> list[tuple[Contact, ...]]:
    """The ways round once, with or against the clock, that lie on the right side of every pulley and do not cross themselves."""
    ways = [contacts for sense in (1, -1) if (contacts := _round(pulleys, sense)) is not None]
    return [contacts for contacts in ways if not _crosses(contacts)]


def _round(pulleys: Sequence[Pulley], sense: int) -> tuple[Contact, ...] | None:
    """The contacts of a loop gone round once in that sense; None where it is none."""
    contacts = _contacts(pulleys, sense)
    turned = sum(c.sense * c.wrap_deg for c in contacts)
    return contacts if abs(turned - 360.0 * sense) < 1e-6 else None


def _contacts(pulleys: Sequence[Pulley], sense: int) -> tuple[Contact, ...]:
    """Tangents and arcs with each pulley on its side, whether they make one loop or not."""
    senses = [-sense if p.back else sense for p in pulleys]
    count = len(pulleys)
    headings, spans, leaves, arrives = [0.0] * count, [0.0] * count, [(0.0, 0.0)] * count, [(0.0, 0.0)] * count
    for k, (a, sense_a) in enumerate(zip(pulleys, senses, strict=True)):
        j = (k + 1) % count
        b, sense_b = pulleys[j], senses[j]
        dx, dy = b.x_mm - a.x_mm, b.y_mm - a.y_mm
        # Centres lie to the left of a belt that turns against the clock: the second that much further left than the first.
        aside = (sense_b * b.diameter_mm - sense_a * a.diameter_mm) / 2
        spans[k] = sqrt(dx**2 + dy**2 - aside**2)
        headings[k] = heading = atan2(dy, dx) - atan2(aside, spans[k])
        left = (-sin(heading), cos(heading))
        leaves[k] = _touching_point(a, sense_a, left)
        arrives[j] = _touching_point(b, sense_b, left)
    return tuple(
        Contact(
            p,
            degrees((senses[k] * (headings[k] - headings[k - 1])) % (2 * pi)),
            arrives[k],
            leaves[k],
            spans[k],
            senses[k],
        )
        for k, p in enumerate(pulleys)
    )


def _touching_point(p: Pulley, sense: int, left: tuple[float, float]) -> tuple[float, float]:
    """Where a belt with that left-hand side touches a pulley."""
    return p.x_mm - sense * p.diameter_mm / 2 * left[0], p.y_mm - sense * p.diameter_mm / 2 * left[1]


def _length(contacts: Sequence[Contact]) -> float:
    return sum(c.span_mm + radians(c.wrap_deg) * c.pulley.diameter_mm / 2 for c in contacts)


def _spans(contacts: Sequence[Contact]) -> list[tuple[str, str, Place, Place]]:
    following = [*contacts[1:], contacts[0]]
    return [(a.pulley.name, b.pulley.name, a.leaves, b.arrives) for a, b in zip(contacts, following, strict=True)]


def _in_the_way(contacts: Sequence[Contact]) -> list[tuple[str, str, str]]:
    """Spans that run into a pulley that is not at their ends."""
    return [
        (of, to, c.pulley.name)
        for of, to, start, end in _spans(contacts)
        for c in contacts
        if c.pulley.name not in (of, to)
        and _distance((c.pulley.x_mm, c.pulley.y_mm), start, end) < c.pulley.diameter_mm / 2 - TOUCH_MM
    ]


def _crosses(contacts: Sequence[Contact]) -> bool:
    """Whether two spans cross."""
    return any(_cross(*one[2:], *other[2:]) for one, other in combinations(_spans(contacts), 2))


def _distance(at: Place, start: Place, end: Place) -> float:
    """From a place to a straight line between two others."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    along = ((at[0] - start[0]) * dx + (at[1] - start[1]) * dy) / max(dx**2 + dy**2, TOUCH_MM)
    along = min(max(along, 0.0), 1.0)
    return hypot(start[0] + along * dx - at[0], start[1] + along * dy - at[1])


def _cross(a: Place, b: Place, c: Place, d: Place) -> bool:
    """Whether two straight lines cross between their ends."""

    def side(p: Place, q: Place, r: Place) -> float:
        return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])

    return side(a, b, c) * side(a, b, d) < -TOUCH_MM and side(c, d, a) * side(c, d, b) < -TOUCH_MM


@dataclass(frozen=True)
class Tensioner:
    """A pulley on an arm that swings about a pivot."""

    pulley: str
    """Name of the pulley that it carries."""
    x_mm: float
    y_mm: float
    """Of the pivot."""
    arm_mm: float
    slack_deg: float
    """Angle of the arm, against the clock from the x axis, at the end of the travel to which its spring pulls it."""
    tight_deg: float
    """The same at the other end."""

    def at(self, share: float) -> tuple[float, float]:
        """Where its pulley's centre is so far between the slack end (0) and the tight one (1) [mm]."""
        angle = radians(self.slack_deg + share * (self.tight_deg - self.slack_deg))
        return self.x_mm + self.arm_mm * cos(angle), self.y_mm + self.arm_mm * sin(angle)


@dataclass(frozen=True)
class TensionerPosition:
    """Where a tensioner stands with a belt of some length."""

    share: float | None
    """Of its travel, 0 where its spring has nothing left, 1 where the belt is too tight to go on; None: it does not take it up."""
    shortest_mm: float
    longest_mm: float
    """Belts between which the travel lies."""
    slackens: bool
    """Whether the belt's way is longer at the spring's end than at the other: a spring pulls towards the longer way."""


def moved(pulleys: Sequence[Pulley], tensioner: Tensioner, share: float) -> tuple[Pulley, ...]:
    """A drive with its tensioner so far along its travel.

    pulleys: of the drive; share: from 0 at the slack end to 1 at the tight one
    Raises KeyError where the drive does not have the tensioner's pulley.

    >>> drive = [Pulley("crank", 150, 0, 0), Pulley("idler", 70, 0, 200)]
    >>> moved(drive, Tensioner("idler", 100, 200, 80, 0, 180), 0.5)[1].y_mm
    280.0
    """
    if all(p.name != tensioner.pulley for p in pulleys):
        raise KeyError(tensioner.pulley)
    x, y = tensioner.at(share)
    return tuple(replace(p, x_mm=x, y_mm=y) if p.name == tensioner.pulley else p for p in pulleys)


@dataclass(frozen=True)
class Travel:
    """The belts that a tensioner takes up, along its travel."""

    pulleys: tuple[Pulley, ...]
    tensioner: Tensioner
    places: tuple[tuple[float, float], ...]
    """Shares of the travel where a belt lies, and its length there."""
    step: float
    """Of the share from one to the next, where no place between is left out."""

    def length_mm(self, share: float) -> float:
        """Length of the belt that stands there. Raises BeltError as `route`."""
        return route(moved(self.pulleys, self.tensioner, share)).length_mm

    def with_belt(self, belt_mm: float) -> TensionerPosition:
        """Where the tensioner stands with a belt of that length. Raises BeltError for one that is none."""
        if not (isfinite(belt_mm) and belt_mm > 0):
            raise BeltError("A belt has a length above 0.")
        lengths = [length for _, length in self.places]
        share: float | None = None
        for (before, shorter), (after, longer) in pairwise(self.places):
            # Not across places of the travel where no belt lies.
            if after - before < 1.5 * self.step and min(shorter, longer) <= belt_mm <= max(shorter, longer):
                share = before if shorter == longer else float(brentq(lambda s: self.length_mm(s) - belt_mm, before, after))
                break
        return TensionerPosition(share, min(lengths), max(lengths), lengths[0] >= lengths[-1])


def travel(pulleys: Sequence[Pulley], tensioner: Tensioner) -> Travel:
    """The belts that a tensioner takes up, from one end of its travel to the other.

    pulleys: of the drive, wherever the tensioner's own stands now
    Raises BeltError as `route`, where the belt cannot lie on the tensioner anywhere on its travel.
    Source: the length by geometry at each place of the travel; between two of them the place by Brent's method.

    >>> drive = [Pulley("crank", 150, 0, 0), Pulley("alternator", 60, 300, 0), Pulley("tensioner", 70, 150, 150)]
    >>> found = travel(drive, Tensioner("tensioner", 150, 250, 100, 90, 270)).with_belt(1200)
    >>> found.share is not None and 0 < found.share < 1, found.shortest_mm < 1200 < found.longest_mm
    (True, True)
    """
    steps = max(2, ceil(abs(tensioner.tight_deg - tensioner.slack_deg) / STEP_DEG))
    places: list[tuple[float, float]] = []
    trouble: BeltError | None = None
    for k in range(steps + 1):
        try:
            places.append((k / steps, route(moved(pulleys, tensioner, k / steps)).length_mm))
        except BeltError as error:
            trouble = error
    if not places:
        assert trouble is not None
        raise trouble
    return Travel(tuple(pulleys), tensioner, tuple(places), 1 / steps)


def tension_ratio(wrap_deg: float, friction: float, rib_deg: float | None = RIB_DEG) -> float:
    """How many times the slack side's tension the tight side may have before the belt slips.

    wrap_deg: how far the belt goes round [deg]; friction: of the belt's material on the pulley's
    rib_deg: angle between the flanks of a rib; None: a flat belt, or the back of a ribbed one
    Raises ValueError for what is negative or not finite.
    Source: the capstan equation with the wedge factor 1 / sin(half the rib's angle), Shigley as above.

    >>> round(tension_ratio(180, 0.3, None), 3)  # exp(0.3 pi)
    2.566
    """
    if not all(isfinite(v) and v >= 0 for v in (wrap_deg, friction)) or (rib_deg is not None and not 0 < rib_deg < 180):
        raise ValueError("wrap and friction are 0 or more, a rib's angle is between 0 and 180 degrees")
    wedge = 1.0 if rib_deg is None else 1 / sin(radians(rib_deg) / 2)
    return exp(friction * wedge * radians(wrap_deg))


def slip_torque_nm(contact: Contact, slack_n: float, friction: float) -> float:
    """The torque at which a pulley slips in its belt [Nm].

    contact: how the belt lies on it; slack_n: tension of the slack side, which the tensioner gives [N]; friction: of the belt's material
    Raises ValueError for a tension below 0.
    Source: `tension_ratio`; the torque is the difference of the two sides' tensions times the radius.

    >>> unit = route([Pulley("crank", 180, 0, 0), Pulley("alternator", 60, 400, 0)]).on("alternator")
    >>> round(slip_torque_nm(unit, 150, 0.3))
    50
    """
    if not (isfinite(slack_n) and slack_n >= 0):
        raise ValueError("a tension is 0 or more")
    ratio = tension_ratio(contact.wrap_deg, friction, None if contact.pulley.back else RIB_DEG)
    return slack_n * (ratio - 1) * contact.pulley.diameter_mm / 2000


def smallest_wrap_deg(torque_nm: float, diameter_mm: float, slack_n: float, friction: float, back: bool = False) -> float:
    """How far a belt has to go round a pulley at least to carry a torque [deg].

    torque_nm: at the pulley; diameter_mm: of it; slack_n: tension of the slack side; friction: as above; back: its back runs on it
    Raises ValueError for what is not above 0.
    Source: `slip_torque_nm`, solved for the angle.

    >>> round(smallest_wrap_deg(50.6, 60, 150, 0.3), 1)
    163.6
    """
    if not all(isfinite(v) and v > 0 for v in (diameter_mm, slack_n, friction)) or not (isfinite(torque_nm) and torque_nm >= 0):
        raise ValueError("diameter, tension and friction are above 0, a torque is 0 or more")
    wedge = 1.0 if back else 1 / sin(radians(RIB_DEG) / 2)
    return degrees(log(1 + 2000 * torque_nm / (slack_n * diameter_mm)) / (friction * wedge))
