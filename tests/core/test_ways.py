"""Ways that leads share: clamps, sleeves and bends counted by hand; bundles against known packings and against packings found by search."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.fabrication.bench import Shop, build_bill, build_view
from mavrik.core.fabrication.cards import lead_cards
from mavrik.core.fabrication.documents import BuildBook, LeadSpec, Passage, Surroundings, Way, WayStretch, check_book
from mavrik.core.fabrication.stock import PartKind, PartSpec, StockItem, serves, usual_stock
from mavrik.core.fabrication.ways import BESIDE_MOVING_MM, CLAMPED_MM, WayView, bundle_mm, way_views

CAR = build_layout("front_battery", 12)
WING = Way(
    id="wing",
    label="Inner wing",
    stretches=(
        WayStretch(length_mm=900, ends_at=Passage.GROMMET, what="firewall"),
        WayStretch(length_mm=300, where=Surroundings.CABIN),
        WayStretch(length_mm=500, where=Surroundings.CABIN, ends_at=Passage.NOTHING),
    ),
)


def book(*ways: Way, **leads: str) -> BuildBook:
    return BuildBook(ways=ways, leads=tuple(LeadSpec(branch_id=i, way=w) for i, w in leads.items()), anew=tuple(leads))


def view(way: Way, *leads: str) -> WayView:
    (shown,) = way_views(CAR, book(way, **dict.fromkeys(leads, way.id)))
    return shown


@pytest.mark.parametrize(
    ("count", "ratio"), [(1, 1.0), (2, 2.0), (3, 1 + 2 / math.sqrt(3)), (4, 1 + math.sqrt(2)), (5, 2.7013), (6, 3.0), (7, 3.0)]
)
def test_equal_cables_fit_as_tightly_as_anybody_knows_and_little_looser(count: int, ratio: float) -> None:
    """Best known packings of equal circles in a circle (Graham and others 1998), ratios from memory; up to four by geometry."""
    assert ratio <= bundle_mm([1.0] * count) <= 1.12 * ratio


def fits(diameters: list[float], in_mm: float) -> bool:
    """Whether the circles can be laid inside one another's reach of that circle: a search that knows nothing of the formula."""
    r = np.array(diameters) / 2
    pairs = [(i, j) for i in range(len(r)) for j in range(i)]

    def overlap(at: np.ndarray) -> float:
        xy = at.reshape(-1, 2)
        out = np.maximum(np.hypot(*xy.T) + r - in_mm / 2, 0)
        over = [max(r[i] + r[j] - float(np.hypot(*(xy[i] - xy[j]))), 0.0) for i, j in pairs]
        return float((out**2).sum() + np.square(over).sum())

    dice = np.random.default_rng(7)
    for _ in range(60):
        optimum = minimize(overlap, dice.normal(0, in_mm / 4, 2 * len(r)), method="L-BFGS-B")
        if optimum.fun < 1e-4:
            return True
    return False


@given(st.lists(st.floats(6.0, 20.0), min_size=3, max_size=6))
@settings(max_examples=12, derandomize=True)
def test_cables_of_any_sizes_can_be_laid_in_the_bundle_that_is_said(diameters: list[float]) -> None:
    assert fits(diameters, bundle_mm(diameters) * 1.01)


def test_clamps_are_never_too_far_apart_and_closer_beside_what_moves() -> None:
    assert [(m.kind, m.at_mm) for m in view(WING).marks] == [
        (Passage.CLAMP, 450), (Passage.GROMMET, 900), (Passage.CLAMP, 1200), (Passage.CLAMP, 1450),
    ]  # fmt: skip
    for moving, most in ((False, CLAMPED_MM), (True, BESIDE_MOVING_MM)):
        for length in (10.0, 199.0, 200.0, 451.0, 1350.0, 4321.0):
            held = [
                0.0,
                *(m.at_mm for m in view(Way(id="w", label="W", stretches=(WayStretch(length_mm=length, moving=moving),))).marks),
            ]
            assert held[-1] == length and max(b - a for a, b in pairwise(held)) <= most + 1e-6


