"""What is short for many jobs: against one bill after the other by hand, and against a count that knows nothing of bills."""

from __future__ import annotations

import math
from datetime import date
from decimal import Decimal

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.fabrication.bench import Shop, build_bill
from mavrik.core.fabrication.bill import Length, OnHand
from mavrik.core.fabrication.documents import BuildBook, LeadSpec, Tick
from mavrik.core.fabrication.ordering import OpenWork, Orders, left_by, orders_of
from mavrik.core.fabrication.stock import usual_stock

CAR = build_layout("front_battery", 12)
ITEMS = {i.number: i for i in usual_stock().items}


def work(k: int, *anew: str, promised: date | None = None, book: BuildBook | None = None) -> OpenWork:
    return OpenWork(k, f"26-{k:04}", promised, CAR, CAR, book or BuildBook(anew=anew))


def shop(**there: object) -> Shop:
    return Shop(usual_prices(), usual_units(), usual_stock(), OnHand.model_validate(there))


def bought(orders: Orders) -> dict[str, float]:
    return {x.number: x.buy for x in orders.lines}


@pytest.mark.parametrize("jobs", [1, 2, 3, 7, 20])
def test_packs_are_shared_so_that_no_more_are_opened_than_all_jobs_together_need(jobs: int) -> None:
    """Two lugs a job, in packs of five: counted by hand. Lengths of 1.21 m off reels of five metres: four to a reel."""
    orders = orders_of([work(k, "charge_cable") for k in range(jobs)], shop())
    assert bought(orders)["LG-25-M8"] == 5 * math.ceil(2 * jobs / 5)
    assert bought(orders)["CB-25"] == 5 * math.ceil(jobs / 4)
    (lug,) = (x for x in orders.lines if x.number == "LG-25-M8")
    assert lug.required == 2 * jobs and [j.quantity for j in lug.jobs] == [2.0] * jobs
    assert lug.outlay == ITEMS["LG-25-M8"].price * int(lug.buy)
    assert orders.outlay == sum((x.outlay for x in orders.lines), Decimal(0))


def test_what_is_there_is_taken_before_anything_is_bought_and_by_the_first_alone() -> None:
    there = {"quantity": {"LG-25-M8": 2.0, "SH-12": 5000.0}, "reels": {"CB-25": (Length(piece="1", mm=1300),)}}
    one = orders_of([work(1, "charge_cable")], shop(**there))
    assert one.lines == () and one.outlay == 0
    two = orders_of([work(1, "charge_cable"), work(2, "charge_cable")], shop(**there))
    assert bought(two) == {"LG-25-M8": 5.0, "CB-25": 5.0}
    lug = next(x for x in two.lines if x.number == "LG-25-M8")
    assert lug.in_stock == 2.0 and lug.required == 4.0


def test_what_is_left_after_a_bill_is_what_was_there_and_came_less_what_went() -> None:
    at = shop(quantity={"LG-25-M8": 1.0}, reels={"CB-25": (Length(piece="1", mm=4000),)})
    bill = build_bill(CAR, CAR, BuildBook(anew=("charge_cable", "block_ground")), at)
    left = left_by(bill, at.on_hand, at.stock)
    for line in bill.lines:
        went = sum(t.quantity + (t.scrap_mm if line.number.startswith("CB") else 0) for t in line.takes)
        per = 1000 if line.by_length else 1
        before = at.on_hand.quantity.get(line.number, 0.0) + sum(x.mm for x in at.on_hand.reels.get(line.number, ()))
        after = left.quantity.get(line.number, 0.0) + sum(x.mm for x in left.reels.get(line.number, ()))
        assert after == pytest.approx(before + line.buy * per - went, abs=0.6), line.id


def test_a_step_that_is_done_asks_for_nothing_more() -> None:
    done = BuildBook(anew=("charge_cable",), ticks=(Tick(step="make:charge_cable"),))
    assert orders_of([work(1, book=done)], shop()).lines == ()


def test_the_soonest_promised_comes_first_then_what_takes_longest() -> None:
    works = [
        work(1, "engine_strap"),
        work(2, "charge_cable", promised=date(2026, 12, 9)),
        work(3, "battery_lead", promised=date(2026, 12, 2)),
    ]
    orders = orders_of(works, shop())
    days = [x.promised for x in orders.lines]
    assert days == sorted(days, key=lambda d: (d is None, d or date.max)) and days[0] == date(2026, 12, 2) and days[-1] is None


def test_a_book_that_cannot_be_is_named_and_stops_nobody_else() -> None:
    twice = BuildBook(anew=("charge_cable",), leads=(LeadSpec(branch_id="charge_cable"), LeadSpec(branch_id="charge_cable")))
    orders = orders_of([work(1, book=twice), work(2, "charge_cable")], shop())
    assert orders.unreckoned == ("26-0001",) and bought(orders)["LG-25-M8"] == 5


def test_what_no_list_names_is_told_by_its_job() -> None:
    bare = Shop(usual_prices(), usual_units(), usual_stock().model_copy(update={"items": ()}))
    orders = orders_of([work(4, "charge_cable")], bare)
    assert orders.lines == () and {(u.number, u.by_length) for u in orders.unlisted} == {("26-0004", True), ("26-0004", False)}
