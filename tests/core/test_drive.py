"""What a pulley does: by hand, by trying every diameter, and what contradicts itself."""

from __future__ import annotations

import math
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.sources import CurvePoint
from mavrik.core.circuit import Alternator
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.planning.drive import DriveProblemError, DriveReading, DriveRequest, plan_drive, slowest_shaft_rpm
from mavrik.core.planning.drive.belt import DriveBeltError, read_belt

CURVE = tuple(CurvePoint(shaft_rpm=rpm, output_a=a) for rpm, a in ((1000, 0), (1500, 40), (2000, 80), (3000, 130), (6000, 160)))
UNIT = Alternator(
    id="unit", label="Unit", stud_node="a", case_node="b", rated_a=160, set_point_v=14.4, curve=CURVE, pulley_ratio=2.5
)


def drive_request(**what: Any) -> DriveRequest:
    return DriveRequest(alternator_id="unit", **what)


def codes(request: DriveRequest) -> list[str]:
    return [f.code for f in plan_drive(UNIT, request).findings]


def test_speeds_and_output_by_hand() -> None:
    """150 mm on 60 mm: 2.5 times the engine's speed; on 50 mm 3 times. The curve is drawn at 25 degC; hot, 85 % of it is left."""
    drive = plan_drive(
        UNIT, drive_request(idle_rpm=800, cruise_rpm=2000, redline_rpm=5000, crank_mm=150, now_mm=60, new_mm=50, limit_rpm=16_000)
    )
    idle, cruise, redline = drive.speeds
    assert (idle.before.shaft_rpm, cruise.before.shaft_rpm, redline.before.shaft_rpm) == (2000, 5000, 12_500)
    assert (idle.before.cold_a, idle.before.hot_a) == pytest.approx((80, 68))
    assert idle.after is not None and idle.after.shaft_rpm == 2400 and idle.after.cold_a == pytest.approx(100)
    assert redline.after is not None and redline.after.shaft_rpm == 15_000 and not redline.after.over_limit
    assert drive.ratio_from == "diameters" and drive.ratio_new == pytest.approx(3.0)
    assert [f.code for f in drive.findings] == ["near_limit"]


def test_without_diameters_the_circuit_s_ratio_speaks_of_what_is_there() -> None:
    drive = plan_drive(UNIT, drive_request(idle_rpm=800, limit_rpm=18_000))
    assert drive.ratio_from == "circuit" and drive.speeds[0].before.shaft_rpm == 2000 and drive.speeds[0].after is None
    assert drive.ratio_new is None and drive.pulley is None and drive.belt is None and drive.gain is None


def test_one_idle_of_the_trade() -> None:
    """Common practice, no source: a smaller pulley took a shaft from 2,045 to 2,848 /min at one idle; 70 A and 125 A are 55 A, not 30."""
    read = {"engine_read_rpm": 800, "shaft_read_rpm": 2045}
    both = {
        "before": DriveReading(current_a=70, u_a=3, engine_rpm=800),
        "after": DriveReading(current_a=125, u_a=4, engine_rpm=810),
    }
    drive = plan_drive(UNIT, drive_request(now_mm=2848 / 2045 * 50, new_mm=50, idle_rpm=800, limit_rpm=18_000, **read, **both))
    assert drive.ratio_from == "tachometer" and drive.speeds[0].after is not None
    assert drive.speeds[0].after.shaft_rpm == pytest.approx(2848)
    assert drive.gain is not None and drive.gain.gain_a == 55 and drive.gain.u_a == 5 and drive.gain.sure


@pytest.mark.parametrize(("before", "after", "u", "sure"), [(70, 74, 3, False), (70, 75, 3, True), (80, 70, 3, True)])
def test_a_gain_within_its_uncertainty_is_not_sure(before: float, after: float, u: float, sure: bool) -> None:
    """3 A and 3 A of expanded uncertainty are 4.2 A of the difference (JCGM 100: root of the sum of squares)."""
    readings = {name: DriveReading(current_a=a, u_a=u, engine_rpm=800) for name, a in (("before", before), ("after", after))}
    drive = plan_drive(UNIT, drive_request(**readings)).gain
    assert drive is not None and drive.gain_a == after - before and drive.u_a == pytest.approx(18**0.5) and drive.sure is sure


