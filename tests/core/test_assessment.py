"""Verdicts, excess and heat, against hand calculation."""

import math

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.staircase import build_staircase
from mavrik.core.findings.assessment import BranchAssessment, BranchVerdict, assess
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.measurement import DropTest
from tests.build import drop_test, simple_circuit, simple_document, with_branch

SOUND = {"feed": 0.121, "fuse": 0.053, "home": 0.065}


def branch(
    circuit: Circuit, test: DropTest, branch_id: str, profile: LimitProfileName = LimitProfileName.COMMON
) -> BranchAssessment:
    return next(b for b in assess(circuit, test, profile).branches if b.branch_id == branch_id)


def test_excess_resistance_and_heat_by_hand() -> None:
    """150 mV at 100 A over a lead of 0.654 mohm: 1.5 mohm, 0.846 too much; 15 W, of which 8.46 W too much."""
    found = branch(simple_circuit(), drop_test(100, home=0.150), "home")
    assert found.measured_resistance_ohm == pytest.approx(1.5e-3)
    assert found.excess_resistance_ohm == pytest.approx(0.846e-3)
    assert found.heat_w == pytest.approx(15.0)
    assert found.excess_heat_w == pytest.approx(8.46)
    u_volt = 2 * (0.150 * 0.005 + 0.002) / math.sqrt(3)
    assert found.measured_uncertainty_v == pytest.approx(u_volt)
    u_amp = 2 * (100 * 0.02 + 0.3) / math.sqrt(3)
    assert found.excess_uncertainty_ohm == pytest.approx(math.hypot(u_volt / 100, 0.150 * u_amp / 100**2))


def test_a_ground_over_its_limit_fails_with_the_rule_and_its_source() -> None:
    found = branch(simple_circuit(), drop_test(100, home=0.150), "home")
    assert found.verdict is BranchVerdict.FAIL
    assert found.limit_v == pytest.approx(0.1)
    assert "0.1 V for a ground lead" in found.limit_rule
    assert "Common practice" in found.limit_source
    assert "0.85 mΩ more" in found.reason
    assert "clean" in found.next_step


def test_a_drop_is_judged_at_rated_output() -> None:
    """60 mV at 50 A is 120 mV at the rated 100 A: over a ground's 0.1 V."""
    found = branch(simple_circuit(), drop_test(50, home=0.060), "home")
    assert found.judged_drop_v == pytest.approx(0.120)
    assert found.verdict is BranchVerdict.FAIL


def test_within_the_limit_but_worse_than_sound_is_excess() -> None:
    """A fuse of 0.53 mohm that reads 1.2 mohm: 120 mV is under a side's 0.2 V, yet more than twice what it should be."""
    found = branch(simple_circuit(), drop_test(100, fuse=0.120), "fuse")
    assert found.verdict is BranchVerdict.EXCESS
    assert found.excess_resistance_ohm == pytest.approx(0.12 / 100 - 0.08 / 150)


def test_a_sound_reading_passes() -> None:
    said = assess(simple_circuit(), drop_test(100, **SOUND))
    assert {b.verdict for b in said.branches} == {BranchVerdict.PASS}
    assert said.headline.verdict is BranchVerdict.PASS


def test_near_the_limit_is_too_close_to_call() -> None:
    document = with_branch(simple_document(), "home", length_m=1.55)
    found = branch(Circuit.model_validate(document), drop_test(100, home=0.1), "home")
    assert found.verdict is BranchVerdict.CLOSE
    assert "straddles" in found.reason


def test_over_the_limit_though_sound_is_a_size_problem() -> None:
    document = with_branch(simple_document(), "home", length_m=3.0)
    said = assess(Circuit.model_validate(document), drop_test(100, home=0.176))
    found = next(b for b in said.branches if b.branch_id == "home")
    assert found.verdict is BranchVerdict.FAIL
    assert "too small or too long" in found.reason
    assert "Propose" in found.next_step


def test_a_reading_against_the_current_is_a_probe_problem() -> None:
    found = branch(simple_circuit(), drop_test(100, home=-0.066), "home")
    assert found.verdict is BranchVerdict.CHECK_PROBES
    barely = branch(simple_circuit(), drop_test(100, home=-0.001), "home")
    assert barely.verdict is not BranchVerdict.CHECK_PROBES  # within the meter's last digits


def test_what_was_not_read_is_not_judged() -> None:
    found = branch(simple_circuit(), drop_test(100, feed=0.121), "home")
    assert found.verdict is BranchVerdict.NOT_MEASURED
    assert found.measured_drop_v is None and found.heat_w is None


