"""What another pulley does to shaft speed, output, belt and limits."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, floor, hypot, pi
from typing import Literal

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.planning.belts import Contact, slip_torque_nm
from mavrik.core.planning.drive.belt import (
    MOST_MM,
    NEVER_SO_SMALL_MM,
    DriveBeltError,
    DrivePulley,
    belt_ways,
    drive_finding,
    read_belt,
)
from mavrik.core.planning.drive.documents import (
    AtSpeed,
    BeltChange,
    DriveProblemError,
    DriveRequest,
    DriveSpeed,
    DriveView,
    PulleyRange,
    ReadGain,
    SlackSide,
)
from mavrik.core.planning.drive.findings import of_engine, of_ribs, of_slip, of_speeds, of_wishes
from mavrik.core.planning.drive.turning import slowest_shaft_rpm
from mavrik.core.protection.documents import Finding, Severity, by_severity

TRIED_BEYOND = 0.15
"""So far beyond what is fitted, needed and allowed a diameter is still worth trying out."""

SAME_SPEED = 0.03
"""Two engine speeds that differ by more are not the same: an idling alternator's output rises steeply. Our choice, no source."""


def drive_in(circuit: Circuit, request: DriveRequest, planned: Circuit | None = None) -> DriveView | None:
    """What a drive comes to in a circuit; None where it does not add up, as what a file brings may not.

    circuit: where its alternator is, the main one if it has another by now; request: as for `plan_drive`
    planned: with the unit that is planned, where one is

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> drive_in(front_battery(12), DriveRequest(alternator_id="alternator", idle_rpm=900, cruise_rpm=800)) is None
    True
    """
    try:
        return plan_drive(unit_in(circuit, request), request, unit_in(planned, request) if planned is not None else None)
    except DriveProblemError:
        return None


def unit_in(circuit: Circuit, request: DriveRequest) -> Alternator:
    """The alternator that a drive is of; the main one where the circuit has another by now."""
    return next((a for a in circuit.alternators if a.id == request.alternator_id), circuit.alternator)


