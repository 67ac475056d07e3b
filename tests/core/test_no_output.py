"""A drop test during which nothing came out of the unit: the clamp's nothing is evidence, and so is what stands across a lead then.

What a technician makes of it (common practice, no source): volts across a lead without a current, it is open; none anywhere, the unit
gives nothing of itself.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.likelihood import own_scatter
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import complete_run, observations, procedure
from tests.build import judged

CAR = build_layout("front_battery", 12)
NOTHING_ACROSS = {"charge_a:alternator": 0.0, "stud_v": 12.3, "battery_v": 12.3, "feed_v": 0.0, "return_v": 0.0}


def drop_test(read: Mapping[str, float], **noted: Any) -> Run:
    readings = tuple(Reading(point=point, value=value) for point, value in read.items())
    return complete_run(CAR, Run(procedure="charging_drops", readings=readings, **noted))


def found(read: Mapping[str, float], **noted: Any) -> Findings:
    return judged(CAR, drop_test(read, **noted))


def test_nothing_across_the_way_is_a_unit_that_gives_nothing() -> None:
    by_the_clamp = found({p: v for p, v in NOTHING_ACROSS.items() if p not in ("stud_v", "battery_v")})
    assert by_the_clamp.headline.text.startswith(
        "Alternator: output meanwhile, 0.0 A: Nothing comes out of it. Most likely no field"
    )
    findings = found(NOTHING_ACROSS)
    assert findings.causes[0].cause == "field_open:alternator" and findings.causes[0].probability > 0.5
    assert findings.nothing_broken < 0.3 and findings.headline.verdict is BranchVerdict.FAIL
    said = findings.tests[0].judgements[0]
    assert said.point == "charge_a:alternator" and said.verdict is Verdict.FAIL and "open" in said.next_step


@pytest.mark.parametrize(
    ("more", "gone"),
    [({}, {"open:charge_fuse", "missing:charge_cable", "missing:battery_lead"}), ({"drop_v:charge_cable": 2.1}, {"missing:charge_cable"}), ({"drop_v:charge_fuse": 2.1}, {"open:charge_fuse"})],
    ids=["the side", "the cable", "the fuse"],
)  # fmt: skip
def test_volts_across_the_way_without_a_current_say_that_it_is_open(more: dict[str, float], gone: set[str]) -> None:
    findings = found({**NOTHING_ACROSS, "stud_v": 14.4, "feed_v": 2.1, **more})
    likely = {c.cause for c in findings.causes if c.probability > 0.06}
    assert findings.causes[0].cause in gone and not likely & {"none:", "field_open:alternator"}
    assert sum(c.probability for c in findings.causes if c.cause in gone) > 0.9


def test_a_lead_with_nothing_across_it_is_not_the_open_one() -> None:
    findings = found({**NOTHING_ACROSS, "stud_v": 14.4, "feed_v": 2.1, "drop_v:charge_cable": 0.0, "drop_v:charge_fuse": 0.0})
    assert findings.causes[0].cause == "missing:battery_lead"


def test_with_nothing_on_it_may_have_nothing_to_give() -> None:
    without_volts = {p: v for p, v in NOTHING_ACROSS.items() if p not in ("stud_v", "battery_v")}
    findings = found(without_volts, loads_on=())
    assert findings.nothing_broken > 0.2 and findings.headline.verdict is BranchVerdict.PASS
    assert found(without_volts, loads_on=(), bank_on="battery").headline.verdict is BranchVerdict.FAIL


@pytest.mark.parametrize("noted", [{}, {"loads_on": ()}], ids=["nobody noted what was on", "nothing on"])
def test_full_batteries_at_their_set_point_ask_for_nothing(noted: dict[str, Any]) -> None:
    findings = found({**NOTHING_ACROSS, "stud_v": 14.3, "battery_v": 14.3}, **noted)
    assert findings.nothing_broken > 0.4 and max(c.probability for c in findings.causes if c.cause != "none:") < 0.3
    assert findings.headline.verdict is BranchVerdict.PASS and not findings.tests[0].judgements


def test_a_clamp_that_reads_nothing_beside_a_battery_that_falls_is_a_fault_whatever_the_stud_has() -> None:
    findings = found({**NOTHING_ACROSS, "stud_v": 14.4, "battery_v": 12.2, "feed_v": 2.2})
    assert findings.tests[0].judgements and findings.headline.verdict is not BranchVerdict.PASS


def test_what_is_on_pulls_the_volts_down_by_what_nobody_knows_and_an_output_that_nobody_read_says_nothing() -> None:
    there = {o.point.id: o for o in observations(CAR, [(0, drop_test({**NOTHING_ACROSS, "branch_a:block_ground": 3.0}))])}
    assert there.keys() == NOTHING_ACROSS.keys()
    assert {o.setup.state for o in there.values()} == {BenchState.FAST_LOADED}
    assert all(0.6 < there[p].measured.uncertainty < 0.7 for p in ("stud_v", "battery_v"))
    assert not observations(CAR, [(0, drop_test({"feed_v": 0.0}))])
    noted = observations(CAR, [(0, drop_test(NOTHING_ACROSS, loads_on=(), engine_rpm=1900))])
    assert {(o.setup.state, o.setup.engine_rpm) for o in noted} == {(BenchState.FAST, 1900.0)}
    given = observations(CAR, [(0, drop_test({**NOTHING_ACROSS, "charge_a:alternator": 60.0}))])
    assert {o.setup.state for o in given} == {BenchState.AT_OUTPUT}


def test_one_such_reading_that_nothing_else_speaks_for_is_to_be_read_again() -> None:
    findings = found({**NOTHING_ACROSS, "return_v": 2.2})
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES and "Return side, whole (2200 mV)" in findings.headline.text


def test_a_stud_that_metal_does_not_join_to_a_battery_may_stand_at_anything() -> None:
    """Behind a diode: what leaks back, and what is left in the iron."""
    stud = {
        c.layout: next(p for p in procedure("regulated").points(c) if p.id == "regulated_stud_v")
        for c in (CAR, build_layout("boat_isolator", 12))
    }
    joined, behind = stud["front_battery"], stud["boat_isolator"]
    low, high = np.array([0.0]), np.array([14.4])
    assert own_scatter(behind, low)[0] > 5 > 1 > own_scatter(joined, low)[0]
    assert own_scatter(behind, high)[0] == own_scatter(joined, high)[0]


def test_what_surely_has_too_much_is_named_before_what_only_may() -> None:
    """0.4 V on the way back, which only the mount carries alone: it was "Battery to block may have too much"."""
    findings = found({"charge_a:alternator": 80.0, "feed_v": 0.15, "return_v": 0.4})
    assert findings.causes[0].cause == "resistance:mount"
    assert findings.headline.element == "mount" and findings.headline.text.startswith("Alternator mount: ")


def test_what_is_open_is_marked_where_no_drop_along_it_was_read() -> None:
    findings = found({**NOTHING_ACROSS, "stud_v": 14.4, "feed_v": 2.1})
    best = findings.causes[0]
    of = {b.branch_id: b for b in findings.branches}
    assert best.cause == f"open:{best.element}" and "It" in of[best.element].reason and "open" in of[best.element].reason
    assert of[best.element].verdict in (BranchVerdict.FAIL, BranchVerdict.UNDECIDED)
    assert of["mount"].verdict is BranchVerdict.NOT_MEASURED
    feed, back = (s for s in findings.sides if s.name != "whole")
    assert feed.reason.startswith("The feed side reads 2100 mV while nothing flows") and "reads 0 mV" in back.reason


def test_readings_within_every_limit_that_no_sound_vehicle_has_are_not_called_sound() -> None:
    """Volts at the posts beside a current have no limit of their own, and 12.9 V at 2000 /min are no charge (common practice, no source)."""
    net = {"net_a_idle:battery": 5.7, "net_v_idle:battery": 12.9, "net_a_fast:battery": 5.8, "net_v_fast:battery": 12.93}
    readings = tuple(Reading(point=point, value=value) for point, value in net.items())
    findings = judged(CAR, complete_run(CAR, Run(procedure="net_battery", readings=readings)))
    assert findings.nothing_broken < 0.05
    assert findings.headline.verdict is BranchVerdict.UNDECIDED and findings.headline.text.startswith(
        "Something is wrong: over 99% sure"
    )
    assert any(line.startswith("Most likely regulator of Alternator set low") for line in findings.headline.why)


def test_what_only_a_reading_that_nobody_took_could_show_of_the_test_is_no_cause() -> None:
    """Glow plugs still on in the first reading at idle, over 99 % sure, of a motorcycle whose voltage at idle nobody had read without loads."""

    def causes(**volts: float) -> set[str]:
        readings = tuple(Reading(point=f"regulated_v:{state}", value=v) for state, v in volts.items())
        run = complete_run(CAR, Run(procedure="regulated", readings=readings))
        return {c.cause for c in judged(CAR, run).causes}

    assert "glow_plugs:battery" in causes(idle=12.4, idle_loaded=13.9, fast=14.3)
    assert "glow_plugs:battery" not in causes(idle_loaded=12.4, fast=14.3)