def test_sides_and_whole_by_hand() -> None:
    said = assess(simple_circuit(), drop_test(80, feed_drop=0.14, return_drop=0.052))
    sides = {s.name: s for s in said.sides}
    assert sides["feed"].judged_drop_v == pytest.approx(0.175)
    assert sides["return"].judged_drop_v == pytest.approx(0.065)
    assert sides["whole"].judged_drop_v == pytest.approx(0.240)
    assert sides["whole"].limit_v == pytest.approx(0.5)
    assert {s.verdict for s in said.sides} == {BranchVerdict.PASS}
    assert sides["feed"].basis == "reading" and sides["whole"].basis == "sides"


def test_a_side_not_read_whole_is_the_sum_of_its_parts() -> None:
    sides = {s.name: s for s in assess(simple_circuit(), drop_test(100, **SOUND)).sides}
    assert sides["feed"].basis == "parts"
    assert sides["feed"].measured_drop_v == pytest.approx(0.174)


def test_stud_less_battery_stands_in_for_both_sides() -> None:
    sides = {s.name: s for s in assess(simple_circuit(), drop_test(100, stud_voltage=14.40, battery_voltage=14.10)).sides}
    assert sides["whole"].basis == "voltages"
    assert sides["whole"].measured_drop_v == pytest.approx(0.30)


def test_parts_that_do_not_add_up_say_that_a_probe_was_wrong() -> None:
    said = assess(simple_circuit(), drop_test(100, **SOUND, feed_drop=0.250))
    check = said.checks[0]
    assert not check.agrees
    assert check.difference_v == pytest.approx(0.174 - 0.250)
    assert "probe was wrong" in check.message
    assert said.headline.verdict is BranchVerdict.CHECK_PROBES
    agreeing = assess(simple_circuit(), drop_test(100, **SOUND, feed_drop=0.176)).checks[0]
    assert agreeing.agrees


def test_voltages_are_checked_against_the_sides() -> None:
    said = assess(simple_circuit(), drop_test(100, feed_drop=0.174, return_drop=0.065, stud_voltage=14.40, battery_voltage=13.80))
    whole = next(c for c in said.checks if c.name == "whole")
    assert not whole.agrees and whole.whole_v == pytest.approx(0.6)


def test_a_shared_current_is_said_to_be_the_models_until_clamped() -> None:
    circuit = build_layout("front_battery", 12)
    split = branch(circuit, drop_test(70, block_ground=0.150), "block_ground")
    assert split.current_basis == "model_split"
    assert "clamp this lead" in split.reason
    clamped = branch(circuit, drop_test(70, block_ground=0.150, block_ground_amps=20.0), "block_ground")
    assert clamped.current_basis == "clamp"
    assert clamped.measured_resistance_ohm == pytest.approx(0.150 / 20)


@pytest.mark.parametrize(("volts", "limit"), [(12, 0.2), (24, 0.4)])
def test_volt_limits_double_on_24_v(volts: int, limit: float) -> None:
    said = assess(build_layout("front_battery", volts))
    assert next(s for s in said.sides if s.name == "feed").limit_v == pytest.approx(limit)


@pytest.mark.parametrize(
    ("profile", "side", "ground", "whole"),
    [("common", 0.2, 0.1, 0.5), ("strict", 0.1, 0.05, 0.25), ("three_percent", 0.18, 0.09, 0.36)],
)
def test_profiles_are_the_trades(profile: str, side: float, ground: float, whole: float) -> None:
    """Common practice, no source: 0.2 V a side, 0.1 V a ground, 0.5 V whole; other shops 3 % of 12 V."""
    said = assess(simple_circuit(), None, LimitProfileName(profile))
    limits = {s.name: s.limit_v for s in said.sides}
    assert limits["feed"] == pytest.approx(side)
    assert limits["whole"] == pytest.approx(whole)
    assert next(b for b in said.branches if b.branch_id == "home").limit_v == pytest.approx(ground)


def test_a_weak_test_current_is_noted() -> None:
    assert "weak_test" in [f.code for f in assess(simple_circuit(), drop_test(20, home=0.01)).findings]
    assert "weak_test" not in [f.code for f in assess(simple_circuit(), drop_test(60, home=0.04)).findings]


def test_readings_of_branches_that_are_gone_are_left_out() -> None:
    assert assess(simple_circuit(), drop_test(100, vanished=0.5)).headline.verdict is BranchVerdict.NOT_MEASURED


def test_the_staircase_goes_down_from_stud_to_battery_and_from_battery_to_case() -> None:
    circuit = simple_circuit()
    said = assess(circuit, drop_test(50, feed=0.1, fuse=0.02, home=0.05, stud_voltage=14.2))
    stairs = build_staircase(circuit, find_ring(circuit), said)
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
    circuit = simple_circuit()
    stairs = build_staircase(circuit, find_ring(circuit), assess(circuit, drop_test(100, feed=0.2)))
    assert [s.read for s in stairs.feed] == [True, False]
    assert stairs.feed[1].measured_from_v - stairs.feed[1].measured_to_v == pytest.approx(0.08 / 150 * 100)
