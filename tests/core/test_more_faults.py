"""Faults that look like others, that come and go, or that are no part's: hidden in vehicles of the stand-in, read with its meters."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core.circuit import Chemistry, Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.faults import ELEMENTS, fault_table
from mavrik.core.findings.hypotheses import Hypothesis, hypotheses
from mavrik.core.measuring.readings import Measured
from mavrik.core.procedures import PROCEDURES, BenchState, procedure
from mavrik.standin.hands import Hands
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, with_starter
from tests.build import drop_run, inferred, judged, runs_of

MADE = {
    **VEHICLES,
    "both grounds": with_starter(build_layout("rear_battery_both", 12)),
    "behind a link": with_starter(build_layout("second_battery_link", 12)),
    "behind a charger": with_starter(build_layout("second_battery_converter", 12)),
    "magnets": build_layout("motorcycle", 12),
    "bank": with_starter(build_layout("house_bank_diagonal", 12)),
}


def hidden(circuit: Circuit, cause: str, **amounts: float) -> Hypothesis:
    """A cause of the catalogue, at amounts of one's own."""
    hypothesis = next(h for h in hypotheses(circuit) if h.causes == (cause,))
    return replace(hypothesis, changes=tuple(replace(c, amount=amounts.get(c.what.value, c.amount)) for c in hypothesis.changes))


def found_on(name: str, cause: str, seed: int = 3, **amounts: float) -> Findings:
    vehicle = HiddenVehicle(MADE[name], hidden(MADE[name], cause, **amounts), np.random.default_rng(seed))
    return judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything()))


def likeliest(findings: Findings, count: int = 1) -> list[str]:
    return [c.cause for c in findings.causes[:count]]


@pytest.mark.long(but=3)
@pytest.mark.parametrize(
    ("name", "cause"),
    [
        ("both grounds", "missing:rear_ground"), ("sensed", "sense_resistance:alternator"), ("magnets", "phase_grounded:alternator"),
        ("parallel", "weak_battery:battery_2"), ("behind a link", "weak_battery:house"), ("behind a charger", "weak_battery:house"),
    ],
)  # fmt: skip
def test_it_is_the_likeliest(name: str, cause: str) -> None:
    assert likeliest(found_on(name, cause)) == [cause]


@pytest.mark.long
@pytest.mark.parametrize("name", ["behind a link", "behind a charger"])
def test_a_house_battery_is_cleared_by_its_load_test_though_nobody_rates_it_for_cranking(name: str) -> None:
    vehicle = HiddenVehicle(MADE[name], hypotheses(MADE[name])[0], np.random.default_rng(3))
    # Its volts and amperes with everything on say something of it, too.
    read = {point: m for point, m in vehicle.everything().items() if not point.startswith("net_")}
    without = {point: m for point, m in read.items() if point != "load_v:house"}
    weak = [
        sum(c.probability for c in judged(vehicle.circuit, *runs_of(vehicle, some)).causes if c.cause == "weak_battery:house")
        for some in (read, without)
    ]
    assert weak[0] < weak[1] / 2 and weak[0] < 0.03


def test_what_one_battery_feeds_another_while_the_drain_is_read_is_no_drain() -> None:
    """What comes out of one goes into the other; the cause says so, and sends nobody to pull fuses."""
    findings = found_on("parallel", "unlevel:battery_2", unlevel=0.1)
    first = findings.causes[0]
    assert first.cause == "unlevel:battery_2" and first.probability > 0.9 and not findings.doubtful
    assert findings.headline.text.startswith(f"{first.label}, ") and "mV above them" in findings.headline.text
    assert not {c.cause for c in findings.causes if c.probability > 0.05} & {"drain:battery", "drain:battery_2"}


@pytest.mark.parametrize("battery", ["battery", "battery_2"])
def test_a_drain_on_one_of_two_is_not_taken_for_what_one_feeds_the_other(battery: str) -> None:
    """Both give: no exchange between them does that."""
    findings = found_on("parallel", f"drain:{battery}", drain_a=1.2)
    assert {c.cause.split(":")[0] for c in findings.causes[:1]} == {"drain"} and findings.causes[0].probability > 0.5
    assert not [c for c in findings.causes if c.kind == "unlevel" and c.probability > 0.05]


