"""Verdicts, excess and heat, against hand calculation; readings that cannot be; what a headline says."""

import math
import re
from types import SimpleNamespace
from typing import cast

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.staircase import build_staircase
from mavrik.core.findings import BranchFinding, BranchVerdict, judge
from mavrik.core.findings.bench import Known, total
from mavrik.core.findings.causes import undecided_sets
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import BAD
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.inference import Estimate, Posterior
from mavrik.core.findings.sides import sum_check
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.readings import Run
from mavrik.core.operating.prediction import at_output, at_rated_output, predict
from mavrik.standin.vehicle import HiddenVehicle
from tests.build import (
    CLAMP,
    METER,
    branch_of,
    drop_run,
    drops_with,
    judged,
    runs_of,
    simple_circuit,
    simple_document,
    with_branch,
)

SIMPLE = simple_circuit()
SOUND = {"feed": 0.121, "fuse": 0.053, "home": 0.065}


def branch(circuit: Circuit, run: Run, branch_id: str, profile: LimitProfileName = LimitProfileName.COMMON) -> BranchFinding:
    return branch_of(judged(circuit, run, profile=profile), branch_id)


def test_excess_resistance_and_heat_by_hand() -> None:
    """150 mV at 100 A over a lead of 0.654 mohm: 1.5 mohm, 0.846 too much; 15 W, of which 8.46 W too much."""
    finding = branch(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"home": 0.150}), "home")
    assert finding.excess_ohm == pytest.approx(0.846e-3, rel=0.005)
    assert finding.heat_w == pytest.approx(15.0)
    assert finding.excess_heat_w == pytest.approx(8.46, rel=0.005)
    u_volt = 2 * (0.150 * 0.005 + 0.002) / math.sqrt(3)
    assert finding.measured_uncertainty_v == pytest.approx(u_volt)
    # What the clamp may be off moves all drops alike, and those of the sound leads beside it say by how much.
    assert finding.excess_low_ohm is not None and finding.excess_high_ohm is not None
    # Upwards; downwards it knows, too, that one reading may be a slip.
    half = finding.excess_high_ohm - finding.excess_ohm
    u_amp = 2 * (100 * 0.02 + 0.3) / math.sqrt(3)
    least, most = u_volt / 100, math.hypot(u_volt / 100, 0.150 * u_amp / 100**2, 0.05 * 0.654e-3)
    assert least < half < 1.2 * most
    assert finding.excess_low_ohm < 0.846e-3 < finding.excess_high_ohm


def test_a_ground_over_its_limit_fails_with_the_rule_and_its_source() -> None:
    finding = branch(SIMPLE, drop_run(SIMPLE, 100, home=0.150), "home")
    assert finding.verdict is BranchVerdict.FAIL
    assert finding.limit_v == pytest.approx(0.1)
    assert "0.1 V for a ground lead" in finding.limit_rule
    assert "Common practice" in finding.limit_source
    # 0.846 by hand, and one in twelve that the probe slipped.
    assert re.search(r"0\.8[45] mΩ", finding.reason) and "more than this part has when sound" in finding.reason
    assert "clean" in finding.next_step


def test_a_drop_is_judged_at_rated_output_through_warm_metal() -> None:
    """60 mV at 50 A is 120 mV at the rated 100 A, and more in copper that is 14 K warmer there: over a ground's 0.1 V.

    Copper by IEC 60028, 0.554 mohm by IEC 60228; two lugs of 0.05 mohm and what it has too much stay as they are. How much warmer
    35 mm2 gets is the heat balance's, held against tables elsewhere.
    """
    finding = branch(SIMPLE, drop_run(SIMPLE, 50, home=0.060), "home")
    warm = predict(SIMPLE, at_rated_output(SIMPLE)).temperature_c["home"]
    assert finding.temperature_c == 20 and 10 < warm - finding.temperature_c < 18
    by_hand = 0.120 + 100 * 0.554e-3 * 0.00393 * (warm - 20)
    assert finding.judged_drop_v == pytest.approx(by_hand, rel=0.003)
    assert finding.verdict is BranchVerdict.FAIL