def test_readings_at_two_engine_speeds_are_no_gain() -> None:
    request = drive_request(
        before=DriveReading(current_a=70, u_a=3, engine_rpm=700), after=DriveReading(current_a=125, u_a=4, engine_rpm=900)
    )
    assert plan_drive(UNIT, request).gain is None and "not_one_speed" in codes(request)


@given(
    crank=st.floats(80, 220),
    now=st.floats(40, 90),
    target_a=st.floats(10, 130),
    limit=st.floats(9000, 20_000),
    smallest=st.one_of(st.none(), st.floats(30, 70)),
    idle=st.floats(500, 1100),
    redline=st.floats(2500, 7000),
)
@settings(max_examples=150)
def test_just_the_diameters_in_the_range_give_it_without_overspeed(
    crank: float, now: float, target_a: float, limit: float, smallest: float | None, idle: float, redline: float
) -> None:
    """Every diameter tried, by division and the curve read by eye between its points."""
    engine = {"idle_rpm": idle, "cruise_rpm": (idle + redline) / 2, "redline_rpm": redline}
    request = drive_request(**engine, crank_mm=crank, now_mm=now, limit_rpm=limit, smallest_mm=smallest, target_idle_a=target_a)
    drive = plan_drive(UNIT, request)
    assert drive.pulley is not None

    def hot(shaft: float) -> float:
        for (r0, a0), (r1, a1) in zip(
            [(0, 0), *((p.shaft_rpm, p.output_a) for p in CURVE)], [(p.shaft_rpm, p.output_a) for p in CURVE], strict=False
        ):
            if shaft <= r1:
                return 0.85 * (a0 + (a1 - a0) * (shaft - r0) / (r1 - r0))
        return 0.85 * CURVE[-1].output_a

    least, most = drive.pulley.least_mm, drive.pulley.most_mm
    assert least is not None and most is not None
    for own in (10 + 0.5 * k for k in range(300)):
        assume(abs(own - least) > 1e-3 and abs(own - most) > 1e-3)
        good = hot(idle * crank / own) >= target_a and redline * crank / own <= limit and (smallest is None or own >= smallest)
        assert good == (least <= own <= most), own
    assert ("out_of_reach" in [f.code for f in drive.findings]) == (least > most) == (not drive.pulley.possible)
    # All of that is in sight where one is tried, and so is what was typed.
    assert drive.pulley.from_mm < min(least, now) and max(most, now) < drive.pulley.to_mm
    typed = plan_drive(UNIT, request.model_copy(update={"new_mm": 300.0})).pulley
    assert typed is not None and typed.to_mm >= 300 and typed.from_mm == drive.pulley.from_mm
    assert drive.pulley.least_by == ("belt" if smallest is not None and smallest >= crank * redline / limit else "limit speed")


@pytest.mark.parametrize(
    ("what", "code"),
    [
        ({"new_mm": 40, "limit_rpm": 18_000}, "overspeed"),
        ({"new_mm": 50}, "limit_unknown"),
        ({"new_mm": 50, "limit_rpm": 18_000, "target_idle_a": 150}, "beyond_the_unit"),
        ({"new_mm": 60, "limit_rpm": 18_000, "target_idle_a": 90}, "short_at_idle"),
        ({"limit_rpm": 18_000, "engine_read_rpm": 800, "shaft_read_rpm": 1800}, "slips"),
        ({"limit_rpm": 18_000, "engine_read_rpm": 800, "shaft_read_rpm": 2200}, "faster_than_its_pulleys"),
        ({"new_mm": 50, "limit_rpm": 18_000, "centres_mm": 300}, "belt_length"),
    ],
)
def test_what_has_to_be_said_is_said(what: dict[str, Any], code: str) -> None:
    request = drive_request(crank_mm=150, now_mm=60, redline_rpm=5000, **what)
    (finding,) = [f for f in plan_drive(UNIT, request).findings if f.code == code]
    assert finding.title and finding.why and finding.rule


