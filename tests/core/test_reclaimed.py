"""Cable from elsewhere, and samples of crimps: what a reading lets be said, and what is proven before the first lead."""

from __future__ import annotations

import re

import pytest

from mavrik.core.catalogue.conductor import Material, Stranding, parse_size
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit.layouts import LAYOUTS, build_layout, front_battery
from mavrik.core.fabrication.bench import Shop, all_leads, build_bill, build_view
from mavrik.core.fabrication.documents import BuildBook, LeadSpec, Reclaimed
from mavrik.core.fabrication.reclaimed import reclaimed_verdict
from mavrik.core.fabrication.stock import usual_stock
from mavrik.core.measuring.uncertainty import Verdict

CAR = front_battery(12)
CLASS_5 = {"16 mm2": 1.21, "35 mm2": 0.554, "70 mm2": 0.272}
"""IEC 60228 class 5, plain copper, ohm/km at 20 degC; from memory."""


def read(ohm_per_km: float, metres: float = 2.0, amps: float = 50.0, celsius: float = 20.0) -> Reclaimed:
    """What a bench shows of a cable of so much resistance; copper has 0.393 % more a kelvin (IEC 60028)."""
    warm = ohm_per_km * (1 + 0.00393 * (celsius - 20))
    return Reclaimed(length_mm=metres * 1000, current_a=amps, drop_mv=warm * metres * amps, cable_c=celsius)


def verdict_on(of: Reclaimed, size: str = "35 mm2") -> tuple[Verdict, str]:
    verdict = reclaimed_verdict(of, parse_size(size), Material.COPPER, Stranding.FLEXIBLE)
    return verdict.verdict, verdict.words


@pytest.mark.parametrize("size", CLASS_5)
def test_a_cable_with_the_resistance_of_its_class_is_as_good_as_new_warm_or_cold(size: str) -> None:
    for celsius in (0.0, 20.0, 45.0):
        verdict, words = verdict_on(read(CLASS_5[size], celsius=celsius), size)
        assert verdict is Verdict.PASS and words.startswith("As good as new") and "100 ±" in words


def test_broken_strands_are_seen_and_what_it_is_worth_is_said() -> None:
    """A third of the strands gone: 35 becomes about 23, and loses as much as 20 (0.95 a metre at most, from memory)."""
    verdict, words = verdict_on(read(CLASS_5["35 mm2"] * 1.5))
    assert verdict is Verdict.FAIL and "as much as 20 mm²" in words
    assert "broken strands" in words


@pytest.mark.parametrize(("metres", "amps"), [(0.3, 5.0), (0.2, 20.0)])
def test_too_little_to_read_is_no_verdict(metres: float, amps: float) -> None:
    """A few millivolts on a meter that doubts two tenths of one: nothing is passed on that."""
    assert verdict_on(read(CLASS_5["70 mm2"], metres, amps), "70 mm2")[0] is Verdict.CLOSE


def test_the_uncertainty_is_that_of_three_instruments_by_hand() -> None:
    """JCGM 100: millivolts 0.5 % and 2 digits of 0.1, amperes 2 % and 2 of 0.1, both rectangles; 5 mm of 2 m."""
    of = read(0.554)
    mv = (55.4 * 0.005 + 0.2) / 3**0.5 * 2 / 55.4
    amps = (50 * 0.02 + 0.2) / 3**0.5 * 2 / 50
    verdict = reclaimed_verdict(of, parse_size("35 mm2"), Material.COPPER, Stranding.FLEXIBLE)
    assert verdict.uncertainty / verdict.ratio == pytest.approx((mv**2 + amps**2 + (5 / 2000) ** 2) ** 0.5, rel=1e-6)


def book(of: Reclaimed) -> BuildBook:
    return BuildBook(anew=("charge_cable",), leads=(LeadSpec(branch_id="charge_cable", reclaimed=of),))


def test_a_lead_of_good_old_cable_takes_none_from_the_reel_and_one_of_bad_is_not_made() -> None:
    shop = Shop(usual_prices(), usual_units(), usual_stock())
    good = book(read(0.7))
    view = build_view(CAR, CAR, good, shop.prices)
    assert not view.cables and "the reclaimed 25 mm2" in view.cards[0].in_order[0]
    assert [x.number for x in build_bill(CAR, CAR, good, shop).lines] == ["LG-25-M8", "SH-12"]
    bad = build_view(CAR, CAR, book(read(1.6)), shop.prices)
    assert bad.cards[0].problem.startswith("Not to be used as 25 mm²") and "Cannot be made" in bad.headline


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_crimp_is_proven_before_the_first_lead_that_has_it(layout: str) -> None:
    circuit = build_layout(layout, 12)
    shop = Shop(usual_prices(), usual_units(), usual_stock())
    without, proven = (BuildBook(anew=all_leads(circuit), samples=s) for s in (False, True))
    steps = build_view(circuit, circuit, proven, shop.prices).steps
    place = {s.id: k for k, s in enumerate(steps)}
    samples = [s for s in steps if s.id.startswith("sample:")]
    assert samples and all(re.fullmatch(r"[a-z]+(:[a-z0-9_]+){0,2}", s.id) and not s.needs for s in samples)
    for s in steps:
        assert all(place[n] < place[s.id] for n in s.needs)
    # Each end with a lug on a stud hangs on one sample, and each sample takes a lug.
    for card in build_view(circuit, circuit, proven, shop.prices).cards:
        lugs = {(e.lug, e.stud) for e in card.ends if e.stud}
        needs = next(s.needs for s in steps if s.id == f"make:{card.branch_id}")
        assert len(needs) == len(lugs)
    count = [
        sum(x.required for x in build_bill(circuit, circuit, b, shop).lines if x.spec and x.spec.kind == "lug")
        for b in (without, proven)
    ]
    assert count[1] - count[0] == len(samples)
