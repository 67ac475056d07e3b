"""A fault from its first moment to its end, worked by hand where it can be, and every layout's fuses asked."""

from __future__ import annotations

import math

import pytest

from mavrik.core.catalogue.fuses import FuseFamily, breaker_opening, fuse_table, opening
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.operating import DeadShort, State, solve_circuit
from mavrik.core.operating.gains import gains
from mavrik.core.operating.supply import trace
from mavrik.core.protection.case import prospective_a
from mavrik.core.protection.documents import Outcome
from mavrik.core.protection.review import review_protection
from mavrik.core.protection.short_circuit import fault_course, opens_at
from mavrik.core.thermal.heat import heat_curve, withstand_factor
from tests.build import simple_document

OFF = State(engine_rpm=0)


def changed(*, fuse: dict | None = None, feed: dict | None = None, extra_loads: list | None = None, **circuit: object) -> Circuit:
    """The simple circuit: feed, fuse, tail, home; with changes to its fuse, its feed cable or its loads."""
    document = simple_document()
    for branch in document["branches"]:
        branch.update({"fuse": fuse, "feed": feed}.get(branch["id"]) or {})
    document["loads"] = [*document.get("loads", []), *(extra_loads or [])]
    return Circuit.model_validate({**document, **circuit})


def at_the_stud(circuit: Circuit) -> DeadShort:
    return DeadShort(from_node=circuit.alternator.stud_node, to_node=circuit.alternator.case_node)


def test_current_time_and_energy_by_hand() -> None:
    """Battery, its way to the stud and home, and the short: Ohm's law; then the fuse's band, then I2 t against k2 S2."""
    circuit = changed()
    course = fault_course(circuit, OFF, at_the_stud(circuit))
    ohm = sum(b.sound_resistance_ohm(20) for b in circuit.branches)
    battery = circuit.battery
    current = 12.65 / (ohm + 0.001 + battery.internal_mohm / 1000)
    first = course.stages[0]
    assert first.fault_a == pytest.approx(current, rel=0.002)
    assert first.given == {battery.id: pytest.approx(current, rel=0.002)}
    band = opening(FuseFamily.STRIP_51, 150, current)
    assert first.opens is not None and first.opens.branch_id == "fuse"
    assert (first.opens.least_s, first.opens.most_s) == (
        pytest.approx(band.least_s, rel=0.01),
        pytest.approx(band.most_s, rel=0.01),
    )
    feed = next(c for c in first.cables if c.branch_id == "feed")
    # 35 mm2 of class 5 has the resistance of a ninth less solid copper.
    area, start = 35.0 * (1.7241e-8 / 35e-6 / 0.554e-3) ** 0.5, feed.from_c
    rise = (first.fault_a**2 * band.most_s) / (withstand_factor(circuit.branch("feed").material, start, start + 1) * area) ** 2
    assert feed.to_c - start == pytest.approx(rise, rel=0.03)
    assert course.cleared and course.survives
    assert f"{first.fault_a:.0f} A flow" in course.words[0] and "cleared" in course.words[-1]


def test_a_thin_cable_behind_a_large_fuse_burns_first() -> None:
    """4 mm2 behind 500 A: what its insulation bears is over before the fuse opens."""
    circuit = changed(feed={"size": "4 mm2", "length_m": 3}, fuse={"rating_a": 500})
    course = fault_course(circuit, OFF, at_the_stud(circuit))
    feed = next(c for c in course.stages[0].cables if c.branch_id == "feed")
    assert not feed.survives and not course.survives and feed.seconds_to_limit is not None
    curve = heat_curve(circuit.branch("feed").conductor, 20.0)
    assert feed.seconds_to_limit == pytest.approx(curve.seconds_to(abs(feed.current_a), feed.limit_c, feed.from_c), rel=1e-6)
    assert any("does not survive" in w for w in course.words)


def test_the_alternator_feeds_what_the_fuse_has_left() -> None:
    circuit = changed()
    course = fault_course(circuit, State(engine_rpm=2000), at_the_stud(circuit))
    assert len(course.stages) == 2 and not course.cleared
    assert set(course.stages[1].given) == {circuit.alternator.id}
    assert course.stages[1].least_s is None and "engine turns" in course.words[-1]


def test_a_fault_before_every_fuse_is_not_cleared() -> None:
    circuit = changed()
    course = fault_course(circuit, OFF, DeadShort(from_node=circuit.battery.positive_node, to_node=circuit.battery.negative_node))
    assert course.stages[0].opens is None and not course.cleared and "battery is empty" in course.words[-1]