def test_a_tolerance_in_milliohms_knows_the_watts() -> None:
    """A lug of 0.18 mohm too much makes 16 W at 300 A: 54 mV are within every limit in volts, and no lug stays cool at that."""
    document = with_branch(with_branch(simple_document(), "home", size="95 mm2"), "feed", length_m=0.4, size="95 mm2")
    document["alternators"][0]["rated_a"] = 300
    circuit = Circuit.model_validate(with_branch(document, "fuse", rating_a=400))
    sound = predict(circuit, at_output(circuit, 280)).drop_v
    drops = {b: abs(v) for b, v in sound.items() if b in SOUND}
    cool = branch(circuit, drop_run(circuit, 280, **drops), "feed")
    assert cool.verdict is BranchVerdict.PASS
    hot = branch(circuit, drop_run(circuit, 280, **drops | {"feed": drops["feed"] + 280 * 0.00018}), "feed")
    assert hot.judged_drop_v is not None and hot.judged_drop_v < hot.limit_v
    assert hot.verdict is BranchVerdict.EXCESS and "16 W" in hot.reason


def test_within_the_limit_but_worse_than_sound_is_excess() -> None:
    """A fuse of 0.53 mohm that reads 1.2 mohm: 120 mV is under a side's 0.2 V, yet more than twice what it should be."""
    finding = branch(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"fuse": 0.120}), "fuse")
    assert finding.verdict is BranchVerdict.EXCESS
    assert finding.excess_ohm == pytest.approx(0.12 / 100 - 0.08 / 150, rel=0.01)


def test_a_sound_reading_passes() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND))
    assert {b.verdict for b in findings.branches} == {BranchVerdict.PASS}
    assert findings.headline.verdict is BranchVerdict.PASS


def test_sound_leads_do_not_make_a_sound_vehicle() -> None:
    """Nobody tried the alternator: what was read is sound, and what to do next is said."""
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND), ahead=True)
    assert findings.headline.text.startswith("What was read is sound") and findings.headline.next_step.startswith(
        "Make the test that tells most: "
    )


def test_near_the_limit_is_too_close_to_call() -> None:
    circuit = Circuit.model_validate(with_branch(simple_document(), "home", length_m=1.55))
    finding = branch(circuit, drop_run(circuit, 100, home=0.0975), "home")
    assert finding.verdict is BranchVerdict.CLOSE
    assert "straddles" in finding.reason


def test_over_the_limit_though_sound_is_a_size_problem() -> None:
    circuit = Circuit.model_validate(with_branch(simple_document(), "home", length_m=3.0))
    finding = branch(circuit, drop_run(circuit, 100, home=0.176), "home")
    assert finding.verdict is BranchVerdict.FAIL
    assert "too small or too long" in finding.reason
    assert "Plan" in finding.next_step


def test_a_reading_against_the_current_is_a_probe_problem() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"home": -0.066}))
    home = branch_of(findings, "home")
    assert home.verdict is BranchVerdict.CHECK_PROBES and "against the current" in home.reason
    assert home.excess_ohm is None, "nothing is concluded from it"
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES


def test_probes_that_touch_nothing_are_called_out() -> None:
    """Every drop 0.000 V at 80 A: no circuit does that."""
    circuit = build_layout("front_battery", 12)
    dead = dict.fromkeys((b.id for b in circuit.branches), 0.0)
    findings = judged(circuit, drop_run(circuit, 80, feed_v=0.0, return_v=0.0, **dead))
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES and "did not touch" in findings.headline.text
    assert {s.verdict for s in findings.sides if s.name != "whole"} == {BranchVerdict.CHECK_PROBES}
    assert not any(b.verdict in (BranchVerdict.FAIL, BranchVerdict.EXCESS) for b in findings.branches)