def test_what_is_outside_the_cabin_is_sleeved_and_a_panel_ends_a_sleeve() -> None:
    hot = WayStretch(length_mm=250, where=Surroundings.HOT)
    stretches = (WayStretch(length_mm=400), WayStretch(length_mm=200, where=Surroundings.OUTSIDE), hot, *WING.stretches)
    seen = view(Way(id="w", label="W", stretches=stretches), "charge_cable")
    assert [(s.kind, s.from_mm, s.to_mm) for s in seen.sleeves] == [
        ("sleeve", 0, 600),
        ("heat_sleeve", 600, 850),
        ("sleeve", 850, 1750),
    ]
    assert seen.bundle_mm and all(s.inner_mm > seen.bundle_mm for s in seen.sleeves)
    assert seen.holds_mm and seen.holds_mm > seen.bundle_mm
    assert any("hand's width" in w for w in seen.says) and any("deburred" in w for w in seen.says)
    twice = view(Way(id="w", label="W", stretches=(WING.stretches[0], WING.stretches[0])), "charge_cable")
    assert [(s.from_mm, s.to_mm) for s in twice.sleeves] == [(0, 900), (900, 1800)]


def test_a_bend_that_is_too_tight_and_a_way_shorter_than_the_straight_line_are_said() -> None:
    seen = view(WING, "charge_cable")
    assert seen.bend_mm is not None and not seen.problems
    tight = WING.model_copy(
        update={"stretches": (WING.stretches[0].model_copy(update={"radius_mm": seen.bend_mm - 1}), *WING.stretches[1:])}
    )
    (problem,) = view(tight, "charge_cable").problems
    assert problem.startswith("Stretch 1, to firewall: bent to")
    assert view(tight).problems == (), "nothing is bent where nothing lies"
    (short,) = view(WING.model_copy(update={"straight_mm": 1701.0})).problems
    assert "shorter than the straight line of 1701 mm" in short
    assert view(WING.model_copy(update={"straight_mm": 1700.0})).problems == ()


def test_a_lead_is_as_long_as_its_way_and_its_tails() -> None:
    specs = (
        LeadSpec(branch_id="charge_cable", way="wing", from_tail_mm=120, to_tail_mm=80, slack=0.0),
        LeadSpec(branch_id="block_ground", way="wing", slack=0.0),
    )
    first, second = lead_cards(CAR, CAR, BuildBook(ways=(WING,), leads=specs, anew=("charge_cable", "block_ground")))
    assert (first.finished_mm, second.finished_mm) == (1900, 1700)
    assert not any("string" in a for c in (first, second) for a in c.assumed)


def test_no_such_way_a_way_twice_and_a_string_beside_a_way_are_refused_at_their_place() -> None:
    wrong = BuildBook(
        ways=(WING, WING), leads=(LeadSpec(branch_id="a", way="sill"), LeadSpec(branch_id="b", way="wing", route_mm=900)),
    )  # fmt: skip
    assert [(p.element, p.field) for p in check_book(wrong)] == [("wing", "id"), ("a", "way"), ("b", "route_mm")]
    endless = Way(id="w", label="W", stretches=(WayStretch(length_mm=20_000),) * 3)
    assert [(p.element, p.field, p.message) for p in check_book(BuildBook(ways=(endless,)))] == [
        ("w", "stretches", "W is 60 m long: no lead is longer than 50 m.")
    ]


def test_steps_and_bill_have_what_a_way_takes_once_however_many_leads_lie_on_it() -> None:
    laid = book(WING, charge_cable="wing", block_ground="wing")
    steps = {s.id: s.text for s in build_view(CAR, CAR, laid, usual_prices()).steps}
    assert (
        "Lay Charge cable along Inner wing, in ribbed sleeve, through grommet at firewall, held by 3 clamps, draw"
        in steps["fit:charge_cable"]
    )
    shop = Shop(usual_prices(), usual_units(), usual_stock())
    lines = {
        x.id.split(":")[0]: x
        for x in build_bill(CAR, CAR, laid, shop).lines
        if x.id.split(":")[0] in ("clip", "grommet", "conduit")
    }
    assert lines["clip"].required == 3 and lines["grommet"].required == 1 and lines["conduit"].required == pytest.approx(0.9)
    assert all(x.number and not x.unpriced for x in lines.values())
    stays = laid.model_copy(update={"anew": ()})
    assert not build_bill(CAR, CAR, stays, shop).lines


@pytest.mark.parametrize(("inner", "takes"), [(12, False), (13, True), (20, True), (21, False)])
def test_a_clamp_serves_what_it_holds_tight(inner: float, takes: bool) -> None:
    clip = StockItem(number="C", label="Clamp", kind=PartKind.CLIP, inner_mm=inner, price="0.40")
    assert serves(clip, PartSpec(kind=PartKind.CLIP, inner_mm=13)) is takes