def test_power_torque_and_tension_by_hand() -> None:
    """80 A at 14.4 V are 1,152 W; of what is put in 55 % come out; at 2,000 /min that is 10 Nm. On 60 mm, 333 N between both sides.

    Round all but 180 degrees ribs of 40 degrees at 0.3 hold e^(0.3 pi / sin 20) = 15.7 times the slack side's tension.
    """
    drive = plan_drive(
        UNIT, drive_request(idle_rpm=800, crank_mm=150, now_mm=60, centres_mm=3000, cruise_rpm=810, redline_rpm=820)
    )
    idle = drive.speeds[0].before
    assert idle.power_w == pytest.approx(80 * 14.4 / 0.55) and idle.torque_nm == pytest.approx(10.0, rel=1e-3)
    hardest = max(s.before.torque_nm for s in drive.speeds)
    assert drive.belt is not None
    wrap = math.radians(drive.belt.now.on("Alternator").wrap_deg)
    ratio = math.exp(0.3 * wrap / math.sin(math.radians(20)))
    assert ratio == pytest.approx(15.3, abs=0.5) and drive.belt.tension_now.least_n == pytest.approx(
        hardest / 0.030 / (ratio - 1)
    )


def test_a_smaller_pulley_takes_more_tension() -> None:
    drive = plan_drive(UNIT, drive_request(crank_mm=150, now_mm=60, new_mm=48, centres_mm=300)).belt
    assert drive is not None and drive.tension_new is not None and drive.tension_new.least_n > drive.tension_now.least_n > 0


def test_a_creeping_belt_is_none_that_slips() -> None:
    request = drive_request(crank_mm=150, now_mm=60, limit_rpm=18_000, engine_read_rpm=800, shaft_read_rpm=1960)
    drive = plan_drive(UNIT, request)
    assert drive.slip == pytest.approx(0.02) and not drive.findings


@pytest.mark.parametrize(
    ("what", "field"),
    [
        ({"idle_rpm": 2500}, "cruise_rpm"),
        ({"cruise_rpm": 6000}, "redline_rpm"),
        ({"engine_read_rpm": 800}, "shaft_read_rpm"),
        ({"shaft_read_rpm": 2000}, "engine_read_rpm"),
        ({"new_mm": 50}, "now_mm"),
        ({"crank_mm": 150, "now_mm": 60, "centres_mm": 90}, "centres_mm"),
    ],
)
def test_what_contradicts_itself_is_said_at_its_field(what: dict[str, Any], field: str) -> None:
    with pytest.raises(DriveProblemError) as caught:
        plan_drive(UNIT, drive_request(**what))
    assert caught.value.field == field


@given(st.floats(1, 136))
@settings(max_examples=60)
def test_the_slowest_shaft_gives_just_that(current: float) -> None:
    shaft = slowest_shaft_rpm(UNIT, current)
    if current > 0.85 * 160:
        assert shaft is None
        return
    assert shaft is not None
    drive = plan_drive(UNIT, drive_request(idle_rpm=shaft / 2.5, cruise_rpm=9000, redline_rpm=10_000)).speeds[0].before
    assert drive.hot_a == pytest.approx(current, rel=1e-6)


DRIVE: list[dict[str, Any]] = [
    {"name": "Crank", "part": "driving", "x_mm": 0, "y_mm": 0},
    {"name": "Unit", "part": "alternator", "x_mm": 260, "y_mm": 150},
    {"name": "Idler", "part": "tensioner", "diameter_mm": 70, "x_mm": 60, "y_mm": 190, "back": True},
    {"name": "Pump", "diameter_mm": 120, "x_mm": -120, "y_mm": 260},
]
ARM = {"x_mm": 0, "y_mm": 250, "slack_deg": -25, "tight_deg": 25}
TOLD = {"crank_mm": 150, "now_mm": 60, "limit_rpm": 18_000}


def test_a_tensioner_takes_up_what_a_smaller_pulley_leaves_of_the_belt() -> None:
    """The belt is one and the same: its way round both drives is as long, and the tensioner has moved towards its spring's end."""
    drive = plan_drive(UNIT, drive_request(pulleys=DRIVE, arm=ARM, new_mm=52, **TOLD))
    assert drive.belt is not None and drive.belt.new is not None and drive.belt.tensioner is not None
    at = drive.belt.tensioner
    assert at.now == pytest.approx(0.5, abs=0.01) and at.new is not None and 0 < at.new < at.now
    assert drive.belt.new.length_mm == pytest.approx(drive.belt.now.length_mm)
    assert [f.code for f in drive.findings] == ["taken_up"]
    moved = drive.belt.new.on("Idler").pulley
    # On its arm: as far from the pivot as before.
    assert math.hypot(moved.x_mm - 0, moved.y_mm - 250) == pytest.approx(math.hypot(60, 60))