def test_what_is_lost_behind_an_open_fuse_is_no_lost_probe() -> None:
    """With the charge fuse surely open by other tests next to nothing is lost on the way back, and that is no probe's fault."""
    car = build_layout("boat_isolator", 12)
    opened = next(h for h in hypotheses(car) if h.causes == ("open:charge_fuse",))
    vehicle = HiddenVehicle(car, opened, np.random.default_rng(3))
    findings = judged(car, *runs_of(vehicle, vehicle.everything()))
    assert findings.causes[0].cause == "open:charge_fuse" and findings.causes[0].probability > 0.9
    assert not [b.label for b in findings.branches if "far below" in b.reason]
    assert not [s.name for s in findings.sides if "did not touch" in s.reason]


def test_a_fuse_holder_may_be_far_better_than_another() -> None:
    """A third of what two contacts of its kind usually lose is still a contact; nothing at all is a probe in the air."""
    better = branch(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"fuse": 0.35 * SOUND["fuse"]}), "fuse")
    assert better.verdict is BranchVerdict.PASS
    assert branch(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"fuse": 0.0}), "fuse").verdict is BranchVerdict.CHECK_PROBES


def test_a_part_far_below_sound_is_called_out() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND | {"feed": 0.04}))
    assert branch_of(findings, "feed").verdict is BranchVerdict.CHECK_PROBES
    assert "length and size" in branch_of(findings, "feed").next_step


def test_what_was_not_read_is_not_judged() -> None:
    finding = branch(SIMPLE, drop_run(SIMPLE, 100, feed=0.121), "home")
    assert finding.verdict is BranchVerdict.NOT_MEASURED
    assert finding.measured_drop_v is None and finding.heat_w is None and finding.excess_ohm is None


def test_sides_and_whole_by_hand() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 80, feed_v=0.14, return_v=0.052))
    sides = {s.name: s for s in findings.sides}
    # By Ohm's law 175, 65 and 240 mV, and what the metal warms by between 80 and 100 A; a fuse's element is no cable and stays.
    for name, volts in (("feed", 0.175), ("return", 0.065), ("whole", 0.240)):
        side = sides[name]
        warmer = side.rated_drop_v / (side.predicted_drop_v * 100 / 80)
        assert 1.01 < warmer < 1.06
        assert side.judged_drop_v == pytest.approx(volts * warmer, rel=0.01)
    assert sides["whole"].limit_v == pytest.approx(0.5)
    assert {s.verdict for s in findings.sides} == {BranchVerdict.PASS}
    assert sides["feed"].basis == "reading" and sides["whole"].basis == "sides"


def test_a_side_not_read_whole_is_the_sum_of_its_parts() -> None:
    sides = {s.name: s for s in judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND)).sides}
    assert sides["feed"].basis == "parts"
    assert sides["feed"].measured_drop_v == pytest.approx(0.174)


def test_what_one_meter_may_be_off_adds_up_over_the_parts() -> None:
    """Source: JCGM 100, 5.2.2. 121 mV and 53 mV read with one meter: its errors add, they do not average out."""
    sides = {s.name: s for s in judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND)).sides}
    by_hand = sum(2 * (v * 0.005 + 0.002) / math.sqrt(3) for v in (0.121, 0.053))
    assert sides["feed"].measured_uncertainty_v == pytest.approx(by_hand)


def test_stud_less_battery_stands_in_for_both_sides() -> None:
    sides = {s.name: s for s in judged(SIMPLE, drop_run(SIMPLE, 100, stud_v=14.40, battery_v=14.10)).sides}
    assert sides["whole"].basis == "voltages"
    assert sides["whole"].measured_drop_v == pytest.approx(0.30)


