"""Who goes where: what others do to a consumer by Ohm's law, and where each belongs as is common in the trade."""

from __future__ import annotations

from typing import Any

import pytest

from mavrik.core.circuit import AnyBranch, Circuit, Load, LoadKind
from mavrik.core.circuit.layouts import LAYOUTS, build_layout, front_battery
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.planning.guided import guided
from mavrik.core.protection.parts import judge_parts
from mavrik.core.protection.placing import charged_directly, misplaced, misplaced_loads, moved_by_others


def with_load(circuit: Circuit, **load: Any) -> Circuit:
    made = Load(**{"id": "own", "label": "Own", "current_a": 10.0, **load})
    return circuit.model_copy(update={"loads": (*circuit.loads, made)})


def codes(circuit: Circuit) -> list[str]:
    return [f.code for f in misplaced(circuit)]


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_ready_layouts_have_everything_where_it_belongs(layout: str) -> None:
    assert [codes(build_layout(layout, v)) for v in (12, 24)] == [[], []]


def test_what_others_move_a_supply_by_is_ohm_s_law() -> None:
    """A constant current through the ground lead alone: its resistance times that current, whatever the consumer itself takes."""
    car = front_battery(12)
    car = car.model_copy(update={"loads": (), "alternators": (car.alternator.model_copy(update={"field": "open"}),)})
    lead = car.branch("block_ground")
    ends = {lead.from_node, lead.to_node}
    far = next(n for n in ends if n != car.battery.negative_node)
    pump = Load(id="pump", label="Pump", from_node=car.battery.positive_node, to_node=far, current_a=80.0)
    mine = Load(id="own", label="Own", from_node=car.battery.positive_node, to_node=far, current_a=25.0)
    both = car.model_copy(update={"loads": (pump, mine)})
    feed, back = moved_by_others(both, mine, both.battery)
    # The straps over the body take their share: what the lead carries is what the solver of the whole says, so hold it between.
    alone = lead.sound_resistance_ohm(20.0) * 80.0
    assert feed == pytest.approx(0, abs=1e-9) and 0.5 * alone < back <= 1.4 * alone
    assert moved_by_others(both.model_copy(update={"loads": (mine,)}), mine, both.battery)[1] < 1e-3


def test_an_engine_computer_belongs_to_the_posts() -> None:
    car = front_battery(12)
    posts = {"from_node": car.battery.positive_node, "to_node": car.battery.negative_node, "role": "engine_control"}
    assert codes(with_load(car, **posts)) == []
    (problem,) = misplaced(with_load(car, **{**posts, "from_node": car.alternator.stud_node}))
    assert "its feed by" in problem.why and "mV" in problem.why and "straight to the posts" in problem.title
    (problem,) = misplaced(with_load(car, **{**posts, "to_node": car.alternator.case_node}))
    assert "its ground by" in problem.why
    # The same consumer that is no computer may hang there.
    assert codes(with_load(car, **{**posts, "from_node": car.alternator.stud_node, "role": "general"})) == []


def test_coil_grounds_belong_to_the_head() -> None:
    car = front_battery(12)
    head = next(n.id for n in car.nodes if n.role == "engine_block")
    feed = {"from_node": car.battery.positive_node, "role": "ignition_coils"}
    assert codes(with_load(car, to_node=head, **feed)) == []
    body = next(n.id for n in car.nodes if n.role == "chassis")
    others = {n.id for n in car.nodes} - {head}
    assert body in others
    assert codes(with_load(car, to_node=car.alternator.stud_node, **feed)) == ["not_at_the_head_own"]


def test_a_winch_hangs_on_the_battery_that_is_charged_and_returns_to_its_post() -> None:
    two = build_layout("second_battery_link", 12)
    first, second = two.batteries
    assert charged_directly(two) == [first]
    pull: dict[str, Any] = {"role": "winch", "current_a": 300.0, "law": LoadKind.RESISTANCE, "on": False}
    assert codes(with_load(two, from_node=first.positive_node, to_node=first.negative_node, **pull)) == []
    assert "winch_elsewhere_own" in codes(with_load(two, from_node=second.positive_node, to_node=second.negative_node, **pull))
    body = next(n.id for n in two.nodes if n.role == "chassis")
    assert codes(with_load(two, from_node=first.positive_node, to_node=body, **pull)) == ["winch_by_the_body_own"]


def test_a_charger_far_from_its_battery_is_said_in_volts() -> None:
    """Common practice: put a DC-DC charger next to the battery it charges; about 30 A in for 25 A out."""
    near = build_layout("second_battery_converter", 12)
    assert codes(near) == []
    converter = near.converters[0]
    lead = next(b for b in near.branches if converter.in_node in (b.from_node, b.to_node) and b.kind == "cable")
    inlet = lead.from_node if lead.to_node == converter.in_node else lead.to_node

    def moved(branch: AnyBranch) -> AnyBranch:
        """The long lead from the charger's output to a stud, and from that stud what was at the output."""
        if branch.id == lead.id:
            return branch.model_copy(update={"from_node": converter.out_node, "to_node": "far"})
        ends = {end: "far" for end in ("from_node", "to_node") if getattr(branch, end) == converter.out_node}
        return branch.model_copy(update=ends)

    far = near.model_copy(
        update={
            "nodes": (*near.nodes, near.node(inlet).model_copy(update={"id": "far", "label": "Far stud"})),
            "branches": tuple(moved(b) for b in near.branches),
            "converters": (converter.model_copy(update={"in_node": inlet}),),
        }
    )
    (problem,) = misplaced(far)
    after = next(b for b in far.branches if "far" in (b.from_node, b.to_node) and b.id != lead.id)
    lost = (lead.sound_resistance_ohm(20.0) + after.sound_resistance_ohm(20.0)) * converter.limit_a
    assert problem.code.startswith("charger_far") and f"loses {lost:.2f} V" in problem.why
    assert f"takes {converter.limit_a * converter.set_point_v / converter.efficiency / 12:.0f} A" in problem.why


def test_many_consumers_go_by_a_block() -> None:
    car = front_battery(12)
    posts = {"from_node": car.battery.positive_node, "to_node": car.battery.negative_node}
    loads = tuple(Load(id=f"l{k}", label=f"L{k}", current_a=2.0, **posts) for k in range(5))
    assert codes(car.model_copy(update={"loads": loads[:4]})) == []
    assert codes(car.model_copy(update={"loads": loads})) == [f"crowded_posts_{car.battery.id}"]
    assert any(f.code.startswith("crowded_posts") for f in judge_parts(car.model_copy(update={"loads": loads})).findings)


@pytest.mark.parametrize("role", ["engine_control", "ignition_coils", "winch"])
def test_moved_by_the_guide_it_hangs_where_it_belongs(role: str) -> None:
    two = build_layout("second_battery_link", 12)
    first, second = two.batteries
    body = next(n.id for n in two.nodes if n.role == "chassis")
    wrong = with_load(two, from_node=second.positive_node, to_node=body, role=role, on=False)
    if role == "ignition_coils" and not misplaced_loads(wrong):
        wrong = with_load(two, from_node=first.positive_node, to_node=second.negative_node, role=role, on=False)
    assert [x.id for x in misplaced_loads(wrong)] == ["own"]
    moved = guided(wrong, "where_it_belongs", {"load": "own", "length_m": 1.0}).circuit
    assert misplaced_loads(moved) == [] and not check_circuit(moved)
