"""Ways to join a conductor and its lug, on which practitioners disagree: what each asks, step by step."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.circuit import TerminationKind

SOLDER_WIRE_MM = 2.0
"""Of the solder whose length is said. Common practice."""
COOLS_S = 60.0
"""A soldered lug stands still so long. Common practice, no source."""
SETS_S = 120.0
"""Until the glue of a sleeve carries. Common practice, no source."""


class School(StrEnum):
    """How an end is joined."""

    CRIMP = "crimp"
    CRIMP_SOLDER = "crimp_solder"
    SOLDER_CUP = "solder_cup"
    TUBE = "tube"


SCHOOL_WORDS: dict[School, tuple[str, str]] = {
    School.CRIMP: (
        "Crimp",
        "The usual way here: solder wicks and stiffens the strands where they flex, and softens in a fault. It asks for the die of that lug.",
    ),
    School.CRIMP_SOLDER: (
        "Crimp, then solder",
        "The crimp carries, solder keeps air out. A little at the lug only, none past the barrel; the cable is held within a hand's width of "
        "the lug, so that it does not flex where the solder ends.",
    ),
    School.SOLDER_CUP: (
        "Solder cup",
        "Without a press. The cup is filled once, the cable stands still until it is cold; it is held within a hand's width of the lug. Not "
        "where a fault may heat it: tin-lead solder is soft from 183 °C on.",
    ),
    School.TUBE: (
        "Lug of copper tube",
        "Where no lug is to be had. As much metal beside the hole as in the conductor, no sharp edge, pressed by an indent: no hex die is made "
        "for it.",
    ),
}
"""Each with what it asks. Common practice, no source; tin-lead eutectic at 183 degC."""


@dataclass(frozen=True)
class Action:
    """A thing to do at the bench, and how long to wait after it."""

    text: str
    wait_s: float = 0.0


def school_of(kind: TerminationKind) -> School:
    """The way in which a circuit's end is made; one that nobody has seen is made as is usual.

    >>> school_of(TerminationKind.SOLDER)
    <School.SOLDER_CUP: 'solder_cup'>
    """
    return {TerminationKind.CRIMP_SOLDER: School.CRIMP_SOLDER, TerminationKind.SOLDER: School.SOLDER_CUP}.get(kind, School.CRIMP)


def joining(school: School, what: str, solder_mm: float, tube: str, press: str) -> tuple[Action, ...]:
    """The steps that join a stripped end and its lug.

    school: the way; what: the lug in words, "the 25 mm2 lug for M8"; solder_mm: solder of 2 mm that fills a cup [mm], where it is one;
    tube: what a home-made lug is cut from, in words; press: how it is pressed on, where it is

    >>> [a.wait_s for a in joining(School.SOLDER_CUP, "the lug", 75, "", "")]
    [0.0, 60.0]
    """
    if school is School.CRIMP_SOLDER:
        return (
            Action(press),
            Action("Warm the barrel and let a little solder run in at the inspection hole: no more than shows there.", COOLS_S),
        )
    if school is School.SOLDER_CUP:
        return (
            Action(f"Stand {what} upright, warm it, and melt {solder_mm:.0f} mm of {SOLDER_WIRE_MM:g} mm solder into the cup."),
            Action("Plunge the fluxed end in to the bottom, take the flame away, and hold it still until it is cold.", COOLS_S),
        )
    if school is School.TUBE:
        return (
            Action(f"Make {what}: {tube}. Break every edge."),
            Action(press),
        )
    return (Action(press),)