def test_an_overload_that_no_fuse_minds_is_followed_for_an_hour() -> None:
    """A fault of 100 mohm: some 110 A, which 150 A carry for good; the cables come to their settled temperature."""
    circuit = changed()
    fault = at_the_stud(circuit).model_copy(update={"resistance_mohm": 100.0})
    course = fault_course(circuit, OFF, fault)
    assert course.stages[0].opens is None
    feed = next(c for c in course.stages[0].cables if c.branch_id == "feed")
    settled = heat_curve(circuit.branch("feed").conductor, 20.0)
    assert feed.to_c == pytest.approx(settled.temperature_c(feed.current_a), abs=0.5) and feed.limit_c == 105


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
@pytest.mark.parametrize("system", [12, 24])
def test_no_ready_layout_has_a_fuse_that_cannot_do_its_work(layout: object, system: int) -> None:
    circuit = layout.build(system)  # type: ignore[attr-defined]
    for p in review_protection(circuit).protectors:
        wrong = [c.words for c in p.checks if c.outcome is Outcome.BAD]
        assert not wrong, (p.label, wrong)
        assert p.prospective_a == pytest.approx(prospective_a(circuit, circuit.branch(p.branch_id)))


def check(circuit: Circuit, name: str, fuse: str = "fuse"):  # type: ignore[no-untyped-def]
    review = next(p for p in review_protection(circuit).protectors if p.branch_id == fuse)
    return next(c for c in review.checks if c.name == name)


def test_this_banks_short_circuit_current_against_what_the_fuse_can_break() -> None:
    """One battery of 6 mohm is within a strip's 2000 A, a new, warm and full one of its size perhaps not; four of them are not."""
    usual = check(changed(), "breaking")
    assert usual.outcome is Outcome.WATCH
    # 12.65 V behind 0.25 ohm Ah / 70 Ah and the rest of the way, which the battery of 6 mohm shows.
    rest = 12.65 / prospective_a(changed(), changed().branch("fuse")) - 0.006
    assert f"up to {12.65 / (0.25 / 70 + rest):.0f} A" in usual.words
    small = {**simple_document()["batteries"][0], "capacity_ah": 30.0, "internal_mohm": 12.0}
    assert check(changed(batteries=[small]), "breaking").outcome is Outcome.GOOD
    document = simple_document()
    document["batteries"][0]["parallel"] = 4
    strong = Circuit.model_validate(document)
    seen = check(strong, "breaking")
    assert seen.outcome is Outcome.BAD and "higher interrupting rating" in seen.words
    assert check(changed(fuse={"family": "class_t"}, **{"batteries": document["batteries"]}), "breaking").outcome is Outcome.GOOD
    near = 12.65 / (0.006 / 4 + 0.0001)
    assert 0.5 * near < prospective_a(strong, strong.branch("fuse")) < near


@pytest.mark.parametrize(
    ("changes", "name", "outcome", "word"),
    [
        ({"fuse": {"rating_a": 80}}, "load", Outcome.BAD, "opens in use"),
        ({"fuse": {"rating_a": 100}}, "load", Outcome.WATCH, "ages early"),
        ({"fuse": {"rating_a": 400}}, "cable", Outcome.BAD, "cable burns"),
        ({"fuse": {"rating_a": 500}, "feed": {"size": "2.5 mm2"}}, "withstand", Outcome.BAD, "passes 250"),
    ],
)
def test_each_check_can_fail(changes: dict, name: str, outcome: Outcome, word: str) -> None:
    seen = check(changed(**changes), name)
    assert seen.outcome is outcome and word in seen.words, seen


def load(**changes: object) -> dict:
    own = {"id": "pump", "label": "Pump", "from_node": "stud", "to_node": "case", "current_a": 10.0}
    return {**own, **changes}


def test_inrush_is_ridden_through_or_not() -> None:
    """Through 150 A: 300 A for 0.2 s is nothing; 900 A for 2 s is more than a strip stands at six times its rating."""
    calm = changed(extra_loads=[load(inrush_a=300, inrush_s=0.2)])
    wild = changed(extra_loads=[load(inrush_a=900, inrush_s=2.0)])
    assert check(calm, "inrush").outcome is Outcome.GOOD
    assert check(wild, "inrush").outcome is Outcome.BAD and "may open" in check(wild, "inrush").words


def test_order_of_opening() -> None:
    """40 A behind 125 A: at the same fault the small one is through before the large one begins; 100 A behind it is not."""
    circuit = build_layout("second_battery_converter", 12)
    fine = next(p for p in review_protection(circuit).protectors if p.branch_id == "feed_fuse")
    assert {c.outcome for c in fine.checks if c.name == "order"} <= {Outcome.GOOD}
    selector = build_layout("boat_selector", 12)
    charge = next(p for p in review_protection(selector).protectors if p.branch_id == "charge_fuse")
    assert {c.outcome for c in charge.checks if c.name == "order"} == {Outcome.WATCH}