def test_what_one_meter_reads_too_high_of_itself_leaves_a_difference_alone() -> None:
    """Source: JCGM 100, 5.2.2. 14.40 and 14.10 V with one meter: half a percent of 0.30 V and the digits of both, and what a voltage wanders
    between two readings (a thousandth, standard deviation); not 0.14 V."""
    whole = next(s for s in judged(SIMPLE, drop_run(SIMPLE, 100, stud_v=14.40, battery_v=14.10)).sides if s.name == "whole")
    wander = 2 * 0.001 * math.hypot(14.40, 14.10)
    by_hand = 2 * (0.30 * 0.005 + math.hypot(0.002, 0.002)) / math.sqrt(3)
    assert whole.measured_uncertainty_v == pytest.approx(math.hypot(by_hand, wander))
    another = [
        r.model_copy(update={"instrument": "other"}) if r.point == "battery_v" else r
        for r in drop_run(SIMPLE, 100, stud_v=14.40, battery_v=14.10).readings
    ]
    run = drop_run(SIMPLE, 100, stud_v=14.40, battery_v=14.10).model_copy(
        update={"readings": tuple(another), "instruments": (METER, CLAMP, METER.model_copy(update={"id": "other"}))}
    )
    whole = next(s for s in judged(SIMPLE, run).sides if s.name == "whole")
    two = (2 * (v * 0.005 + 0.002) / math.sqrt(3) for v in (14.40, 14.10))
    assert whole.measured_uncertainty_v == pytest.approx(math.hypot(*two, wander))


def test_a_good_set_is_told_that_a_probe_was_wrong_in_less_than_one_of_a_hundred() -> None:
    """Any gain and offset that the meter's manual allows, and a current that wanders by 3 % (standard deviation) between readings."""
    rng, wrong, sets = np.random.default_rng(6), 0, 4000
    for _ in range(sets):
        drops = rng.uniform(0.005, 0.15, rng.integers(2, 6))
        gain, share = rng.uniform(-0.005, 0.005), 2 / math.sqrt(3)

        def read(volts: float, gain: float = gain, share: float = share) -> Known:
            seen = volts * (1 + 0.03 * rng.standard_normal()) * (1 + gain) + rng.uniform(-2, 2) * 0.001
            return Known(seen, share * (0.005 * seen + 0.002), 80, 1, share * 0.005 * seen, "meter", (seen,))

        wrong += not sum_check("feed", total([read(v) for v in drops]), read(float(drops.sum())), "parts", "the whole").agrees
    assert 0 < wrong < 0.01 * sets


def test_parts_that_do_not_add_up_say_that_a_probe_was_wrong() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND, feed_v=0.250))
    check = findings.checks[0]
    assert not check.agrees
    assert check.difference_v == pytest.approx(0.174 - 0.250)
    assert "probe was wrong" in check.message
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES
    assert judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND, feed_v=0.176)).checks[0].agrees


def test_voltages_are_checked_against_the_sides() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, feed_v=0.174, return_v=0.065, stud_v=14.40, battery_v=13.80))
    whole = next(c for c in findings.checks if c.name == "whole")
    assert not whole.agrees and whole.whole_v == pytest.approx(0.6)


def test_a_shared_current_is_the_fits_until_clamped() -> None:
    circuit = build_layout("front_battery", 12)
    split = branch(circuit, drop_run(circuit, 70, block_ground=0.150), "block_ground")
    assert split.current_basis == "fitted"
    clamped = branch(circuit, drop_run(circuit, 70, block_ground=0.150, block_ground_amps=20.0), "block_ground")
    assert clamped.current_basis == "clamp" and clamped.current_a == 20.0
    assert clamped.excess_ohm == pytest.approx(0.150 / 20 - circuit.branch("block_ground").sound_resistance_ohm(20), rel=0.1)