@pytest.mark.long
@pytest.mark.parametrize(
    ("name", "cause", "beside"),
    [
        ("behind a link", "link_stays_open:link", {"open:link_fuse", "open:house_fuse"}),
        ("behind a charger", "converter_off:charger", {"open:feed_fuse", "open:house_fuse"}),
    ],
)
def test_what_nothing_reaches_is_parted_by_both_sides_of_what_should_feed_it(name: str, cause: str, beside: set[str]) -> None:
    """No voltage of the bank itself does: full volts before it and none behind, or none before it and all of it over what is open, is what
    the trade goes by (common practice, no source)."""
    for true in (cause, *beside):
        first = found_on(name, true).causes[0]
        # A link that closes on nothing reads as one with too much behind it.
        assert (first.cause, first.probability > 0.85) == (true, True)
    vehicle = HiddenVehicle(MADE[name], hidden(MADE[name], cause), np.random.default_rng(3))
    bank_alone = {k: v for k, v in vehicle.everything().items() if not k.startswith(("link_", "converter_", "drop_v:"))}
    findings = judged(vehicle.circuit, *runs_of(vehicle, bank_alone))
    assert findings.causes[0].probability < 0.9 and findings.one_of is not None
    assert set(findings.one_of.causes) <= {*beside, cause} and cause in findings.one_of.causes
    assert findings.headline.text.startswith("It is one of these, ")


@pytest.mark.long(but=1)
@pytest.mark.parametrize("true", ["missing:charge_cable", "open:charge_fuse", "missing:battery_lead"])
def test_where_the_voltage_appears_along_a_dead_feed_is_behind_what_is_open(true: str) -> None:
    """The stud has nothing with either; joint by joint back to the battery parts them (common practice, no source)."""
    first = found_on("behind a link", true).causes[0]
    assert (first.cause, first.probability > 0.9) == (true, True)


@pytest.mark.long(but=1)
@pytest.mark.parametrize("lost_v", [0.4, 0.8])
def test_what_a_sense_wire_loses_with_the_engine_running_tells_it_from_its_regulator(lost_v: float) -> None:
    """The end of the wire is at the set point, and the battery above it."""
    wire = found_on("sensed", "sense_resistance:alternator", set_point=lost_v).causes[0]
    assert (wire.cause, wire.probability > 0.8) == ("sense_resistance:alternator", True)
    regulator = found_on("sensed", "regulator_high:alternator", set_point=1.0).causes[0]
    assert (regulator.cause, regulator.probability > 0.8) == ("regulator_high:alternator", True)


@pytest.mark.long
def test_a_charger_that_does_not_run_on_a_good_battery_is_no_sound_one() -> None:
    """With 14 V at its input it had no reason to stop: that nothing was broken and it had switched itself off used to be 98 % sure."""
    vehicle = HiddenVehicle(
        MADE["behind a charger"], hidden(MADE["behind a charger"], "converter_off:charger"), np.random.default_rng(5)
    )
    before = {k: v for k, v in vehicle.everything().items() if not k.startswith("converter_")}
    findings = judged(vehicle.circuit, *runs_of(vehicle, before))
    assert findings.causes[0].cause == "converter_off:charger" and findings.causes[0].probability > 0.5


@pytest.mark.parametrize(
    ("at_the_end_v", "cause"),
    [(0.0, "sense_open:alternator"), (12.5, "regulator_high:alternator")],
    ids=["nothing", "the battery's"],
)
def test_what_is_at_the_end_of_a_sense_wire_tells_it_from_its_regulator(at_the_end_v: float, cause: str) -> None:
    """16.2 V in the regulated test: open, the wire has no volts with the key on (common practice, no source)."""
    vehicle = HiddenVehicle(
        MADE["sensed"], hidden(MADE["sensed"], "regulator_high:alternator", set_point=1.8), np.random.default_rng(3)
    )
    read = {
        k: v for name in ("rest", "regulated") for k, v in vehicle.read(procedure(name)).items() if not k.startswith("sense_v")
    }
    read["key_battery_v"] = Measured(12.5, 0.05)
    read["key_sense_v:alternator"] = Measured(at_the_end_v, 0.05)
    findings = judged(vehicle.circuit, *runs_of(vehicle, read))
    # Full volts may have been read at the battery's end.
    assert likeliest(findings) == [cause] and findings.causes[0].probability > (0.7 if at_the_end_v else 0.8)
    assert not [d for d in findings.doubtful if d.point.startswith("key_sense_v")]