@pytest.mark.parametrize("family", list(FuseFamily))
def test_bands_fall_and_keep_their_order(family: FuseFamily) -> None:
    rating = fuse_table().families[family].ratings_a[-1]
    before = (math.inf, math.inf)
    for multiple in (0.5, 1.0, 1.15, 1.3, 1.4, 1.8, 2.5, 4, 6, 12, 40, 100):
        band = opening(family, rating, -multiple * rating)
        assert band.least_s <= band.most_s and band.least_s <= before[0] and band.most_s <= before[1]
        before = (band.least_s, band.most_s)
    assert math.isinf(opening(family, rating, rating).least_s)
    assert breaker_opening(50, 49) == opening(family, rating, 0)


def test_a_breaker_without_a_rating_is_asked_for_it() -> None:
    document = simple_document()
    for k, b in enumerate(document["branches"]):
        if b["id"] == "fuse":
            document["branches"][k] = {n: b[n] for n in ("id", "label", "from_node", "to_node")} | {"kind": "breaker"}
    circuit = Circuit.model_validate(document)
    assert check(circuit, "load").outcome is Outcome.WATCH
    assert math.isinf(opens_at(circuit.branch("fuse"), 5000).least_s)  # type: ignore[arg-type]


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
@pytest.mark.parametrize("rpm", [0, 800, 2000])
def test_every_taker_is_supplied_in_full(layout: object, rpm: float) -> None:
    point = solve_circuit(layout.build(12), State(engine_rpm=rpm))  # type: ignore[attr-defined]
    takes = {d.device_id: -d.current_a for d in point.devices if d.current_a < -0.01 and d.kind in ("load", "battery")}
    gives = {d.device_id: d.current_a for d in point.devices if d.current_a > 0.01}
    for taker, amps in takes.items():
        assert sum(s.current_a for s in point.supplies if s.taker_id == taker) == pytest.approx(amps, abs=0.02), taker
    for source, amps in gives.items():
        assert sum(s.current_a for s in point.supplies if s.source_id == source) <= amps + 0.02


def test_currents_that_meet_are_shared_in_proportion() -> None:
    """30 A and 10 A meet, and of the 24 A that one taker draws three quarters are the first source's."""
    flows = [("a", "m", 30.0), ("m", "b", -10.0), ("m", "x", 24.0), ("m", "y", 16.0)]
    shares = trace(flows, {"big": ("a", 30.0), "small": ("b", 10.0)}, {"x": ("x", 24.0), "y": ("y", 16.0)})
    assert shares == {("big", "x"): 18.0, ("small", "x"): 6.0, ("big", "y"): 12.0, ("small", "y"): 4.0}


def test_a_better_plug_on_a_thin_cable_gains_almost_nothing() -> None:
    """Common practice, no source: shown in numbers on the run to a trailer, 6 mm2 there and 25 A."""
    document = build_layout("tow_and_trailer", 12).model_dump()
    for b in document["branches"]:
        if b["kind"] == "cable" and b["length_m"] > 3:
            b["size"] = "6 mm2"
    circuit = Circuit.model_validate(document)
    converter = circuit.converters[0]
    result = gains(circuit, State(watch_node=converter.in_node))
    assert (result.plus, result.minus) == (converter.in_node, converter.ground_node)
    plugs = [g for g in result.branches if circuit.branch(g.branch_id).kind == "connector"]
    cables = [g for g in result.branches if g.larger == "10 mm2" and g.larger_v]
    assert plugs and cables
    assert sum(g.perfect_v for g in plugs) < 0.1 * sum(g.larger_v for g in cables if g.larger_v)
    dearest = result.branches[0]
    assert dearest.larger == "10 mm2" and dearest.perfect_v > dearest.larger_v > 0 > dearest.volt_per_mohm  # type: ignore[operator]


def _starter_through(rating_a: float, short_a: float | None) -> Circuit:
    """A starter fed through the cut-off switch of the competition car, so that cranking current crosses it."""
    car = build_layout("competition_car", 12)
    ratings = {"rating_a": rating_a, "intermittent_a": short_a}
    branches = tuple(b.model_copy(update=ratings) if b.id == "cut_off" else b for b in car.branches)
    fed = next(x for x in car.loads if x.cranking).model_copy(update={"from_node": "cut_in"})
    return car.model_copy(update={"branches": branches, "loads": (*(x for x in car.loads if not x.cranking), fed)})


