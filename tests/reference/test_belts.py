"""Belts against the textbook's closed form, against a string pulled round sampled circles, and against a drive worked by hand."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from math import acos, asin, cos, degrees, exp, hypot, pi, radians, sin, sqrt, tan

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from mavrik.core.planning.belts import (
    BeltError,
    Pulley,
    Tensioner,
    moved,
    open_belt,
    route,
    slip_torque_nm,
    smallest_wrap_deg,
    tension_ratio,
    travel,
)

SIZES = st.floats(30.0, 250.0)


@given(SIZES, SIZES, st.floats(0.01, 600.0))
@settings(max_examples=80)
def test_two_pulleys_are_the_textbook_s(large: float, small: float, gap: float) -> None:
    """Shigley, Mechanical Engineering Design, flexible elements, from memory, written the way of another textbook: by the angle of a span."""
    centres = (large + small) / 2 + gap
    way = route([Pulley("a", large, 0, 0), Pulley("b", small, centres * cos(0.7), centres * sin(0.7))])
    lean = asin((large - small) / (2 * centres))
    expected = 2 * centres * cos(lean) + pi * (large + small) / 2 + lean * (large - small)
    assert (
        way.length_mm == pytest.approx(expected, rel=1e-9) == pytest.approx(open_belt(large, small, centres).length_mm, rel=1e-9)
    )
    wraps = sorted(c.wrap_deg for c in way.contacts)
    assert wraps == pytest.approx([180 - 2 * abs(degrees(lean)), 180 + 2 * abs(degrees(lean))])
    assert [open_belt(large, small, centres).wrap_small_deg, open_belt(large, small, centres).wrap_large_deg] == pytest.approx(
        wraps
    )


def pulled_tight(pulleys: list[Pulley]) -> float:
    """Length of a string round circles that all lie within it: the rim of what their points span. No tangent is computed."""
    turn = np.linspace(0, 2 * pi, 4001)[:-1]
    points = np.concatenate(
        [np.column_stack((p.x_mm + p.diameter_mm / 2 * np.cos(turn), p.y_mm + p.diameter_mm / 2 * np.sin(turn))) for p in pulleys]
    )
    rim = points[ConvexHull(points).vertices]
    return float(np.hypot(*(np.roll(rim, -1, axis=0) - rim).T).sum())


@given(st.lists(st.tuples(SIZES, st.floats(0.85, 1.15)), min_size=3, max_size=7), st.floats(0, 6.28), st.booleans())
@settings(max_examples=80)
def test_a_ring_of_pulleys_is_as_long_as_a_string_pulled_round_it(
    some: list[tuple[float, float]], turned: float, back: bool
) -> None:
    """Three to seven pulleys, each a corner of the ring; gone round either way."""
    angles = turned + 2 * pi * np.arange(len(some)) / len(some)
    reach = 130 / sin(pi / len(some)) + 60
    pulleys = [
        Pulley(f"p{k}", d, float(reach * r * cos(a)), float(reach * r * sin(a)))
        for k, ((d, r), a) in enumerate(zip(some, angles, strict=True))
    ]
    pulleys = pulleys[::-1] if back else pulleys
    try:
        way = route(pulleys)
    except BeltError:
        # A small one between two large ones lies within the string, which does not touch it.
        return
    assume(all(c.wrap_deg > 0.5 for c in way.contacts))
    assert way.length_mm == pytest.approx(pulled_tight(pulleys), rel=2e-6)
    assert sum(c.wrap_deg for c in way.contacts) == pytest.approx(360) and not way.touches
    assert {c.sense for c in way.contacts} == {-1 if back else 1}


def test_a_drive_with_a_back_side_idler_by_hand() -> None:
    """Two pulleys of 100 mm 400 mm apart, and an idler of 80 mm on the belt's back in the middle, its centre 30 mm above theirs' line.

    Without it the upper span would run 50 mm above the line of centres; the idler's lower rim is at -10 mm. From a centre to the
    idler's it is sqrt(200^2 + 30^2); the inner tangent leaves at the angle whose cosine is (50 + 40) over that.
    """
    drive = [Pulley("crank", 100, 0, 0), Pulley("alternator", 100, 400, 0), Pulley("idler", 80, 200, 30, back=True)]
    way = route(drive)
    slant = hypot(200, 30)
    span = sqrt(slant**2 - 90**2)
    up, open_angle = asin(30 / slant), acos(90 / slant)
    # On a large pulley from straight down to where the inner tangent leaves it, up + open_angle above the line of centres.
    wrap = pi / 2 + up + open_angle
    # Symmetry: measured from the side that faces the idler, the belt lies on what is left of the whole turn.
    large = 2 * pi - wrap
    # The idler's own: between the two tangents, either side of straight down.
    idler = pi - 2 * (up + open_angle)
    assert way.on("alternator").wrap_deg == pytest.approx(degrees(large)) == pytest.approx(way.on("crank").wrap_deg)
    assert way.on("idler").wrap_deg == pytest.approx(degrees(abs(idler)))
    assert way.length_mm == pytest.approx(400 + 2 * span + 2 * 50 * large + 40 * abs(idler))
    assert way.on("idler").sense == -way.on("crank").sense and not way.touches


@given(
    st.lists(st.tuples(SIZES, st.floats(-400, 400), st.floats(-400, 400), st.booleans()), min_size=2, max_size=6),
    st.floats(0, 6.28),
    st.floats(-500, 500),
)
@settings(max_examples=150)
def test_a_route_holds_together_and_does_not_depend_on_how_it_is_drawn(
    some: list[tuple[float, float, float, bool]], turned: float, shift: float
) -> None:
    drive = [Pulley(f"p{k}", d, x, y, back) for k, (d, x, y, back) in enumerate(some)]
    try:
        way = route(drive)
    except BeltError:
        return
    for a, b in pairwise((*way.contacts, way.contacts[0])):
        assert hypot(b.arrives[0] - a.leaves[0], b.arrives[1] - a.leaves[1]) == pytest.approx(a.span_mm, abs=1e-6)
    for c in way.contacts:
        for x, y in (c.arrives, c.leaves):
            assert hypot(x - c.pulley.x_mm, y - c.pulley.y_mm) == pytest.approx(c.pulley.diameter_mm / 2)
    # No string round the same pulleys is shorter than the one that leaves those on its back aside.
    inside = [p for p in drive if not p.back]
    if len(inside) > 2 and not way.touches:
        assert way.length_mm >= pulled_tight(inside) * (1 - 1e-5) - 1e-6
    others = [
        [replace(p, x_mm=p.x_mm * cos(turned) - p.y_mm * sin(turned) + shift, y_mm=p.x_mm * sin(turned) + p.y_mm * cos(turned)) for p in drive],
        [replace(p, x_mm=-p.x_mm) for p in drive],
        drive[::-1],
        [*drive[1:], drive[0]],
    ]  # fmt: skip
    for other in others:
        again = route(other)
        assert again.length_mm == pytest.approx(way.length_mm, rel=1e-6) and len(again.touches) == len(way.touches)
        for c in way.contacts:
            assert again.on(c.pulley.name).wrap_deg == pytest.approx(c.wrap_deg, abs=1e-4)


def test_a_smaller_pulley_asks_for_a_shorter_belt() -> None:
    """Common practice, no source: one conversion needed 87.5 in in place of 88.25 in, 19 mm; a pulley of half a turn 12 mm smaller does."""
    inch = 25.4
    drive = [Pulley("crank", 160, 0, 0), Pulley("pump", 140, 0, 420), Pulley("alternator", 62, 320, 380)]
    before = route(drive)
    after = route([*drive[:2], replace(drive[2], diameter_mm=50)])
    share = before.on("alternator").wrap_deg / 360
    assert before.length_mm - after.length_mm == pytest.approx(pi * 12 * share, rel=0.02)
    assert 0.4 * inch < before.length_mm - after.length_mm < 0.8 * inch
    assert after.on("alternator").wrap_deg < before.on("alternator").wrap_deg


BAD: dict[str, tuple[list[Pulley], str]] = {
    "one": ([Pulley("a", 100, 0, 0)], "two pulleys at least"),
    "overlap": ([Pulley("a", 100, 0, 0), Pulley("b", 100, 90, 0)], "a and b overlap"),
    "one inside another": ([Pulley("a", 100, 0, 0), Pulley("b", 20, 10, 0)], "a and b overlap"),
    "no diameter": ([Pulley("a", 0, 0, 0), Pulley("b", 20, 10, 0)], "a has no diameter"),
    "no number": ([Pulley("a", float("nan"), 0, 0), Pulley("b", 20, 10, 0)], "a has no diameter"),
    "twice": ([Pulley("a", 20, 0, 0), Pulley("a", 20, 100, 0)], "same name"),
    "out of reach": (
        [Pulley("a", 100, 0, 0), Pulley("b", 100, 400, 0), Pulley("idler", 80, 200, 200, back=True)],
        "does not lie on idler with its back",
    ),
    "crossed": ([Pulley("a", 60, 0, 0), Pulley("b", 60, 400, 300), Pulley("c", 60, 400, 0), Pulley("d", 60, 0, 300)], "would cross"),
}  # fmt: skip


@pytest.mark.parametrize("what", BAD)
def test_a_drive_that_no_belt_goes_round_is_refused_by_name(what: str) -> None:
    drive, words = BAD[what]
    with pytest.raises(BeltError, match=words):
        route(drive)


def test_a_pulley_in_the_way_of_a_span_is_named() -> None:
    """One so large that it stands in the span it has nothing to do with."""
    drive = [Pulley("crank", 100, 0, 0), Pulley("fan", 100, 400, 0), Pulley("pump", 60, 200, 40)]
    assert route(drive).touches == ()
    assert route([*drive[:2], Pulley("pump", 120, 200, 0)]).touches == (("crank", "fan", "pump"),)


DRIVE = [Pulley("crank", 160, 0, 0), Pulley("alternator", 60, 300, 60), Pulley("tensioner", 70, 160, 150)]
ARM = Tensioner("tensioner", 160, 250, 80, 90, 250)


@given(st.floats(0.02, 0.98))
@settings(max_examples=30)
def test_a_tensioner_stands_where_the_belt_is_as_long_as_its_way(share: float) -> None:
    belt = route(moved(DRIVE, ARM, share)).length_mm
    settled = travel(DRIVE, ARM).with_belt(belt)
    assert settled.share is not None
    assert route(moved(DRIVE, ARM, settled.share)).length_mm == pytest.approx(belt, abs=1e-6)
    assert settled.shortest_mm <= belt <= settled.longest_mm


def test_a_belt_beyond_the_travel_is_not_taken_up() -> None:
    ends = travel(DRIVE, ARM).with_belt(1000)
    assert ends.shortest_mm < ends.longest_mm
    for belt in (ends.shortest_mm - 1, ends.longest_mm + 1):
        assert travel(DRIVE, ARM).with_belt(belt).share is None
    with pytest.raises(KeyError):
        travel(DRIVE, replace(ARM, pulley="fan"))
    with pytest.raises(BeltError, match="above 0"):
        travel(DRIVE, ARM).with_belt(float("nan"))


def test_slip_is_the_capstan_s() -> None:
    """Euler and Eytelwein: e^(mu theta); a rib of 40 degrees wedges by 1 / sin 20 degrees = 2.92."""
    assert tension_ratio(180, 0.3, None) == pytest.approx(exp(0.3 * pi))
    assert tension_ratio(90, 0.2) == pytest.approx(exp(0.2 * (pi / 2) / sin(radians(20))))
    # The capstan's limit by steps: each small piece of the arc adds mu N, and N is what both sides press with.
    tension, steps = 1.0, 20_000
    for _ in range(steps):
        press = 2 * tension * tan(radians(150) / steps / 2)
        tension += 0.3 * press
    assert tension_ratio(150, 0.3, None) == pytest.approx(tension, rel=1e-3)


@given(st.floats(1, 100), SIZES, st.floats(10, 600), st.floats(0.1, 0.6), st.booleans())
@settings(max_examples=60)
def test_the_smallest_wrap_carries_just_that_torque(
    torque: float, diameter: float, slack: float, friction: float, back: bool
) -> None:
    wrap = smallest_wrap_deg(torque, diameter, slack, friction, back)
    contact = route([Pulley("a", 200, 0, 0), Pulley("b", 60, 400, 0)]).on("b")
    held = replace(contact, wrap_deg=wrap, pulley=replace(contact.pulley, diameter_mm=diameter, back=back))
    assert slip_torque_nm(held, slack, friction) == pytest.approx(torque)
