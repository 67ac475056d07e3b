"""The work of a plan in steps: nothing before what it needs, negatives first off and last on, and how long it takes."""

from __future__ import annotations

import networkx as nx
import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit, ConductorBranch, Termination, TerminationCondition
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import build_view
from mavrik.core.fabrication.cards import leads_to_make
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.steps import Phase, Step, course, work_steps
from mavrik.core.isolation.topologies import topology_of
from mavrik.core.planning.cost import branch_costs, lead_cost
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget

PRICES = usual_prices()


def planned(circuit: Circuit) -> Circuit:
    return propose(circuit, SizingTarget(target_current_a=circuit.alternator.rated_a + 20)).circuit


@pytest.mark.long(but=6)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_no_step_comes_before_what_it_needs_and_metal_is_dead_while_hands_are_on_it(layout: str) -> None:
    """Common practice, no source: all negatives come off before any positive, and go on after every positive."""
    circuit = build_layout(layout, 12)
    after = planned(circuit)
    steps = work_steps(circuit, after, PRICES)
    place = {s.id: k for k, s in enumerate(steps)}
    assert len(place) == len(steps)
    for s in steps:
        assert all(place[n] < place[s.id] for n in s.needs), s.id
    graph = nx.DiGraph((n, s.id) for s in steps for n in s.needs)
    off = [i for i in place if i.startswith("off:") and i.endswith("negative")]
    on = [i for i in place if i.startswith("on:") and i.endswith("negative")]
    assert len(off) == len(circuit.batteries) and len(on) == len(after.batteries)
    for s in steps:
        # Whoever works in another order than this list is held to it, too.
        if s.phase in (Phase.REMOVE, Phase.FIT) or s.id.endswith(":positive"):
            assert set(off) <= nx.ancestors(graph, s.id), s.id
            assert set(on) <= nx.descendants(graph, s.id), s.id
    assert nx.ancestors(graph, "test") >= {s.id for s in steps if s.phase is not Phase.TEST}
    # Every part that is paid for is fitted, and every lead that is laid was made.
    parts = [s for s in steps if s.branch_id]
    assert {s.branch_id for s in parts if s.phase is Phase.FIT} == {b.id for b, _ in branch_costs(circuit, after, PRICES)}
    assert {s.branch_id for s in steps if s.phase is Phase.MAKE} == {b.id for b in leads_to_make(circuit, after)}
    hours = sum(c.hours for _, c in branch_costs(circuit, after, PRICES))
    assert sum(s.minutes for s in parts if s.phase in (Phase.MAKE, Phase.FIT)) == pytest.approx(60 * hours)
    # The unit that the leads are for is another one.
    (unit,) = [s for s in steps if s.phase is Phase.FIT and not s.branch_id]
    assert unit.text.startswith(f"Take {circuit.alternator.label} out and fit one of") and unit.minutes == 60 * PRICES.unit_h


def test_a_part_that_goes_is_taken_out_and_what_stays_of_the_wiring_is_capped() -> None:
    circuit = build_layout("competition_car", 12)
    after = topology_of("two_controls").build(circuit).circuit
    back = build_view(after, circuit, BuildBook(), PRICES).steps
    gone = {b.id for b in after.branches} - {b.id for b in circuit.branches}
    leads = {b.id for b in after.branches if isinstance(b, ConductorBranch)}
    removed = [s for s in back if s.phase is Phase.REMOVE and s.branch_id in gone]
    assert {s.branch_id for s in removed} == gone and {"cap each" in s.text for s in removed if s.branch_id in leads} == {True}
    assert all("keep it, tagged" in s.text for s in removed if s.branch_id not in leads)


def test_what_is_only_dirty_is_cleaned_in_its_place() -> None:
    circuit = build_layout("front_battery", 12)
    bad = Termination(condition=TerminationCondition.CORRODED)
    dirty = circuit.model_copy(
        update={
            "branches": tuple(b.model_copy(update={"to_end": bad}) if b.id == "charge_cable" else b for b in circuit.branches)
        }
    )
    steps = work_steps(dirty, circuit, PRICES)
    assert [s.id for s in steps if s.branch_id] == ["fit:charge_cable"]
    assert next(s for s in steps if s.branch_id).text.startswith("Clean Charge cable to bright metal")


def test_units_pulleys_set_points_batteries_and_chargers_are_steps_too() -> None:
    circuit = build_layout("front_battery", 12)
    unit = circuit.alternator

    def fits(after: Circuit) -> list[str]:
        return [s.text for s in work_steps(circuit, after, PRICES) if s.phase is Phase.FIT and not s.branch_id]

    assert fits(circuit) == []
    faster = circuit.model_copy(update={"alternators": (unit.model_copy(update={"pulley_ratio": unit.pulley_ratio + 0.3}),)})
    assert len(fits(faster)) == 1 and "pulley of Alternator" in fits(faster)[0]
    higher = circuit.model_copy(update={"alternators": (unit.model_copy(update={"set_point_v": 14.6}),)})
    assert fits(higher) == ["Set Alternator to 14.60 V."]
    (first,) = circuit.batteries
    larger = circuit.model_copy(update={"batteries": (first.model_copy(update={"capacity_ah": 95.0}),)})
    assert fits(larger)[0].startswith("Change Battery: 95 Ah")
    grown = add_to(add_to(circuit, "battery_converter"), "alternator")
    assert [t.split(":")[0].split(" beside")[0] for t in fits(grown)] == [
        "Fit Alternator 2",
        "Fit Battery 2",
        "Fit DC-DC charger",
    ]


def test_a_lead_that_stays_as_it_is_is_made_anew_where_it_is_asked_for() -> None:
    circuit = build_layout("front_battery", 12)
    steps = work_steps(circuit, circuit, PRICES, ["charge_cable"])
    assert [s.id for s in steps if s.branch_id] == ["make:charge_cable", "remove:charge_cable", "fit:charge_cable"]
    lead = circuit.branch("charge_cable")
    assert isinstance(lead, ConductorBranch)
    minutes = sum(s.minutes for s in steps if s.phase in (Phase.MAKE, Phase.FIT))
    assert minutes == pytest.approx(60 * lead_cost(lead, PRICES).hours)


def test_another_name_costs_nothing_and_asks_no_step() -> None:
    circuit = build_layout("front_battery", 12)
    named = circuit.model_copy(
        update={"branches": tuple(b.model_copy(update={"label": f"The {b.label}"}) for b in circuit.branches)}
    )
    assert not list(branch_costs(circuit, named, PRICES)) and not [s for s in work_steps(circuit, named, PRICES) if s.branch_id]


def test_the_course_of_a_network_worked_by_hand() -> None:
    """a 3, b 2 after a, c 4 after a, d 1 after b and c, e 6 alone: worked by hand, 8 minutes over a, c, d; 16 by one person."""

    def step(name: str, minutes: float, *needs: str) -> Step:
        return Step(id=name, phase=Phase.FIT, text=name, minutes=minutes, needs=needs)

    steps = (step("a", 3), step("b", 2, "a"), step("c", 4, "a"), step("d", 1, "b", "c"), step("e", 6))
    plan = course(steps)
    assert (plan.minutes, plan.shortest_minutes, plan.critical) == (16, 8, ("a", "c", "d"))
    with pytest.raises(ValueError, match="wait for one another"):
        course((step("a", 1, "b"), step("b", 1, "a")))
    with pytest.raises(ValueError, match="waits for 'x'"):
        course((step("a", 1, "x"),))
    assert course(()).minutes == 0
