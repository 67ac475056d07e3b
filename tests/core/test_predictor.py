"""What the meter should show at a known output: the state as it was read, every drop by its resistance, and by hand."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.conductor import Material, at_temperature, cable_resistance, parse_size
from mavrik.core.circuit import CableBranch, ConductorBranch, blank_branches
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.operating import Engine
from mavrik.core.operating.prediction import at_output, predict
from tests.build import simple_circuit

CONDITIONS = st.fixed_dictionaries(
    {
        "output_a": st.floats(5, 400),
        "stud_v": st.floats(11, 16),
        "engine_space_c": st.floats(-30, 120),
        "ambient_c": st.floats(-30, 50),
        "warmed_up": st.booleans(),
    }
)
CIRCUITS = {layout.name: layout.build(12) for layout in LAYOUTS}


@given(st.sampled_from(sorted(CIRCUITS)), CONDITIONS)
@settings(max_examples=60)
def test_the_stud_stands_where_it_was_read_and_gives_what_was_read(name: str, conditions: dict[str, Any]) -> None:
    circuit = CIRCUITS[name]
    seen = predict(circuit, at_output(circuit, **conditions))
    assert seen.stud_voltage_v == pytest.approx(conditions["stud_v"], abs=2e-4)
    assert seen.output_a == pytest.approx(conditions["output_a"], abs=1e-6)


@pytest.mark.parametrize("name", sorted(CIRCUITS))
def test_where_no_stud_was_read_the_set_point_is_where_the_regulator_senses(name: str) -> None:
    """Behind a diode isolator the stud stands some 0.8 V above it, and the battery is not said to be short of that."""
    circuit, unit = CIRCUITS[name], CIRCUITS[name].alternator
    seen = predict(circuit, at_output(circuit, 0.8 * unit.rated_a))
    plus, minus = unit.sense_positive_node or unit.stud_node, unit.sense_negative_node or unit.case_node
    assert seen.node_v[plus] - seen.node_v[minus] == pytest.approx(unit.set_point_v, abs=0.01)
    if name == "boat_isolator":
        assert seen.stud_voltage_v == pytest.approx(unit.set_point_v + 0.8, abs=0.1)


def test_over_what_is_open_nothing_is_lost_to_a_sense() -> None:
    """A sense at a battery that is cut off, and one that ends nowhere: the set point is taken at the stud."""
    boat = CIRCUITS["boat_isolator"]
    fuse = boat.branch("charge_fuse")
    cut = boat.model_copy(update={"branches": tuple(b for b in boat.branches if b is not fuse)})
    loose = boat.nodes[0].model_copy(update={"id": "loose", "label": "Loose end"})
    nowhere = boat.model_copy(
        update={
            "nodes": (*boat.nodes, loose),
            "alternators": (boat.alternator.model_copy(update={"sense_positive_node": "loose"}),),
        }
    )
    for circuit in (cut, nowhere):
        assert at_output(circuit, 60.0).stud_v == {boat.alternator.id: boat.alternator.set_point_v}


@pytest.mark.parametrize("charged", [0.3, 0.7, 1.0])
@pytest.mark.parametrize("share", [0.3, 0.6, 1.0])
@pytest.mark.parametrize("name", ["second_battery_converter", "tow_and_trailer"])
def test_a_charger_beside_a_full_battery_runs_at_the_voltage_that_was_read(name: str, share: float, charged: float) -> None:
    """Whatever the charge, a DC-DC charger with enough at its input works at its limit or its set point, and takes what goes out of
    it over its efficiency: Kirchhoff and the balance of power, by hand. What the charger leaves of the output the battery has."""
    circuit = CIRCUITS[name]
    main, amps = circuit.battery, share * circuit.alternator.rated_a
    state = at_output(circuit, amps, 14.3, state_of_charge={main.id: charged})
    seen = Engine(circuit, state).settle().solution
    for c in circuit.converters:
        into, out = seen.between(c.in_node, c.ground_node), seen.between(c.out_node, c.ground_node)
        assert into > c.input_cut_off_v
        given = seen.current_a[c.id]
        assert given == pytest.approx(c.limit_a, abs=1e-3) or out == pytest.approx(c.set_point_v, abs=0.01)
        assert seen.input_a[c.id] == pytest.approx(out * given / (c.efficiency * into))
    alternator = circuit.alternator
    assert seen.between(alternator.stud_node, alternator.case_node) == pytest.approx(14.3, abs=2e-4)
    assert seen.current_a[alternator.id] == pytest.approx(amps, abs=1e-3)
    loads = sum(seen.current_a.get(x.id, 0.0) for x in circuit.loads)
    taken_a = loads + seen.current_a[main.id] + sum(seen.input_a[c.id] - seen.current_a[c.id] for c in circuit.converters)
    others = sum(seen.current_a[b.id] for b in circuit.batteries if b is not main)
    assert taken_a + others == pytest.approx(amps, abs=1e-3)


@given(st.sampled_from(sorted(CIRCUITS)), CONDITIONS)
@settings(max_examples=60)
def test_every_drop_is_its_resistance_times_its_current(name: str, conditions: dict[str, Any]) -> None:
    circuit = CIRCUITS[name]
    seen = predict(circuit, at_output(circuit, **conditions))
    for branch in circuit.branches:
        if branch.by_voltage or branch.id in seen.open_ids:
            continue  # a diode has a voltage of its own
        assert seen.drop_v[branch.id] == pytest.approx(seen.resistance_ohm[branch.id] * seen.current_a[branch.id], abs=1e-6)
        assert seen.resistance_ohm[branch.id] == pytest.approx(branch.sound_resistance_ohm(seen.temperature_c[branch.id]))


@pytest.mark.parametrize("temperature", [-20.0, 20.0, 45.0, 60.0])
def test_a_cable_at_temperature_by_hand(temperature: float) -> None:
    """IEC 60228 class 5, 35 mm2: 0.554 mohm/m; IEC 60028: 0.393 % a kelvin; two lugs of 0.05 mohm."""
    seen = predict(simple_circuit(), at_output(simple_circuit(), 100, 14.4, ambient_c=temperature))
    assert seen.resistance_ohm["feed"] == pytest.approx(0.554e-3 * 2 * (1 + 0.00393 * (temperature - 20)) + 0.1e-3)


def test_extra_resistance_adds_to_its_branch_alone() -> None:
    state = at_output(simple_circuit(), 100, 14.4)
    sound, bad = predict(simple_circuit(), state), predict(simple_circuit(), state, {"home": 0.004})
    assert bad.drop_v["home"] - sound.drop_v["home"] == pytest.approx(0.4)
    assert bad.drop_v["feed"] == pytest.approx(sound.drop_v["feed"])


@pytest.mark.parametrize("branch", blank_branches(), ids=lambda b: b.kind)
def test_starting_values_of_every_kind_are_possible_ones(branch: CableBranch) -> None:
    assert 1e-5 < branch.sound_resistance_ohm(20) < 2e-3
    if isinstance(branch, ConductorBranch):
        assert branch.ampacity().current_a > 50
        cold = cable_resistance(parse_size(branch.size), branch.length_m, 20, Material.COPPER)
        assert branch.sound_resistance_ohm(90) == pytest.approx(at_temperature(cold, 90, Material.COPPER) + 0.1e-3)


def test_a_kind_stands_once_among_the_starting_values() -> None:
    kinds = [b.kind for b in blank_branches()]
    assert len(kinds) == len(set(kinds)) == 13
    layout_kinds = {b.kind for layout in LAYOUTS for b in build_layout(layout.name, 12).branches}
    assert layout_kinds <= set(kinds)
