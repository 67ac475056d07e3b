"""The walk of the charging voltage-drop test."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.procedures import Point, procedure
from tests.build import drop_run, simple_circuit


def walk(circuit: Circuit) -> dict[str, Point]:
    return {p.id: p for p in procedure("charging_drops").points(circuit)}


def test_it_goes_round_the_loop_each_side_whole_before_its_parts() -> None:
    assert list(walk(simple_circuit())) == [
        "charge_a:alt",
        "stud_v",
        "battery_v",
        "feed_v",
        "drop_v:feed",
        "drop_v:fuse",
        "return_v",
        "drop_v:home",
    ]


def test_what_lies_beside_the_ring_comes_after_it_then_the_clamp_on_leads_that_share() -> None:
    points = walk(build_layout("front_battery", 12))
    at = {i: k for k, i in enumerate(points)}
    assert at["drop_v:mount"] < at["drop_v:body_ground"] < at["branch_a:block_ground"]
    assert {p.element for i, p in points.items() if i.startswith("branch_a:")} == {"block_ground", "body_ground", "engine_strap"}


def test_red_goes_towards_the_stud() -> None:
    points = walk(simple_circuit())
    for point, probes in {"drop_v:feed": ("stud", "fuse_in"), "feed_v": ("stud", "plus"), "return_v": ("minus", "case")}.items():
        assert (points[point].red, points[point].black) == probes
    assert (points["stud_v"].kind.shown_unit, points["feed_v"].kind.shown_unit) == ("V", "mV")


def test_a_branch_drawn_the_other_way_is_still_probed_along_the_current() -> None:
    turned = simple_circuit()
    branches = tuple(
        b.model_copy(update={"from_node": b.to_node, "to_node": b.from_node}) if b.id == "feed" else b for b in turned.branches
    )
    point = walk(turned.model_copy(update={"branches": branches}))["drop_v:feed"]
    assert (point.red, point.black) == ("stud", "fuse_in")


def test_the_conditions_ask_for_enough_current() -> None:
    """Common practice, no source: about 2000 /min, and a current that the meter can see drops at."""
    conditions = procedure("charging_drops").conditions
    assert conditions is not None
    words = conditions(build_layout("front_battery", 12))  # rated 90 A
    assert "2000 /min" in words and "27 A" in words and "90 A" in words


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
@pytest.mark.parametrize("volts", [12, 24])
def test_every_point_can_be_read_once_and_names_real_nodes(layout: object, volts: int) -> None:
    circuit = layout.build(volts)  # type: ignore[attr-defined]
    points = procedure("charging_drops").points(circuit)
    assert len({p.id for p in points}) == len(points)
    nodes = {n.id for n in circuit.nodes}
    assert all({p.red, p.black} <= nodes and p.red != p.black for p in points if p.red)
    drops = {p.element for p in points if p.id.startswith("drop_v:")}
    assert drops == {b.id for b in circuit.branches if b.conducts}
    drop_run(circuit, 60, **{p.element or p.id: 0.01 for p in points if p.quantity == "voltage_drop"})