@pytest.mark.parametrize(("bad", "mohm"), [("body_ground", 20.0), ("block_ground", 5.0), ("engine_strap", 9.0)])
def test_the_bad_one_of_parallel_grounds_is_blamed_and_no_sound_one(bad: str, mohm: float) -> None:
    circuit = build_layout("front_battery", 12)
    findings = judged(circuit, drops_with(circuit, 80, {bad: mohm / 1000}))
    wrong = {b.branch_id for b in findings.branches if b.verdict in (BranchVerdict.FAIL, BranchVerdict.EXCESS)}
    assert wrong == {bad}
    of = branch_of(findings, bad)
    assert of.excess_low_ohm is not None and of.excess_high_ohm is not None
    assert of.excess_low_ohm < mohm / 1000 < of.excess_high_ohm
    assert findings.headline.element == bad


def test_sound_batteries_in_parallel_are_sound_everywhere() -> None:
    """The link between them carries what it carries: no verdict says sound beside a cause that says open."""
    circuit = build_layout("parallel_batteries", 12)
    findings = judged(circuit, drops_with(circuit, 66, {}))
    assert findings.headline.verdict is BranchVerdict.PASS
    assert not any(c.probability > 0.5 and c.kind != "none" for c in findings.causes)


def test_loads_between_stud_and_battery_are_counted_as_they_were() -> None:
    """A 60 A consumer at the fuse stud, off in the test: then the feed behind it carried all of the output."""
    consumer = {"id": "heater", "label": "Heater", "from_node": "fuse_in", "to_node": "minus", "current_a": 60.0}
    circuit = simple_circuit(loads=[consumer])
    off = {"loads_on": frozenset()}
    bad = drops_with(circuit, 90, {"fuse": 0.0012}, **off).model_copy(update={"loads_on": ()})
    assert branch_of(judged(circuit, bad), "fuse").verdict in (BranchVerdict.FAIL, BranchVerdict.EXCESS)
    sound = drops_with(circuit, 90, {}, **off).model_copy(update={"loads_on": ()})
    assert {b.verdict for b in judged(circuit, sound).branches} == {BranchVerdict.PASS}
    on = drops_with(circuit, 90, {}, loads_on=frozenset({"heater"})).model_copy(update={"loads_on": ("heater",)})
    assert {b.verdict for b in judged(circuit, on).branches} == {BranchVerdict.PASS}
    # The same readings with the load on would be a fuse of three times its resistance.
    untrue = sound.model_copy(update={"loads_on": ("heater",)})
    assert branch_of(judged(circuit, untrue), "fuse").verdict is not BranchVerdict.PASS


@pytest.mark.parametrize(("volts", "limit"), [(12, 0.2), (24, 0.4)])
def test_volt_limits_double_on_24_v(volts: int, limit: float) -> None:
    findings = judged(build_layout("front_battery", volts))
    assert next(s for s in findings.sides if s.name == "feed").limit_v == pytest.approx(limit)


@pytest.mark.parametrize(
    ("profile", "side", "ground", "whole"),
    [("common", 0.2, 0.1, 0.5), ("strict", 0.1, 0.05, 0.25), ("three_percent", 0.18, 0.09, 0.36)],
)
def test_profiles_are_the_trades(profile: str, side: float, ground: float, whole: float) -> None:
    """Common practice, no source: 0.2 V a side, 0.1 V a ground, 0.5 V whole; other shops 3 % of 12 V."""
    findings = judged(SIMPLE, profile=LimitProfileName(profile))
    limits = {s.name: s.limit_v for s in findings.sides}
    assert limits["feed"] == pytest.approx(side)
    assert limits["whole"] == pytest.approx(whole)
    assert branch_of(findings, "home").limit_v == pytest.approx(ground)


def test_a_weak_test_current_is_noted() -> None:
    def codes(amps: float, volts: float) -> list[str]:
        return [f.code for f in judged(SIMPLE, drop_run(SIMPLE, amps, home=volts)).parts]

    assert "weak_test" in codes(20, 0.013)
    assert "weak_test" not in codes(60, 0.04)


