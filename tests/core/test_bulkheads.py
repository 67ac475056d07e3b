"""Studs through a panel: what lies on which side, what crosses it, and what it asks of the work; on a vehicle whose battery is in the rear."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import Shop, build_bill, build_view
from mavrik.core.fabrication.bulkheads import bulkheads_to_fit
from mavrik.core.fabrication.cards import lead_cards
from mavrik.core.fabrication.documents import BuildBook, BulkheadStud, LeadSpec, Passage, StudThread, Way, WayStretch, check_book
from mavrik.core.fabrication.points import WiredPoint, wired_points
from mavrik.core.fabrication.stock import PartKind, PartSpec, StockItem, serves, usual_stock
from mavrik.core.fabrication.ways import way_views
from mavrik.core.operating.prediction import at_output, predict

REAR = build_layout("rear_battery", 12)
STUD = BulkheadStud(node_id="bulkhead", through="firewall", far=("long_feed",))
MADE = ("charge_cable", "long_feed")


def book(stud: BulkheadStud = STUD, **more: object) -> BuildBook:
    return BuildBook.model_validate({"bulkheads": (stud,), "anew": MADE, **more})


def at(known: BuildBook, node_id: str = "bulkhead") -> WiredPoint:
    return next(p for p in wired_points(REAR, known) if p.node_id == node_id)


def test_each_side_has_its_own_lugs_and_its_own_thread() -> None:
    one, two = at(BuildBook()), at(book())
    assert two.far is not None and one.far is None and one.needs_mm is not None
    assert {x.part_id for x in one.landings if x.place} == set(MADE)
    assert [x.part_id for x in two.landings if x.place] == ["charge_cable"] and [x.part_id for x in two.far.landings] == [
        "long_feed"
    ]
    # Nut, washer and what stands beyond it are needed on either side: the two take together what one pile takes, and those once more.
    again = 8 * (0.8 + 0.2) + 2 * 1.25
    assert two.needs_mm and two.far.needs_mm and two.needs_mm + two.far.needs_mm == pytest.approx(one.needs_mm + again)
    short = at(book(STUD.model_copy(update={"far_thread_mm": two.far.needs_mm - 1})))
    assert short.problems == (
        "Far side: the stud is 1.0 mm too short: a nut on two threads holds nothing. Take a longer stud, or a lug off it.",
    )
    near = at(book(threads=(StudThread(node_id="bulkhead", thread_mm=two.needs_mm - 1),)))
    assert len(near.problems) == 1 and near.problems[0].startswith("The stud is 1.0 mm")


def test_what_crosses_the_panel_is_no_less_than_the_unit_sends_through_it() -> None:
    far = at(book()).far
    assert far is not None and far.crosses_a is not None
    solved = predict(REAR, at_output(REAR, REAR.alternator.rated_a)).current_a
    assert far.crosses_a >= abs(solved["charge_cable"]) - 0.1 and abs(solved["charge_cable"]) == pytest.approx(
        abs(solved["long_feed"])
    )


def test_a_stud_with_all_its_leads_on_one_side_or_with_none_is_said() -> None:
    assert at(book(STUD.model_copy(update={"far": ()}))).problems == (
        "All that ends there is on one side of firewall: say what comes from the other.",
    )
    for far in ((), MADE):
        known = book(STUD.model_copy(update={"far": far}))
        (point, view) = at(known), build_view(REAR, REAR, known, usual_prices())
        assert len(point.problems) == 1 and point.far is not None and point.far.crosses_a is None
        assert view.headline == "Cannot be made as asked: Front junction stud"
        # It is bought by what crosses, and nobody knows that yet.
        bill = build_bill(REAR, REAR, known, Shop(usual_prices(), usual_units(), usual_stock()))
        (line,) = (x for x in bill.lines if x.id.startswith("bulkhead_stud:"))
        assert line.number == "" and line.text == "Bulkhead stud M8, for Front junction stud"
    assert "Cannot" not in build_view(REAR, REAR, book(), usual_prices()).headline
    post = REAR.battery.positive_node
    plain = at(book(STUD.model_copy(update={"node_id": post, "far": ()})), post)
    assert plain.stud or plain.problems == ("No lug goes there: it is no stud through a panel.",)
    twice = BuildBook(bulkheads=(STUD, STUD))
    assert [(p.element, p.field) for p in check_book(twice)] == [("bulkhead", "through")]


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_it_is_proposed_with_the_alternator_on_its_near_side(layout: str) -> None:
    circuit = build_layout(layout, 12)
    for point in wired_points(circuit, BuildBook()):
        on = [x.part_id for x in point.landings if x.place]
        assert (point.if_through is None) == (not on)
        if point.if_through is None or len(set(on)) < 2:
            continue
        assert 0 < len(point.if_through.far) < len(set(on))
        if point.node_id in {n for a in circuit.alternators for n in (a.stud_node, a.case_node)}:
            # Its own stud parts nothing: what goes through the panel goes on, and one lug is as good as another.
            assert point.if_through.far == (on[-1],)
    proposed = next(p.if_through for p in wired_points(REAR, BuildBook()) if p.node_id == "bulkhead")
    assert proposed is not None and (proposed.through, proposed.far) == ("Firewall", ("long_feed",))


def test_it_is_fitted_before_its_leads_are_and_bought_once() -> None:
    view = build_view(REAR, REAR, book(), usual_prices())
    steps = {s.id: s for s in view.steps}
    order = [s.id for s in view.steps]
    assert "firewall" in steps["stud:bulkhead"].text and "M8" in steps["stud:bulkhead"].text
    for lead in MADE:
        assert "stud:bulkhead" in steps[f"fit:{lead}"].needs and order.index("stud:bulkhead") < order.index(f"fit:{lead}")
    # Nobody drills beside a live cable, and nothing is connected before it is in.
    assert all(n.startswith("off:") for n in steps["stud:bulkhead"].needs) and steps["stud:bulkhead"].needs
    assert all("stud:bulkhead" in s.needs for s in view.steps if s.id.startswith("on:") and s.id.endswith("positive"))
    shop = Shop(usual_prices(), usual_units(), usual_stock())
    (line,) = (x for x in build_bill(REAR, REAR, book(), shop).lines if x.id.startswith("bulkhead_stud:"))
    assert (line.number, line.required) == ("BS-M8", 1) and not line.unpriced
    bought = next(i for i in usual_stock().items if i.number == line.number)
    far = at(book()).far
    assert far is not None and bought.rating_a is not None and far.crosses_a is not None and bought.rating_a >= far.crosses_a


def test_one_that_is_there_is_neither_bought_nor_fitted() -> None:
    there = book(STUD.model_copy(update={"there": True}))
    assert bulkheads_to_fit(REAR, there) == ()
    assert not [s.id for s in build_view(REAR, REAR, there, usual_prices()).steps if s.id.startswith("stud:")]
    assert at(there).far is not None


def test_a_card_says_on_which_side_its_end_is() -> None:
    cards = {c.branch_id: c for c in lead_cards(REAR, REAR, book())}
    assert cards["charge_cable"].ends[1].at == "Front junction stud"
    assert cards["long_feed"].ends[0].at == "Front junction stud, far side"


def test_a_way_ends_at_the_stud_and_says_where_its_leads_do_not() -> None:
    up_to = WayStretch(length_mm=800, ends_at=Passage.STUD, what="firewall")
    way = Way(id="wing", label="Inner wing", stretches=(up_to,))
    laid = book(ways=(way,), leads=(LeadSpec(branch_id="charge_cable", way="wing"),))
    (view,) = way_views(REAR, laid)
    assert view.problems == () and [m.kind for m in view.marks] == [Passage.CLAMP, Passage.STUD]
    assert [(s.from_mm, s.to_mm) for s in view.sleeves] == [(0, 800)]
    steps = {s.id: s.text for s in build_view(REAR, REAR, laid, usual_prices()).steps}
    assert "held by 1 clamp, up to the bulkhead stud at firewall" in steps["fit:charge_cable"]
    shop = Shop(usual_prices(), usual_units(), usual_stock())
    bill = {x.id.split(":")[0]: x.required for x in build_bill(REAR, REAR, laid, shop).lines}
    # The stud is a point of the circuit, and bought as one.
    assert bill["clip"] == 1 and bill["bulkhead_stud"] == 1
    (without,) = way_views(REAR, laid.model_copy(update={"bulkheads": ()}))
    assert without.problems == (
        "Charge cable ends at no bulkhead stud: say under Points which of its ends goes through the panel.",
    )
    on = way.model_copy(update={"stretches": (up_to, WayStretch(length_mm=300))})
    (through,) = way_views(REAR, laid.model_copy(update={"ways": (on,)}))
    assert through.problems == ("Stretch 1 ends at a bulkhead stud, and so do its leads: what follows is a way of its own.",)


@pytest.mark.parametrize(
    ("rating", "stud", "does"), [(200, "M8", True), (120, "M8", True), (119, "M8", False), (200, "M10", False)]
)
def test_a_stud_serves_that_bears_what_crosses(rating: float, stud: str, does: bool) -> None:
    item = StockItem(number="B", label="Stud", kind=PartKind.BULKHEAD_STUD, stud=stud, rating_a=rating, price="9")
    assert serves(item, PartSpec(kind=PartKind.BULKHEAD_STUD, stud="M8", rating_a=120)) is does