def test_of_the_belts_to_hand_those_fit_that_the_tensioner_takes() -> None:
    drive = plan_drive(
        UNIT, drive_request(pulleys=DRIVE, arm=ARM, new_mm=52, stock=("1200", "1345", "1350", "1500"), **TOLD)
    ).belt
    assert drive is not None and drive.tensioner is not None
    at = drive.tensioner
    for belt in at.to_hand:
        assert (belt.share is not None) == (at.shortest_mm <= belt.length_mm <= at.longest_mm)
    fit = [b.share for b in at.to_hand if b.share is not None]
    # The shorter one stands nearer to the tight end.
    assert [b.length_mm for b in at.to_hand if b.share is not None] == [1345, 1350] and fit[0] > fit[1]


def test_belts_are_read_by_what_is_written_on_them() -> None:
    """Profile PK by ISO 9982, from memory; 71.5 in are 1816.1 mm."""
    named = [read_belt(n) for n in ("6PK1815", " 5 pk 1200 ", "1815 mm", "71,5in")]
    assert [(b.ribs, round(b.length_mm, 1)) for b in named] == [(6, 1815), (5, 1200), (None, 1815), (None, 1816.1)]
    for wrong in ("", "long", "6PK", "6PK9", "0PK1815", "6PK1815; 1", "٦PK1815", "99999"):
        with pytest.raises(DriveBeltError):
            read_belt(wrong)
    with pytest.raises(DriveProblemError) as refused:
        plan_drive(UNIT, drive_request(pulleys=DRIVE, arm=ARM, stock=("1345", "wide"), **TOLD))
    assert refused.value.field == "stock"


def test_a_belt_with_more_ribs_than_grooves_does_not_go_on_and_one_with_fewer_is_said() -> None:
    drive = plan_drive(
        UNIT, drive_request(pulleys=DRIVE, arm=ARM, ribs=6, stock=("5PK1345", "6PK1345", "7PK1345", "6PK1500"), **TOLD)
    ).belt
    assert drive is not None and drive.tensioner is not None
    to_hand = drive.tensioner.to_hand
    assert [b.fits for b in to_hand] == [True, True, False, False]
    assert [b.ribs_fit for b in to_hand] == ["fewer", "same", "more", "same"]


def test_belts_kept_by_their_length_alone_are_read() -> None:
    """As drives were kept before belts had names."""
    request = DriveRequest.model_validate({"alternator_id": "unit", "stock_mm": [1200, 1345.5]})
    assert request.stock == ("1200", "1345.5")


def test_ribs_carry_what_the_unit_takes_by_hand() -> None:
    """Mean of both sides of a belt that just does not slip: T2 + (T1 - T2) / 2, and T1 - T2 is twice the torque over the diameter."""
    drive = plan_drive(UNIT, drive_request(crank_mm=150, now_mm=60, centres_mm=300, limit_rpm=18_000, ribs=1))
    assert drive.belt is not None
    side, torque = drive.belt.tension_now, max(s.before.torque_nm for s in drive.speeds)
    wrap = math.pi - 2 * math.asin((150 - 60) / 600)
    ratio = math.exp(0.2 * wrap / math.sin(math.radians(20)))
    t2 = 2 * torque / 0.06 / (ratio - 1)
    assert side.worn_n == pytest.approx(t2) and side.least_n < side.worn_n
    assert side.rib_n == pytest.approx((t2 + t2 * ratio) / 2)
    assert side.ribs == math.ceil((t2 + t2 * ratio) / 2 / 135)
    assert [f.code for f in drive.findings] == ["too_few_ribs"] and f"{side.ribs} carry it" in drive.findings[0].title


def test_what_an_idling_engine_has_to_give_by_hand() -> None:
    """Power over angular speed, of the crankshaft: 14.4 V x 80 A / 0.55 at 800 /min."""
    idle = plan_drive(UNIT, drive_request(crank_mm=150, now_mm=60, idle_rpm=800, limit_rpm=18_000)).speeds[0]
    assert idle.before.crank_nm == pytest.approx(14.4 * 80 / 0.55 / (2 * math.pi * 800 / 60))
    small = {"crank_mm": 150, "now_mm": 60, "idle_rpm": 800, "limit_rpm": 18_000}
    assert codes(drive_request(engine_idle_nm=idle.before.crank_nm / 0.24, **small)) == []
    assert codes(drive_request(engine_idle_nm=idle.before.crank_nm / 0.26, **small)) == ["heavy_at_idle"]


