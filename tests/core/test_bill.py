"""The bill of materials: what serves what, what is bought, what is cut from where, and what it comes to."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest
from pydantic import ValidationError

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.branches.relay import RelayBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import Shop, all_leads, build_bill, build_view
from mavrik.core.fabrication.bill import Bill, Booked, Length, OnHand, stock_used
from mavrik.core.fabrication.documents import BuildBook, PartChoice
from mavrik.core.fabrication.quotation import Consent, QuotationRequest, quotation_of, says_the_same
from mavrik.core.fabrication.stock import SAYS, PartKind, PartSpec, StockItem, StockList, serves, usual_stock

CAR = build_layout("front_battery", 12)
SHOP = Shop(usual_prices(), usual_units(), usual_stock())


def on_hand(quantity: dict[str, float] | None = None, **reels: tuple[float, ...]) -> Shop:
    lengths = {n.replace("_", "-"): tuple(Length(piece=f"R{k}", mm=mm) for k, mm in enumerate(x)) for n, x in reels.items()}
    return Shop(SHOP.prices, SHOP.units, SHOP.stock, OnHand(quantity=quantity or {}, reels=lengths))


def bill(*anew: str, shop: Shop = SHOP, planned: Circuit = CAR, booked: tuple[Booked, ...] = (), **book: object) -> Bill:
    return build_bill(CAR, planned, BuildBook.model_validate({"anew": anew, **book}), shop, booked)


def line_of(made: Bill, start: str) -> object:
    return next(x for x in made.lines if x.id.startswith(start))


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_lead_of_every_layout_is_asked_for_and_the_sums_are_sums(layout: str) -> None:
    """Amounts are added here as fractions, which share nothing with decimals rounded on the way."""
    circuit = build_layout(layout, 12)
    book = BuildBook(anew=all_leads(circuit))
    view, made = build_view(circuit, circuit, book, SHOP.prices), build_bill(circuit, circuit, book, SHOP)
    cables = {x.text.removeprefix("Cable "): x for x in made.lines if x.id.startswith("cable:")}
    assert {c.size: pytest.approx(c.total_mm / 1000) for c in view.cables} == {s: x.required for s, x in cables.items()}
    lugs = sum(x.required for x in made.lines if x.id.startswith(("lug:", "post_clamp:")))
    # What goes into a plug gets a contact, which comes with it.
    assert lugs == sum(c.runs for c in view.cards if not c.problem for e in c.ends if not e.contact)
    assert Fraction(made.net) == sum((Fraction(x.amount) for x in made.lines), Fraction(made.labour))
    assert made.total == made.net + made.tax
    assert abs(Fraction(made.tax) - Fraction(made.net) * Fraction("0.18")) <= Fraction(1, 200)
    for x in made.lines:
        assert x.buy >= x.required - 1e-9 and x.from_stock == 0, "an empty store gives nothing"
        assert not x.number or abs(
            Fraction(x.amount) - Fraction(x.price) * Fraction(x.required).limit_denominator(10**9)
        ) <= Fraction(1, 200)


def test_what_is_there_is_taken_before_what_is_bought() -> None:
    cheap, dear = (
        StockItem(number=n, label=n, kind=PartKind.LUG, size="25 mm2", stud="M8", price=Decimal(p), pack=1, least=1, days=d)
        for n, p, d in (("CHEAP", "1.00", 9), ("DEAR", "2.00", 1))
    )
    shop = Shop(SHOP.prices, SHOP.units, StockList(items=(cheap, dear)), OnHand(quantity={"DEAR": 2}))
    lug = line_of(bill("charge_cable", shop=shop), "lug:")
    assert (lug.number, lug.from_stock, lug.buy, lug.amount) == ("DEAR", 2, 0, Decimal("4.00"))
    assert [(o.number, o.in_stock) for o in lug.offers] == [("CHEAP", 0), ("DEAR", 2)]
    chosen = bill("charge_cable", shop=shop, parts=(PartChoice(need=lug.id, number="CHEAP"),))
    lug = line_of(chosen, "lug:")
    assert (lug.number, lug.buy, lug.outlay, lug.days) == ("CHEAP", 2, Decimal("2.00"), 9)
    assert chosen.days == 9
    # One that is no longer on the list is no choice.
    assert line_of(bill("charge_cable", shop=shop, parts=(PartChoice(need=lug.id, number="OLD"),)), "lug:").number == "DEAR"


def test_a_part_that_no_list_names_is_reckoned_roughly_and_said_to_be() -> None:
    bare = Shop(SHOP.prices, SHOP.units, StockList())
    made = bill("charge_cable", shop=bare)
    cable = line_of(made, "cable:")
    assert cable.rough and not cable.unpriced and cable.number == ""
    # 1.2 and 0.19 a mm2 of 25: the price list's rule.
    assert cable.price == Decimal("5.95") and cable.amount == pytest.approx(
        Decimal("5.95") * Decimal(repr(cable.required)), abs=Decimal("0.005")
    )
    assert made.open == ("Shrink 12 to 4 mm",), "of a sleeve the price list says nothing"


def test_cable_comes_off_the_shortest_length_and_a_rest_of_no_use_is_charged() -> None:
    need = line_of(bill("charge_cable"), "cable:").required * 1000
    shop = on_hand(CB_25=(25_000, need + 120, need + 5_000))
    cable = line_of(bill("charge_cable", shop=shop), "cable:")
    (take,) = cable.takes
    assert take.piece == "R1" and take.scrap_mm == pytest.approx(120)
    assert cable.buy == 0 and cable.scrap == pytest.approx(0.12)
    assert cable.amount == (Decimal(repr(round(need / 1000 + 0.12, 9))) * cable.price).quantize(Decimal("0.01"))
    # Nothing is long enough: a length is bought that is, in whole packs.
    short = line_of(bill("charge_cable", shop=on_hand(CB_25=(need - 1,))), "cable:")
    assert short.takes[0].piece == "" and short.from_stock == 0 and short.buy == 5


def test_what_was_booked_is_neither_wanted_again_nor_charged_twice() -> None:
    shop = on_hand({"LG-25-M8": 10, "SH-12": 3000}, CB_25=(25_000,))
    before = bill("charge_cable", "battery_lead", shop=shop)
    gone = stock_used(before, {"make:charge_cable"})
    assert {b.need.split(":")[0] for b in gone} == {"cable", "lug", "sleeve"}
    left = {"LG-25-M8": 10.0, "SH-12": 3000.0}
    reel = 25_000.0
    for b in gone:
        if b.piece:
            reel -= b.quantity
        else:
            left[b.number] -= b.quantity
    after = bill("charge_cable", "battery_lead", shop=on_hand(left, CB_25=(reel,)), booked=gone)
    assert after.total == before.total
    for was, now in zip(before.lines, after.lines, strict=True):
        assert now.required == was.required and now.used >= 0
        assert not any(t.step == "make:charge_cable" for t in now.takes)
    assert not stock_used(after, {"make:charge_cable"})


def test_a_lead_that_was_made_elsewhere_is_charged_and_takes_nothing() -> None:
    before = bill("charge_cable", "engine_strap")
    after = bill("charge_cable", "engine_strap", ticks=[{"step": "make:charge_cable"}])
    assert after.total == before.total
    for was, now in zip(before.lines, after.lines, strict=True):
        own = [t for t in was.takes if t.step == "make:charge_cable"]
        assert now.used == pytest.approx(sum(t.quantity for t in own) / (1000 if was.by_length else 1))
        assert now.takes == tuple(t for t in was.takes if t not in own) and now.required == was.required


def test_what_was_used_for_a_plan_that_changed_is_still_on_the_bill() -> None:
    gone = (Booked(need="cable:16 mm2", step="make:charge_cable", number="CB-16", piece="R0", quantity=1500),)
    last = bill("charge_cable", booked=gone).lines[-1]
    assert last.used == 1.5 and last.amount == Decimal("6.38"), "1.5 m at 4.25, half a cent up"
    assert "before the plan changed" in last.text


def test_a_lug_of_tube_is_offered_where_it_holds_with_what_it_saves() -> None:
    """Common practice: 2 bought or 0.18 made in a minute and a half. An hour at 60 makes that a minute and a half of work: 1.50."""
    tube = StockItem(number="T", label="Tube", kind=PartKind.TUBE, outer_mm=12, wall_mm=2, price=Decimal("4.00"))
    lug = StockItem(number="L", label="Lug", kind=PartKind.LUG, size="25 mm2", stud="M6", price=Decimal("2.00"))
    shop = Shop(SHOP.prices, SHOP.units, StockList(items=(lug, tube)))
    leads = tuple({"branch_id": "charge_cable", "from_end": {"stud": "M6"}, "to_end": {"stud": "M6"}} for _ in (0,))
    made = line_of(bill("charge_cable", shop=shop, leads=leads), "lug:")
    (own,) = made.home_made
    assert own.each == pytest.approx(Decimal("4.00") * Decimal(repr(own.tube_mm)) / 1000 + Decimal("1.50"), abs=Decimal("0.01"))
    assert own.saves == Decimal("2.00") - own.each


def test_a_fuse_is_of_its_very_rating_and_a_switch_may_carry_more() -> None:
    fuse = PartSpec(kind=PartKind.FUSE, family="mrbf", rating_a=150)
    assert [i.number for i in SHOP.stock.items if serves(i, fuse)] == ["FS-MB-150"]
    relay = PartSpec(kind=PartKind.CONTACT, contact="relay", rating_a=100)
    assert [i.number for i in SHOP.stock.items if serves(i, relay)] == ["RL-130", "RL-200", "RL-300"]
    battery = PartSpec(kind=PartKind.BATTERY, chemistry="agm", capacity_ah=95)
    assert [i.number for i in SHOP.stock.items if serves(i, battery)] == ["BT-AG-95", "BT-AG-105"]
    # Sizes are the same however they are written.
    cable = PartSpec(kind=PartKind.CABLE, size="1/0")
    assert [i.number for i in SHOP.stock.items if serves(i, cable)] == ["CB-1-0A"]


def test_another_unit_costs_what_the_list_of_units_asks() -> None:
    unit = usual_units().units[0]
    changed = CAR.alternator.model_copy(update={"label": unit.name, "rated_a": unit.rated_a})
    planned = CAR.model_copy(update={"alternators": (changed,)})
    (line,) = bill(planned=planned).lines
    assert line.price == Decimal(str(unit.price)).quantize(Decimal("0.01")) and not line.rough
    other = CAR.alternator.model_copy(update={"label": "From a breaker", "rated_a": 200})
    made = bill(planned=CAR.model_copy(update={"alternators": (other,)}))
    assert made.open == ("From a breaker, 200 A",) and made.parts == 0


def test_a_fuse_of_the_plan_is_taken_when_it_is_fitted() -> None:
    layout = build_layout("boat_selector", 12)
    fuse = next(b for b in layout.branches if b.kind == "fuse")
    other = next(i.rating_a for i in SHOP.stock.items if i.family == fuse.family and i.rating_a != fuse.rating_a)
    changed = tuple(b.model_copy(update={"rating_a": other}) if b.id == fuse.id else b for b in layout.branches)
    made = build_bill(layout, layout.model_copy(update={"branches": changed}), BuildBook(), SHOP)
    assert [(t.step, t.quantity) for x in made.lines for t in x.takes] == [(f"fit:{fuse.id}", 1)]


def test_two_runs_take_two_of_everything() -> None:
    lead = next(b for b in CAR.branches if isinstance(b, ConductorBranch) and b.id == "charge_cable")
    double = CAR.model_copy(
        update={"branches": tuple(b.model_copy(update={"parallel": 2}) if b is lead else b for b in CAR.branches)}
    )
    once, twice = bill("charge_cable"), bill("charge_cable", planned=double)
    for a, b in zip(once.lines, twice.lines, strict=True):
        assert b.required == pytest.approx(2 * a.required)


@pytest.mark.parametrize(
    ("given", "message"),
    [
        ({"kind": "cable", "size": "17 mm2"}, "17 mm2"),
        ({"kind": "cable"}, "'size' is needed for"),
        ({"kind": "lug", "size": "25 mm2", "stud": "M7"}, "No stud 'M7'"),
        ({"kind": "cable", "size": "25 mm2", "stud": "M8"}, "'stud' says nothing of"),
        ({"kind": "contact", "contact": "lever", "rating_a": 5}, "No contact 'lever'"),
        ({"kind": "tube", "outer_mm": 10, "wall_mm": 5}, "A tube has room inside"),
        ({"kind": "other", "price": "-1"}, "greater than or equal to 0"),
        ({"kind": "other", "price": "1.00001"}, "decimal places"),
        ({"kind": "other", "number": "=1+1"}, "pattern"),
    ],
)
def test_a_part_that_cannot_be_says_why(given: dict[str, object], message: str) -> None:
    with pytest.raises(ValidationError, match=message.replace("+", r"\+")):
        StockItem.model_validate({"number": "X1", "label": "X", "price": "1.00", **given})


def test_two_parts_of_one_number_are_refused() -> None:
    item = usual_stock().items[0]
    with pytest.raises(ValidationError, match="Two parts have the number"):
        StockList(items=(item, item))


def test_the_list_to_begin_with_says_of_each_part_what_its_kind_asks() -> None:
    kinds = {i.kind for i in usual_stock().items}
    assert kinds == set(PartKind) - {PartKind.OTHER} and set(SAYS) == set(PartKind)


def test_of_one_relay_only_one_is_had_whatever_asks_for_it() -> None:
    layout = build_layout("second_battery_link", 12)
    relays = tuple(RelayBranch(id=f"r{a}", label=f"Relay {a}", from_node="x", to_node="y", rating_a=a) for a in (100, 130))
    made = tuple(
        r.model_copy(update={"from_node": layout.branches[0].from_node, "to_node": layout.branches[0].to_node}) for r in relays
    )
    planned = layout.model_copy(update={"branches": (*layout.branches, *made)})
    lines = build_bill(layout, planned, BuildBook(), on_hand({"RL-130": 1})).lines
    relay = [x for x in lines if x.id.startswith("contact:relay")]
    assert [(x.number, x.from_stock, x.buy) for x in relay] == [("RL-130", 1, 0), ("RL-130", 0, 1)]


def test_a_quotation_stands_while_cable_is_cut_otherwise_and_not_when_a_price_changes() -> None:
    request = QuotationRequest(valid_until=date(2030, 1, 1))
    offer = quotation_of(bill("charge_cable", "battery_lead"), 60, request)
    cut = quotation_of(bill("charge_cable", "battery_lead", shop=on_hand(CB_25=(1_500,))), 60, request)
    assert offer != cut and says_the_same(offer, cut), "170 mm of scrap on two leads"
    assert says_the_same(offer.model_copy(update={"accepted": Consent(by="The owner")}), offer)
    assert not says_the_same(offer, quotation_of(bill("charge_cable", "battery_lead"), 61, request))
    assert not says_the_same(offer, quotation_of(bill("charge_cable"), 60, request))
    longer = bill("charge_cable", "battery_lead", leads=[{"branch_id": "charge_cable", "route_mm": 2500}])
    assert not says_the_same(offer, quotation_of(longer, 60, request))