def test_readings_of_branches_that_are_gone_are_kept_and_are_no_evidence() -> None:
    bigger = simple_document()
    bigger["branches"].append(
        {
            "kind": "cable",
            "id": "spare",
            "label": "Spare",
            "from_node": "stud",
            "to_node": "fuse_in",
            "length_m": 2,
            "size": "35 mm2",
        }
    )
    run = drop_run(Circuit.model_validate(bigger), 100, spare=0.5)
    findings = judged(SIMPLE, run)
    assert [r.point for r in findings.not_asked] == ["drop_v:spare"] and findings.not_asked[0].label.startswith("Spare")
    assert findings.readings == 0 and branch_of(findings, "feed").verdict is BranchVerdict.NOT_MEASURED


def test_a_correction_supersedes_and_the_first_reading_is_out() -> None:
    first, second = drop_run(SIMPLE, 100, home=0.650), drop_run(SIMPLE, 100, home=0.065)
    assert branch_of(judge(SIMPLE, [first, second], superseded=[0]), "home").measured_drop_v == 0.065
    assert branch_of(judge(SIMPLE, [first]), "home").verdict is BranchVerdict.FAIL
    repeats = next(t for t in judge(SIMPLE, [first, second]).tests if t.procedure == "charging_drops").repeats
    assert [(r.point, r.before, r.after) for r in repeats] == [("drop_v:home", 0.65, 0.065)]
    assert not next(t for t in judge(SIMPLE, [first, second], superseded=[0]).tests).repeats


def test_a_sound_job_that_adds_loads_says_so_and_what_to_do() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND), wants="to carry 155 A more, plan the change")
    assert "sound" in findings.headline.text and "to carry 155 A" in findings.headline.text
    assert findings.headline.next_step == "Plan the change."
    planned = judged(SIMPLE, drop_run(SIMPLE, 100, **SOUND), wants="to carry 155 A more, see the plan")
    assert planned.headline.next_step == "See the plan."


def test_the_staircase_goes_down_from_stud_to_battery_and_from_battery_to_case() -> None:
    findings = judged(SIMPLE, drop_run(SIMPLE, 50, feed=0.1, fuse=0.02, home=0.05, stud_v=14.2))
    stairs = build_staircase(SIMPLE, find_ring(SIMPLE), findings)
    assert [s.branch_id for s in stairs.feed] == ["feed", "fuse"]
    assert stairs.feed[0].measured_from_v == pytest.approx(14.2)
    assert stairs.feed[0].measured_to_v == pytest.approx(14.1)
    assert stairs.measured_battery_positive_v == pytest.approx(14.08)
    assert stairs.return_side[-1].measured_to_v == pytest.approx(0)
    assert stairs.return_side[0].measured_from_v == pytest.approx(0.05)
    # Half the rated current, so half the limit of 0.2 V.
    assert stairs.feed_limit_v == pytest.approx(14.2 - 0.1)
    assert stairs.return_limit_v == pytest.approx(0.1)


def test_an_unread_step_stands_in_with_its_prediction() -> None:
    stairs = build_staircase(SIMPLE, find_ring(SIMPLE), judged(SIMPLE, drop_run(SIMPLE, 100, feed=0.2)))
    assert [s.read for s in stairs.feed] == [True, False]
    assert stairs.feed[1].measured_from_v - stairs.feed[1].measured_to_v == pytest.approx(0.08 / 150 * 100)


def test_nothing_read_is_predicted_where_the_limits_are() -> None:
    """A plan shows the millivolts of its drawing and of its table side by side: both are warmed up at rated output."""
    for b in judged(build_layout("rear_battery", 12)).branches:
        assert b.predicted_drop_v == pytest.approx(b.rated_drop_v, rel=1e-9), b.branch_id