def test_a_unit_that_gave_something_has_a_field() -> None:
    """Sixty amperes at the output while the drops were read, and 12.5 V at the battery afterwards."""
    car = MADE["front"]
    dead = HiddenVehicle(car, hidden(car, "field_open:alternator"), np.random.default_rng(3))
    sound = HiddenVehicle(car, hypotheses(car)[0], np.random.default_rng(3))
    regulated, drops = dead.read(procedure("regulated")), sound.read(procedure("charging_drops"))
    alone = judged(car, *runs_of(dead, regulated))
    assert likeliest(alone) == ["field_open:alternator"] and alone.causes[0].probability > 0.5
    gave = judged(car, *runs_of(dead, regulated | drops))
    assert likeliest(gave) != ["field_open:alternator"]
    assert next(c.probability for c in gave.causes if c.cause == "field_open:alternator") < 0.5


def test_a_plate_that_says_less_is_a_smaller_unit_and_nothing_that_nobody_thought_of() -> None:
    car = MADE["front"]
    plate = {"plate_a:alternator": Measured(0.65 * car.alternator.rated_a, 0.0)}
    findings = judged(car, *runs_of(HiddenVehicle(car, hypotheses(car)[0], np.random.default_rng(3)), plate))
    assert likeliest(findings) == ["under_rated:alternator"] and findings.causes[0].probability > 0.5


def test_the_stand_ins_meter_reads_an_open_sense_wire_at_its_end_and_not_at_the_battery() -> None:
    car = MADE["sensed"]
    unit = car.alternator
    hands = Hands(HiddenVehicle(car, hidden(car, "sense_open:alternator"), np.random.default_rng(3)), BenchState.KEY_ON)
    hands.red, hands.black = unit.sense_positive_node or "", unit.case_node
    assert hands.volts() == pytest.approx(12.5, abs=0.3)
    hands.element = unit.id
    assert hands.volts() == pytest.approx(0.0, abs=0.05)


def test_a_lithium_battery_does_not_sulphate() -> None:
    """Lead sulphate is in lead batteries only: a fact of chemistry."""
    camper = MADE["behind a charger"]
    lithium = {b.id for b in camper.batteries if b.chemistry is Chemistry.LIFEPO4}
    sulphated = {h.causes[0].split(":")[1] for h in hypotheses(camper) if h.causes[0].startswith("sulphated")}
    assert lithium and sulphated == {b.id for b in camper.batteries} - lithium


def test_a_battery_that_takes_its_charge_slowly_is_weak_or_sulphated_and_not_more_than_that() -> None:
    findings = found_on("front", "sulphated:battery")
    assert set(likeliest(findings, 2)) == {"weak_battery:battery", "sulphated:battery"}
    assert max(c.probability for c in findings.causes) < 0.9


@pytest.mark.long(but=2)
@pytest.mark.parametrize("name", ["front", "both grounds", "parallel", "behind a charger"])
def test_one_that_takes_its_charge_slowly_is_weighed_though_its_resistance_is_that_of_a_good_one(name: str) -> None:
    """Where no weak battery is likely either, which it otherwise looks like."""
    vehicle = HiddenVehicle(
        MADE[name], hidden(MADE[name], "sulphated:battery", ohm_share=0.8, takes_share=10.0), np.random.default_rng(3)
    )
    weighed = {c.causes for c in inferred(vehicle.circuit, runs_of(vehicle, vehicle.everything())).candidates}
    assert ("sulphated:battery",) in weighed


def mixed(circuit: Circuit, drops: Hypothesis, others: Hypothesis, seed: int = 3) -> Findings:
    """One vehicle whose drop test was made with something in it that was not there in the other tests, or the other way round."""
    at_the_drops, elsewhere = (HiddenVehicle(circuit, h, np.random.default_rng(seed)) for h in (drops, others))
    read = {k: v for p in PROCEDURES for k, v in (at_the_drops if p.name == "charging_drops" else elsewhere).read(p).items()}
    return judged(circuit, *runs_of(elsewhere, read))


@pytest.mark.parametrize("whole", [False, True], ids=["part by part", "the side read whole, too"])
def test_a_lead_that_carries_next_to_nothing_is_not_gone_for_sure(whole: bool) -> None:
    """The drop across it is that of the way round it, whatever is in it: it was gone, 90 % sure and more, for as a bad contact it was fitted
    from too little, and the drop taken for a slip."""
    car = build_layout("front_battery", 12)
    sides = {"feed_v": 0.133, "return_v": 0.156} if whole else {}
    drops = {"charge_cable": 0.08, "charge_fuse": 0.037, "battery_lead": 0.016, "mount": 0.006, "block_ground": 0.15}
    likely = {c.cause: c.probability for c in judged(car, drop_run(car, 80, **drops, **sides)).causes}
    assert likely["resistance:block_ground"] > 0.2 and likely["missing:block_ground"] < 0.75, likely