def plan_drive(unit: Alternator, request: DriveRequest, planned: Alternator | None = None) -> DriveView:
    """What a change of pulley does to shaft speed, output, belt and limits.

    unit: the alternator, whose curve or rating says what it gives; request: speeds, diameters, readings, wishes
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
    _check(request)
    ratio, ratio_from, slip = _ratio(unit, request)
    new = ratio * request.now_mm / request.new_mm if request.now_mm and request.new_mm else None

    def at(engine_rpm: float, pulley_mm: float, by: Alternator) -> AtSpeed:
        shaft = engine_rpm * pulley_mm
        cold = float(unit_output_a(by, shaft, table.reference_c))
        power = by.set_point_v * cold / table.alternator_efficiency
        return AtSpeed(
            shaft, cold, float(unit_output_a(by, shaft, table.hot_c)), request.limit_rpm is not None and shaft > request.limit_rpm,
            power, power / (2 * pi * shaft / 60), power / (2 * pi * engine_rpm / 60),
        )  # fmt: skip

    table, then = source_table(), planned or unit
    engine: tuple[tuple[Literal["idle", "cruise", "redline"], float], ...] = (
        ("idle", request.idle_rpm),
        ("cruise", request.cruise_rpm),
        ("redline", request.redline_rpm),
    )
    speeds = tuple(DriveSpeed(name, rpm, at(rpm, ratio, unit), at(rpm, new, then) if new else None) for name, rpm in engine)
    belt, belt_trouble = _belt(request, speeds)
    gain, gain_trouble = _gain(request)
    reach = _range(then, request, ratio)
    findings = [
        *of_speeds(request, speeds),
        *of_engine(request, speeds),
        *of_slip(slip),
        *of_wishes(then, request, speeds, reach),
        *belt_trouble,
        *gain_trouble,
    ]
    another = (then.rated_a, then.curve) != (unit.rated_a, unit.curve)
    return DriveView(
        label=unit.label, planned_label=then.label if another else None, ratio_now=ratio, ratio_from=ratio_from, ratio_new=new, slip=slip,
        cold_c=table.reference_c, hot_c=table.hot_c, speeds=speeds, pulley=reach, belt=belt, gain=gain, findings=by_severity(findings),
    )  # fmt: skip


def _check(request: DriveRequest) -> None:
    if request.cruise_rpm <= request.idle_rpm:
        raise DriveProblemError("cruise_rpm", "Cruising an engine turns faster than idling.")
    if request.redline_rpm <= request.cruise_rpm:
        raise DriveProblemError("redline_rpm", "The redline lies above cruising speed.")
    if (request.engine_read_rpm is None) != (request.shaft_read_rpm is None):
        field = "shaft_read_rpm" if request.shaft_read_rpm is None else "engine_read_rpm"
        raise DriveProblemError(field, "A tachometer reading is of engine and shaft, both at one moment.")
    if request.new_mm is not None and request.now_mm is None:
        raise DriveProblemError("now_mm", "What a new pulley does depends on the one it replaces: enter that, too.")


def _ratio(unit: Alternator, request: DriveRequest) -> tuple[float, Literal["tachometer", "diameters", "circuit"], float | None]:
    """Shaft speed over engine speed as found, what says so, and what slips."""
    promised = request.crank_mm / request.now_mm if request.crank_mm and request.now_mm else None
    if request.engine_read_rpm and request.shaft_read_rpm:
        read = request.shaft_read_rpm / request.engine_read_rpm
        return read, "tachometer", None if promised is None else 1 - read / promised
    if promised is not None:
        return promised, "diameters", None
    return unit.pulley_ratio, "circuit", None


def _range(unit: Alternator, request: DriveRequest, ratio: float) -> PulleyRange | None:
    """Between which diameters a pulley may lie."""
    if request.now_mm is None:
        return None
    driving = ratio * request.now_mm
    least: list[tuple[float, Literal["limit speed", "belt"]]] = []
    if request.limit_rpm is not None:
        least.append((driving * request.redline_rpm / request.limit_rpm, "limit speed"))
    if request.smallest_mm is not None:
        least.append((request.smallest_mm, "belt"))
    most = None
    if request.target_idle_a is not None and (shaft := slowest_shaft_rpm(unit, request.target_idle_a)) is not None:
        most = driving * request.idle_rpm / shaft
    mm, by = max(least, default=(None, None), key=lambda pair: pair[0] or 0.0)
    possible = request.target_idle_a is None or (most is not None and (mm is None or mm <= most))
    bounds = [d for d in (request.now_mm, mm, most) if d is not None]
    ends = min(bounds) * (1 - TRIED_BEYOND), max(bounds) * (1 + TRIED_BEYOND)
    # A diameter that was typed is in sight wherever it lies.
    typed = ends if request.new_mm is None else (min(ends[0], request.new_mm), max(ends[1], request.new_mm))
    return PulleyRange(mm, by, most, possible, max(floor(typed[0]), NEVER_SO_SMALL_MM + 1), min(ceil(typed[1]), MOST_MM))


def _belt(request: DriveRequest, speeds: Sequence[DriveSpeed]) -> tuple[BeltChange | None, tuple[Finding, ...]]:
    if request.crank_mm is None or request.now_mm is None or (request.centres_mm is None and not request.pulleys):
        return None, ()
    try:
        stock = [read_belt(name) for name in request.stock]
    except DriveBeltError as error:
        raise DriveProblemError("stock", str(error)) from error
    two = (
        DrivePulley(name="Driving pulley", part="driving", x_mm=0.0, y_mm=0.0),
        DrivePulley(name="Alternator", part="alternator", x_mm=request.centres_mm or 0.0, y_mm=0.0),
    )
    try:
        ways = belt_ways(
            request.pulleys or two,
            request.arm,
            request.belt_mm,
            request.crank_mm,
            request.now_mm,
            request.new_mm,
            stock,
            request.ribs,
        )
    except DriveBeltError as error:
        raise DriveProblemError("pulleys" if request.pulleys else "centres_mm", str(error)) from error
    now = _slack_side(ways.now.on(ways.alternator), [s.before for s in speeds], request.ribs)
    new = _slack_side(ways.new.on(ways.alternator), [s.after for s in speeds if s.after], request.ribs) if ways.new else None
    return BeltChange(ways.now, ways.new, now, new, ways.tensioner), (*ways.findings, *of_ribs(new or now, request.ribs))


def _slack_side(contact: Contact, turns: Sequence[AtSpeed], ribs: int | None) -> SlackSide:
    """At the hardest of some speeds; each newton of the slack side carries so much torque."""
    table, torque = source_table(), max(t.torque_nm for t in turns)
    least, worn = (torque / slip_torque_nm(contact, 1.0, f) for f in (table.belt_friction, table.belt_friction_worn))
    mean = worn + torque / (contact.pulley.diameter_mm / 1000)
    return SlackSide(least, worn, mean / ribs if ribs else None, ceil(mean / table.rib_tension_n))


def _gain(request: DriveRequest) -> tuple[ReadGain | None, list[Finding]]:
    """The gain by what was read, where both readings are of one engine speed."""
    if request.before is None or request.after is None:
        return None, []
    one, other = request.before.engine_rpm, request.after.engine_rpm
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
    u = hypot(request.before.u_a, request.after.u_a)
    gain = request.after.current_a - request.before.current_a
    return ReadGain(gain, u, abs(gain) > u), []