def test_a_tensioner_without_the_travel_does_not() -> None:
    short = {**ARM, "slack_deg": -0.5}
    drive = plan_drive(UNIT, drive_request(pulleys=DRIVE, arm=short, new_mm=40, **TOLD))
    assert drive.belt is not None and drive.belt.tensioner is not None and drive.belt.tensioner.new is None
    (finding,) = [f for f in drive.findings if f.code == "not_taken_up"]
    assert f"{drive.belt.now.length_mm:.0f} mm" in finding.why


def test_a_belt_that_cannot_be_the_one_that_is_fitted_is_said() -> None:
    drive = plan_drive(UNIT, drive_request(pulleys=DRIVE, arm=ARM, belt_mm=2500, **TOLD))
    assert [f.code for f in drive.findings] == ["belt_does_not_fit"]


def test_without_an_arm_the_belt_s_length_changes() -> None:
    fixed = [{**p, "part": "other"} if p["name"] == "Idler" else p for p in DRIVE]
    drive = plan_drive(UNIT, drive_request(pulleys=fixed, new_mm=52, **TOLD))
    assert [f.code for f in drive.findings] == ["belt_length"] and drive.belt is not None and drive.belt.tensioner is None


@pytest.mark.parametrize(
    ("pulleys", "arm", "words"),
    [
        (DRIVE[1:], None, "one driving pulley, not 0"),
        ([DRIVE[0], *DRIVE[2:]], None, "one alternator, not 0"),
        ([*DRIVE, {**DRIVE[2], "name": "Second"}], ARM, "one tensioner, not 2"),
        ([*DRIVE[:2], DRIVE[3]], ARM, "say which one is the tensioner"),
        ([*DRIVE[:3], {**DRIVE[3], "diameter_mm": None}], None, "Pump has no diameter"),
        (DRIVE, {**ARM, "slack_deg": 5, "tight_deg": 5}, "no travel"),
        (DRIVE, {**ARM, "slack_deg": 25, "tight_deg": -25}, "swap the ends"),
        ([DRIVE[0], {**DRIVE[1], "x_mm": 10, "y_mm": 0}], None, "overlap"),
    ],
)
def test_a_drive_that_cannot_be_is_said_at_its_pulleys(
    pulleys: list[dict[str, Any]], arm: dict[str, Any] | None, words: str
) -> None:
    with pytest.raises(DriveProblemError, match=words) as caught:
        plan_drive(UNIT, drive_request(pulleys=pulleys, arm=arm, **TOLD))
    assert caught.value.field == "pulleys"


def test_a_pulley_in_the_belt_s_way_is_said() -> None:
    """One between two of 100 mm, so large that it reaches through to the other span."""
    pulleys = [
        {"name": "Crank", "part": "driving", "x_mm": 0, "y_mm": 0},
        {"name": "Unit", "part": "alternator", "x_mm": 400, "y_mm": 0},
        {"name": "Fan", "diameter_mm": 120, "x_mm": 200, "y_mm": 0},
    ]
    drive = plan_drive(UNIT, drive_request(pulleys=pulleys, crank_mm=100, now_mm=100, limit_rpm=18_000))
    assert [(f.code, f.title) for f in drive.findings] == [("in_the_way", "The belt runs into Fan")]


def test_what_comes_after_is_of_the_unit_that_is_planned() -> None:
    """2000 /min on 156 mm and 60 mm are 5200 of the shaft; twice the rating gives twice as much, hot and cold."""
    unit = build_layout("front_battery", 12).alternator
    request = DriveRequest(alternator_id=unit.id, crank_mm=156, now_mm=60, new_mm=52)
    alone = plan_drive(unit, request)
    planned = plan_drive(unit, request, unit.model_copy(update={"rated_a": 2 * unit.rated_a, "label": "Twice"}))
    assert alone.planned_label is None and planned.planned_label == "Twice"
    for one, other in zip(alone.speeds, planned.speeds, strict=True):
        assert other.before == one.before and one.after and other.after
        assert other.after.shaft_rpm == one.after.shaft_rpm
        assert other.after.hot_a == pytest.approx(2 * one.after.hot_a)