def test_a_joint_that_was_bad_in_one_test_only_comes_and_goes() -> None:
    car = MADE["front"]
    bad, sound = hidden(car, "resistance:charge_cable", more_ohm=0.02), hypotheses(car)[0]
    findings = mixed(car, bad, sound)
    assert likeliest(findings) == ["intermittent:charge_cable"] and findings.causes[0].probability > 0.9
    assert "shake" in findings.causes[0].advice.lower()
    # Bad in every test it is no more than a bad contact.
    always = mixed(car, bad, bad)
    assert likeliest(always) == ["resistance:charge_cable"]


@pytest.mark.parametrize(("cause", "says"), [("slow_engine:", "2,000 /min"), ("glow_plugs:battery", "Glow plugs")])
def test_a_test_in_the_wrong_state_is_a_cause_and_no_part_is_condemned(cause: str, says: str) -> None:
    """Good at idle and weak at what was taken for 2,000 /min; or good everywhere but in the first reading."""
    findings = found_on("front", cause)
    assert likeliest(findings) == [cause] and says in findings.headline.text
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES and "again" in findings.headline.next_step


def test_strands_that_are_eaten_have_more_once_they_are_warm() -> None:
    """The same metal, by the catalogue: 40 % of its excess while nothing has warmed it."""
    change = next(h for h in hypotheses(MADE["front"]) if h.causes == ("corroded:charge_cable",)).changes[0]
    assert change.share_in(BenchState.AT_OUTPUT) == 1.0 and change.share_in(BenchState.CRANKING) == 0.4


def test_a_set_point_is_held_against_the_chemistry_of_what_it_charges() -> None:
    """Common practice: gel takes 14.4 V at most; a 15.2 V set-up cooks any lead battery. Nothing is said of what fits."""
    car = MADE["front"]
    for chemistry, volts, expected in (
        (Chemistry.FLOODED, 14.4, False), (Chemistry.GEL, 14.8, True), (Chemistry.AGM, 15.2, True), (Chemistry.LIFEPO4, 13.2, True),
    ):  # fmt: skip
        circuit = car.model_copy(
            update={
                "alternators": (car.alternator.model_copy(update={"set_point_v": volts}),),
                "batteries": (car.battery.model_copy(update={"chemistry": chemistry}),),
            }
        )
        assert any(p.code == "set_point_for_chemistry" for p in judged(circuit).parts) is expected, (chemistry, volts)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_no_ready_layout_has_a_wrong_set_point_or_a_link_that_chatters(layout: object) -> None:
    circuit = layout.build(12)  # type: ignore[attr-defined]
    assert not [p.code for p in judged(circuit).parts if p.code in ("set_point_for_chemistry", "link_chatters")]


def test_a_link_whose_feed_is_bad_chatters() -> None:
    """Behind 0.3 ohm the house bank pulls the link below its threshold as soon as it closes."""
    van = MADE["behind a link"]
    link = next(b for b in van.branches if b.id == "link")
    document = van.model_dump(mode="json")
    for b in document["branches"]:
        if b["id"] == "link":
            b.update({"cut_in_v": 13.3, "cut_out_v": 13.2})
    for battery in document["batteries"]:
        battery["state_of_charge"] = 0.1
    for a in document["alternators"]:
        a["rated_a"] = 25
    findings = judged(Circuit.model_validate(document))
    assert [p.branch_id for p in findings.parts if p.code == "link_chatters"] == [link.id]


def test_every_fault_is_one_row_that_says_all_of_it() -> None:
    table = fault_table()
    for kind, fault in table.faults.items():
        assert fault.title and (fault.advice or kind == "none") and fault.weight > 0, kind
        assert fault.of in ELEMENTS and (not fault.looks_like or fault.looks_like in table.faults), kind
        assert fault.amount is None or fault.amount in {c.what for c in fault.changes}, kind
    for layout in LAYOUTS:
        every = hypotheses(layout.build(12))
        assert every[0].causes == ("none:",)
        assert {h.causes[0].split(":")[0] for h in every} <= set(table.faults)
        assert 0.5 < sum(h.weight for h in every) - every[0].weight < 1.25 and every[0].weight == 0.75
