"""What there is to say of a drive."""

from __future__ import annotations

from collections.abc import Sequence

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Alternator
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.planning.drive.belt import (
    drive_finding,
)
from mavrik.core.planning.drive.documents import (
    DriveRequest,
    DriveSpeed,
    PulleyRange,
    SlackSide,
)
from mavrik.core.planning.drive.turning import slowest_shaft_rpm
from mavrik.core.protection.documents import Finding, Severity

SLIPS_FROM = 0.03
"""A shaft this much slower than its pulleys say slips: ribbed belts creep by one per cent or two. Common practice, no source."""

CROWDED = 0.9
"""Above this share of its limit speed at redline a unit has little left for an over-revving engine. Our choice, no source."""

MUCH_AT_IDLE = 0.25
"""Of its torque at idle, more than this is felt. Common practice, rough, no source."""


def of_ribs(side: SlackSide, ribs: int | None) -> list[Finding]:
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


def of_speeds(request: DriveRequest, speeds: Sequence[DriveSpeed]) -> list[Finding]:
    """What shaft speeds say: beyond the limit, near it, or nobody knows it."""
    redline = speeds[-1]
    shaft = (redline.after or redline.before).shaft_rpm
    if request.limit_rpm is None:
        return [
            drive_finding(
                "limit_unknown",
                Severity.WARNING,
                "The unit's limit speed is not known",
                f"At redline the shaft turns {shaft:.0f} /min. Ask its maker before a smaller pulley is fitted.",
                "A rotor beyond its limit speed comes apart.",
            )
        ]
    share = shaft / request.limit_rpm
    if share > 1:
        return [
            drive_finding(
                "overspeed",
                Severity.DANGER,
                f"Overspeed: {shaft:.0f} /min at redline",
                f"The unit's limit is {request.limit_rpm:.0f} /min. Windings and slip rings come off the rotor; parts leave the case.",
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


def of_engine(request: DriveRequest, speeds: Sequence[DriveSpeed]) -> list[Finding]:
    """An idling engine that the alternator asks much of."""
    idle = speeds[0].after or speeds[0].before
    if request.engine_idle_nm is None or idle.crank_nm <= MUCH_AT_IDLE * request.engine_idle_nm:
        return []
    return [
        drive_finding(
            "heavy_at_idle",
            Severity.WARNING,
            f"{idle.crank_nm / request.engine_idle_nm:.0%} of what the engine has at idle",
            f"At full output the alternator takes {idle.crank_nm:.0f} Nm of the crankshaft. The idle may sag or hunt when it comes on at once: "
            "a faster idle, or a regulator that comes on slowly.",
            f"Above {MUCH_AT_IDLE:.0%} an idle has little to spare.",
        )
    ]


def of_slip(slip: float | None) -> list[Finding]:
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


def of_wishes(unit: Alternator, request: DriveRequest, speeds: Sequence[DriveSpeed], reach: PulleyRange | None) -> list[Finding]:
    """Whether what is wanted at a hot idle can be had, and what stands against it."""
    if request.target_idle_a is None:
        return []
    wanted_a = request.target_idle_a
    if slowest_shaft_rpm(unit, wanted_a) is None:
        most = max(float(unit_output_a(unit, rpm, source_table().hot_c)) for rpm in (3000.0, 6000.0, 12_000.0))
        return [
            drive_finding(
                "beyond_the_unit",
                Severity.WARNING,
                f"No pulley gives {wanted_a:.0f} A hot",
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
                f"No pulley gives {wanted_a:.0f} A at a hot idle",
                f"That takes {reach.most_mm:.1f} mm or less, and the {reach.least_by} asks for {reach.least_mm:.1f} mm or more: "
                "a unit that gives more at low speed, a faster idle, or less load.",
                "Between the smallest pulley that is allowed and the largest that gives enough there has to be room.",
            )
        ]
    idle = speeds[0].after or speeds[0].before
    if idle.hot_a < wanted_a:
        return [
            drive_finding(
                "short_at_idle",
                Severity.WARNING,
                f"{idle.hot_a:.0f} A at a hot idle, {wanted_a:.0f} A wanted",
                f"{reach.most_mm:.1f} mm or less does.",
                "Hot windings give less: what counts is the output at a hot idle.",
            )
        ]
    return []
