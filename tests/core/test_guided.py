"""Guided changes: what each asks, what it draws, and that its leads and fuses then hold."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.planning.guided import GUIDES, GuideProblemError, guided
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.sizing import worse_checks
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.protection.sources import unfused

PRICES = usual_prices()


def sized(document: Circuit, circuit: Circuit, amps: float | None = None) -> Circuit:
    target = SizingTarget(target_current_a=amps or document.alternator.rated_a)
    return cheapest_proposal(circuit, target, PRICES, document).circuit


CASES = [(g.name, x.name) for g in GUIDES for x in LAYOUTS if not g.not_here(build_layout(x.name, 12))]


@pytest.mark.long(but=10)
@pytest.mark.parametrize(("guide", "layout"), CASES)
def test_every_guide_draws_a_whole_circuit_wherever_it_has_a_place(guide: str, layout: str) -> None:
    """As usual throughout: a circuit that can be computed, every source fused once sized, no check worse."""
    circuit = build_layout(layout, 12)
    changed = guided(circuit, guide, {})
    assert not check_circuit(changed.circuit) and len(changed.to_do) >= 3
    made = sized(circuit, changed.circuit)
    assert not worse_checks(circuit, made)
    before = {(f.code, f.branch_id) for f in unfused(circuit)}
    assert [f.title for f in unfused(made) if f.severity == "danger" and (f.code, f.branch_id) not in before] == []


def test_a_guide_without_a_place_says_why() -> None:
    for guide in GUIDES:
        for layout in LAYOUTS:
            circuit = build_layout(layout.name, 12)
            if message := guide.not_here(circuit):
                assert message.endswith(".") and len(message) > 15
                with pytest.raises(GuideProblemError, match=message[:20]):
                    guided(circuit, guide.name, {})


def test_a_battery_in_the_rear_has_the_length_that_was_asked_and_the_return_that_was_chosen() -> None:
    circuit = build_layout("front_battery", 12)
    chain, direct, both = (
        guided(circuit, "rear_battery", {"feed_m": 5, "ground": g}).circuit for g in ("chain", "direct", "both")
    )
    for made in (chain, direct, both):
        lead = made.branch("battery_lead")
        assert isinstance(lead, ConductorBranch) and lead.length_m == 5.0
        assert not any(b.id in ("block_ground",) for b in made.branches)
    returns = [
        {b.label for b in c.branches if c.battery.negative_node in (b.from_node, b.to_node)} for c in (chain, direct, both)
    ]
    assert returns == [{"Battery to body"}, {"Battery to engine"}, {"Battery to body", "Battery to engine"}]
    # 4-6 m at the unit's rating asks for more copper than the short lead had: common practice.
    made = sized(circuit, both)
    lead = made.branch("battery_lead")
    assert isinstance(lead, ConductorBranch) and lead.conductor.area_mm2 > 25


def test_parted_batteries_share_no_metal_but_the_negative() -> None:
    circuit = build_layout("parallel_batteries", 12)
    one, other = circuit.batteries
    assert other.positive_node in reach(metal_of(circuit.branches), one.positive_node)
    for way in ("link", "converter"):
        made = guided(circuit, "split", {"way": way}).circuit
        ground = {b.negative_node for b in made.batteries}
        metal = metal_of(b for b in made.branches if not ground & {b.from_node, b.to_node})
        assert other.positive_node not in reach(metal, one.positive_node), way
    made = guided(circuit, "split", {"way": "converter"}).circuit
    assert len(made.converters) == 1 and made.converters[0].limit_a == 25


def test_consumers_go_to_the_side_that_was_chosen() -> None:
    circuit = build_layout("parallel_batteries", 12)
    load = {"id": "lamp", "label": "Lamp", "from_node": circuit.battery.positive_node, "to_node": circuit.battery.negative_node, "current_a": 5}  # fmt: skip
    circuit = Circuit.model_validate({**circuit.model_dump(mode="json"), "loads": [load]})
    near, far = (
        guided(circuit, "split", {"way": "link", "load_lamp": side}).circuit.loads[0].from_node for side in ("near", "far")
    )
    assert near != far and {near, far} == {b.positive_node for b in circuit.batteries}


def test_a_winch_hangs_on_the_posts_and_holds_the_link() -> None:
    circuit = build_layout("second_battery_link", 12)
    made = guided(circuit, "winch", {"current_a": 350, "override": "yes"}).circuit
    winch = made.loads[-1]
    assert winch.current_a == 350 and winch.on_s == 60 and not winch.on
    back = next(b for b in made.branches if winch.to_node in (b.from_node, b.to_node))
    assert {b.negative_node for b in made.batteries} & {back.from_node, back.to_node}
    override = made.branch("link_override")
    link = made.branch("link")
    assert {override.from_node, override.to_node} == {link.from_node, link.to_node}
    left = guided(circuit, "winch", {"override": "no"}).circuit
    assert not any(b.id == "link_override" for b in left.branches)
    isolator = sized(circuit, made).branch("winch_isolator")
    assert (isolator.rating_a or 0) >= 300  # type: ignore[union-attr]


def test_a_second_alternator_charges_the_battery_that_was_chosen() -> None:
    circuit = build_layout("parallel_batteries", 12)
    made = guided(circuit, "second_alternator", {"battery": circuit.battery.id, "rated_a": 140, "length_m": 3}).circuit
    second = made.alternators[-1]
    assert second.rated_a == 140
    assert circuit.battery.positive_node in reach(metal_of(made.branches), second.stud_node)
    assert next(b for b in made.branches if b.label == "Charge cable 2").length_m == 3.0  # type: ignore[union-attr]


def test_a_magnet_regulator_gets_its_set_point_and_a_breaker() -> None:
    circuit = build_layout("motorcycle", 12)
    made = guided(circuit, "magnet_regulator", {"set_point_v": 14.2}).circuit
    assert made.alternator.set_point_v == 14.2 and made.alternator.magnet_regulator == "series"
    assert guided(circuit, "magnet_regulator", {"kind": "shunt"}).circuit.alternator.magnet_regulator == "shunt"
    assert [b.rating_a for b in made.branches if b.kind == "breaker"] == [30]
    assert circuit.battery.positive_node in reach(metal_of(made.branches), made.alternator.stud_node)


@pytest.mark.parametrize(
    ("answers", "field"),
    [({"feed_m": 40}, "feed_m"), ({"feed_m": "long"}, "feed_m"), ({"ground": "sea"}, "ground"), ({"colour": "red"}, "colour")],
)
def test_an_answer_that_cannot_be_is_refused_at_its_question(answers: dict[str, str | float], field: str) -> None:
    with pytest.raises(GuideProblemError) as refused:
        guided(build_layout("front_battery", 12), "rear_battery", answers)
    assert refused.value.field == field
    with pytest.raises(GuideProblemError) as refused:
        guided(build_layout("front_battery", 12), "levitate", {})
    assert refused.value.field == "guide"