def test_currents_are_those_of_batteries_charged_unlike() -> None:
    """Two batteries of one kind with 0.4 V between them share nothing evenly: the drops say so, and so do the amperes shown."""
    circuit = build_layout("parallel_batteries", 12)
    first, second = (b.id for b in circuit.batteries)
    seen = predict(circuit, at_output(circuit, 80), extra_emf_v={first: 0.2, second: -0.2})
    assert abs(seen.current_a["link_cable"]) > 2
    findings = judged(circuit, drop_run(circuit, 80, **{b: round(v, 4) for b, v in seen.drop_v.items()}))
    link = branch_of(findings, "link_cable")
    assert link.current_a == pytest.approx(seen.current_a["link_cable"], abs=0.1 * abs(seen.current_a["link_cable"]) + 0.5)
    assert not any(b.verdict in (BranchVerdict.EXCESS, BranchVerdict.FAIL) for b in findings.branches)


def _posterior(estimates: dict[str, Estimate], sets: list[SimpleNamespace], how: What) -> Posterior:
    """Of the simplest car, whatever is bad being so in one way."""
    model = SimpleNamespace(document=build_layout("front_battery", 12))
    bad_by = {b: {what: e.probability * (what is how) for what in BAD} for b, e in estimates.items()}
    return cast(Posterior, SimpleNamespace(estimates=estimates, candidates=sets, model=model, bad_by=bad_by.__getitem__))


@pytest.mark.parametrize(
    ("kind", "how", "words"),
    [
        ("resistance", What.MORE_OHM, "have too much"),
        ("open", What.OPEN, "be open"),
        ("missing", What.OPEN, "be open"),
        ("way_shorted", What.SHORTED, "conduct both ways"),
    ],
)
def test_one_that_may_be_bad_is_said_to_be_so_as_its_branch_says_it(kind: str, how: What, words: str) -> None:
    sets = [SimpleNamespace(causes=(c,), probability=0.5) for c in (f"{kind}:charge_fuse", "none:")]
    estimates = {"charge_fuse": Estimate(0.001, 0.0, 0.002, 0.5, True)}
    (undecided,) = undecided_sets(_posterior(estimates, sets, how))
    assert undecided.words == f"Charge fuse may {words}; the readings do not tell."


def test_of_one_that_is_open_or_another_that_has_too_much_one_is_bad() -> None:
    sets = [SimpleNamespace(causes=(c,), probability=0.5) for c in ("open:charge_fuse", "open:charge_cable")]
    estimates = {b: Estimate(0.001, 0.0, 0.002, 0.5, True) for b in ("charge_fuse", "charge_cable")}
    (undecided,) = undecided_sets(_posterior(estimates, sets, What.OPEN))
    assert undecided.words.startswith("One of these is bad, and the readings do not tell which: Charge")


def test_only_branches_played_off_against_one_another_are_one_undecided_set() -> None:
    """A strap or the ground beside it, one of the two; whether a lead on the other side has too much as well has nothing to do with that."""
    shares = {
        ("resistance:body_ground",): 0.35,
        ("resistance:engine_strap",): 0.25,
        ("resistance:body_ground", "resistance:battery_lead"): 0.20,
        ("resistance:engine_strap", "resistance:battery_lead"): 0.20,
    }
    sets = [SimpleNamespace(causes=causes, probability=share) for causes, share in shares.items()]
    likely = {"body_ground": 0.55, "engine_strap": 0.45, "battery_lead": 0.40, "charge_cable": 0.0}
    estimates = {b: Estimate(0.001, 0.0, 0.002, share, True) for b, share in likely.items()}
    sets_undecided = undecided_sets(_posterior(estimates, sets, What.MORE_OHM))
    assert [set(u.branch_ids) for u in sets_undecided] == [{"body_ground", "engine_strap"}, {"battery_lead"}]
    assert (
        sets_undecided[0].words.startswith("One of these has too much")
        and sets_undecided[1].words == "Battery lead may have too much; the readings do not tell."
    )