@pytest.mark.parametrize(
    ("rating", "short", "outcome", "word"),
    [
        (400.0, None, Outcome.GOOD, "continuous"), (130.0, None, Outcome.WATCH, "not known"), (130.0, 600.0, Outcome.GOOD, "600 A"),
        (130.0, 150.0, Outcome.BAD, "welds"), (20.0, 600.0, Outcome.BAD, "for good"),
    ],
)  # fmt: skip
def test_a_switch_that_carries_the_starter_is_held_against_its_rating_for_short_duty(
    rating: float, short: float | None, outcome: Outcome, word: str
) -> None:
    """Common practice: continuous rating against the real current, cranking included where it carries the starter."""
    contact = next(c for c in review_protection(_starter_through(rating, short)).contacts if c.branch_id == "cut_off")
    assert contact.outcome is outcome and any(word in c.words for c in contact.checks)
    assert contact.heat_w == pytest.approx(contact.current_a**2 * 0.0003)


def test_short_circuits_are_those_of_sound_cables() -> None:
    """A corroded joint of today must not let a fuse pass that cannot break the bank once it has been cleaned."""
    sound = build_layout("front_battery", 12)
    worn = sound.model_copy(
        update={"branches": tuple(b.model_copy(update={"measured_mohm": 40.0}) if b.id == "mount" else b for b in sound.branches)}
    )
    assert review_protection(worn).protectors == review_protection(sound).protectors


def test_an_interrupting_rating_belongs_to_a_voltage() -> None:
    """A marine block breaks 10 kA at 14 V and 5 kA at 32 V (makers' data, from memory): 7 kA are within it on 12 V, not on 24 V."""
    block = {"family": "mrbf", "rating_a": 150}
    for volts, outcome in ((12, Outcome.GOOD), (24, Outcome.BAD)):
        bank = {**simple_document()["batteries"][0], "internal_mohm": 1.6, "series": volts // 12, "capacity_ah": 200.0}
        unit = {**simple_document()["alternators"][0], "set_point_v": 14.4 * volts / 12}
        circuit = changed(fuse=block, batteries=[bank], system_voltage_v=volts, alternators=[unit])
        assert 5000 < prospective_a(circuit, circuit.branch("fuse")) < 7500
        assert check(circuit, "breaking").outcome is outcome


def test_a_winch_is_judged_by_how_long_it_pulls() -> None:
    """300 A through 50 mm2 are above what it carries for good, and within what it bears for a minute; not for an hour."""
    circuit = build_layout("winch", 12)
    feed = next(c for c in review_protection(circuit).conductors if c.branch_id == "winch_feed")
    assert feed.current_a == pytest.approx(0, abs=0.1)
    assert [(c.name, c.outcome) for c in feed.checks] == [("load", Outcome.GOOD), ("short_use", Outcome.GOOD)]
    document = circuit.model_dump(mode="json")
    document["loads"][0]["on_s"] = 3600
    long = next(c for c in review_protection(Circuit.model_validate(document)).conductors if c.branch_id == "winch_feed")
    assert [c.outcome for c in long.checks if c.name == "short_use"] == [Outcome.BAD]
    document["loads"][0]["on_s"] = None
    ever = next(c for c in review_protection(Circuit.model_validate(document)).conductors if c.branch_id == "winch_feed")
    assert ever.current_a > 250 and [c.outcome for c in ever.checks if c.name == "load"] == [Outcome.BAD]


def without(document: dict, branch_id: str) -> Circuit:
    from mavrik.core.circuit.editing import remove_branch

    return remove_branch(Circuit.model_validate(document), branch_id)


def called(circuit: Circuit) -> dict[str, str]:
    return {f.code: f.severity.value for f in review_protection(circuit).sources}


def test_an_unfused_winch_is_a_danger_and_a_starters_lead_is_not() -> None:
    """Common practice: starter leads are exempt from the fuse's distance, a winch feed is not."""
    winch = build_layout("winch", 12)
    assert called(winch) == {"starter_lead": "note"}
    assert called(without(winch.model_dump(mode="json"), "winch_fuse"))["feed_unfused"] == "danger"


def test_a_breaker_at_the_post_is_protection() -> None:
    document = simple_document()
    document["branches"][1] = {"kind": "breaker", "id": "fuse", "label": "Breaker", "from_node": "fuse_in", "to_node": "plus", "rating_a": 150}  # fmt: skip
    assert not called(Circuit.model_validate(document))
    del document["branches"][1]["rating_a"]
    assert called(Circuit.model_validate(document)) == {"no_fuse": "danger"}


def test_a_selector_is_judged_in_every_position() -> None:
    """With battery 1 switched off all 90 A go into battery 2, though the drawing has both on."""
    document = build_layout("boat_selector", 12).model_dump(mode="json")
    for b in document["branches"]:
        if b["id"] == "selector_2":
            b["rating_a"] = 80
    contact = next(c for c in review_protection(Circuit.model_validate(document)).contacts if c.branch_id == "selector_2")
    assert contact.current_a == pytest.approx(90, abs=0.5) and contact.outcome is Outcome.BAD
