"""The walk of the charging voltage-drop test."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.drawing.judged import judge
from mavrik.core.findings.probing import ProbePlan
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.measurement import DropTest, Quantity, check_readings
from tests.build import drop_test, simple_circuit


def plan(circuit: Circuit, test: DropTest | None = None) -> ProbePlan:
    return judge(circuit, test, LimitProfileName.COMMON).plan


def test_it_goes_round_the_loop_each_side_whole_before_its_parts() -> None:
    assert [s.key for s in plan(simple_circuit()).stops] == [
        "stud_voltage",
        "battery_voltage",
        "feed_drop",
        "branch_drop:feed",
        "branch_drop:fuse",
        "return_drop",
        "branch_drop:home",
    ]


def test_what_lies_beside_the_ring_comes_after_it_then_the_clamp_on_leads_that_share() -> None:
    stops = plan(build_layout("front_battery", 12)).stops
    at = {s.key: k for k, s in enumerate(stops)}
    assert at["branch_drop:mount"] < at["branch_drop:body_ground"] < at["branch_current:block_ground"]
    assert {s.branch_id for s in stops if s.quantity is Quantity.BRANCH_CURRENT} == {
        "block_ground",
        "body_ground",
        "engine_strap",
    }


def test_a_clamped_lead_stays_in_the_walk() -> None:
    circuit = build_layout("front_battery", 12)
    before = [s.key for s in plan(circuit).stops]
    assert [s.key for s in plan(circuit, drop_test(70, block_ground_amps=40)).stops] == before


def test_red_goes_towards_the_stud_and_the_words_say_where() -> None:
    found = {s.key: s for s in plan(simple_circuit()).stops}
    assert found["branch_drop:feed"].how == "Red on Stud, black on Fuse stud"
    assert found["feed_drop"].how == "Red on Stud, black on Battery +"
    assert found["return_drop"].how == "Red on Battery -, black on Case"
    assert (found["stud_voltage"].unit, found["feed_drop"].unit) == ("V", "mV")


def test_a_branch_drawn_the_other_way_is_still_probed_along_the_current() -> None:
    turned = simple_circuit()
    branches = tuple(
        b.model_copy(update={"from_node": b.to_node, "to_node": b.from_node}) if b.id == "feed" else b for b in turned.branches
    )
    stop = next(s for s in plan(turned.model_copy(update={"branches": branches})).stops if s.key == "branch_drop:feed")
    assert (stop.red_node, stop.black_node) == ("stud", "fuse_in")


def test_the_conditions_ask_for_enough_current() -> None:
    """Common practice, no source: about 2000 /min, and a current that the meter can see drops at."""
    found = plan(build_layout("front_battery", 12))  # rated 90 A
    assert found.engine_speed_rpm == 2000 and found.least_output_a == 27
    assert "27 A" in found.conditions and "90 A" in found.conditions


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
@pytest.mark.parametrize("volts", [12, 24])
def test_every_stop_can_be_read_once_and_names_real_points(layout: object, volts: int) -> None:
    circuit = layout.build(volts)  # type: ignore[attr-defined]
    stops = plan(circuit).stops
    assert len({s.key for s in stops}) == len(stops)
    nodes = {n.id for n in circuit.nodes}
    assert all(s.red_node in nodes and s.black_node in nodes and s.red_node != s.black_node for s in stops)
    drops = {s.branch_id for s in stops if s.quantity is Quantity.BRANCH_DROP}
    assert drops == {b.id for b in circuit.branches}
    readings = {s.branch_id or s.key: 0.01 for s in stops if s.unit == "mV"}
    assert check_readings(circuit, drop_test(60, **readings)) == []
