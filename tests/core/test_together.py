"""States settled together against each settled by itself: two ways to one answer must not differ."""

from __future__ import annotations

import pytest

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.operating import DeadShort, Engine, Settled, State, settle_together, solved_together
from mavrik.core.operating.gains import gains_of
from mavrik.core.operating.prediction import at_output, at_rated_output
from mavrik.core.operating.wiring import Wirings
from mavrik.core.protection.behind import SHORT_MOHM
from mavrik.core.protection.case import Case
from mavrik.core.protection.short_circuit import FaultSolver

NAMES = [layout.name for layout in LAYOUTS]
CLOSE_A, CLOSE_V = 1e-3, 1e-5


def states_of(circuit: Circuit) -> list[State]:
    """Standing, cranking, idling, fast and at a known output, with loads on and off, batteries full and low."""
    consumers = [x.id for x in circuit.loads if not x.cranking]
    off, on = dict.fromkeys(consumers, False), dict.fromkeys(consumers, True)
    low = {b.id: 0.4 for b in circuit.batteries}
    rated = circuit.alternator.rated_a
    return [
        State(engine_rpm=0, loads_on=off, chargers_on=False),
        State(engine_rpm=0, loads_on=on, chargers_on=False, converters_on=False),
        State(engine_rpm=0, cranking=True, chargers_on=False),
        State(engine_rpm=800, loads_on=on),
        State(engine_rpm=2000, loads_on=off, state_of_charge=low),
        State(engine_rpm=2000, loads_on=on, warmed_up=True),
        at_output(circuit, 0.6 * rated),
        at_output(circuit, rated, loads_on=(), state_of_charge=low),
        at_rated_output(circuit),
    ]


def same(one: net.Solution, other: net.Solution, ids: set[str]) -> None:
    assert {i: other.current_a.get(i, 0.0) for i in ids} == pytest.approx(
        {i: one.current_a.get(i, 0.0) for i in ids}, abs=CLOSE_A
    )
    assert {n: other.node_v[n] for n in one.node_v} == pytest.approx(dict(one.node_v), abs=CLOSE_V)
    assert other.open_ids & ids == one.open_ids & ids and other.mode == one.mode


@pytest.mark.long(but=10)
@pytest.mark.parametrize("volts", [12, 24])
@pytest.mark.parametrize("name", NAMES)
def test_states_settled_together_are_those_settled_alone(name: str, volts: int) -> None:
    circuit = build_layout(name, volts)
    states, ids = states_of(circuit), {b.id for b in circuit.branches} | {b.id for b in circuit.batteries}
    alone = [Engine(circuit, s).settle().solution for s in states]
    wirings = Wirings()
    together = settle_together([Engine(circuit, s, checked=True, wirings=wirings) for s in states])
    for one, other in zip(alone, together, strict=True):
        assert isinstance(other, Settled)
        same(one, other.solution, ids)
    # Loads that are off and there, so that all of it is few networks.
    for one, solution in zip(alone, solved_together([(circuit, s) for s in states]), strict=True):
        assert solution is not None
        same(one, solution, ids)


def test_a_state_without_rest_leaves_the_others_theirs() -> None:
    car = build_layout("front_battery", 12)
    # Nothing takes this output: the charge fuse is out.
    cut = car.model_copy(update={"branches": tuple(b for b in car.branches if b.id != "charge_fuse" and b.id != "fuse")})
    nowhere = Engine(cut, State(output_a={"alternator": 50.0}), checked=True)
    with pytest.raises(net.NoOperatingPointError):
        nowhere.settle()
    sound = Engine(car, State(engine_rpm=2000))
    first, second, third = settle_together([sound, nowhere, Engine(car, State(engine_rpm=800))])
    assert isinstance(first, Settled) and isinstance(third, Settled) and isinstance(second, net.NoOperatingPointError)
    assert first.solution.node_v == pytest.approx(dict(sound.settle().solution.node_v), abs=CLOSE_V)


def test_what_was_settled_together_says_what_each_part_costs() -> None:
    circuit = build_layout("house_bank_end", 12)
    engines = [Engine(circuit, State(engine_rpm=r)) for r in (800, 1400, 2000)]
    for engine, settled in zip(engines, settle_together(engines), strict=True):
        assert isinstance(settled, Settled)
        alone = {g.branch_id: g for g in gains_of(engine.settle()).branches}
        for gain in gains_of(settled).branches:
            assert gain.volt_per_mohm == pytest.approx(alone[gain.branch_id].volt_per_mohm, rel=1e-4, abs=1e-9)
            assert gain.perfect_v == pytest.approx(alone[gain.branch_id].perfect_v, abs=1e-6)


@pytest.mark.long(but=6)
@pytest.mark.parametrize("name", NAMES)
def test_one_fault_of_many_is_that_fault_alone(name: str) -> None:
    circuit = build_layout(name, 12)
    posts = [b.negative_node for b in circuit.batteries]
    faults = [
        DeadShort(from_node=n.id, to_node=posts[k % len(posts)], resistance_mohm=SHORT_MOHM)
        for k, n in enumerate(circuit.nodes)
        if n.id not in posts
    ]
    off = State(engine_rpm=0, chargers_on=False)
    many = FaultSolver(circuit, off, faults)
    for k, solution in enumerate(many.solve_each([(k, frozenset()) for k in range(len(faults))])):
        alone = FaultSolver(circuit, off, [faults[k]])
        by_state = Engine(circuit, off.model_copy(update={"fault": faults[k]})).settle().solution
        for other in (alone.solve(frozenset()), by_state):
            amps = {i: other.current_a[i] for i in other.current_a}
            assert {i: solution.current_a[i] for i in amps} == pytest.approx(amps, rel=1e-5, abs=CLOSE_A)
        assert many.given(solution, k) == pytest.approx(alone.given(alone.solve(frozenset())), rel=1e-4, abs=0.01)


@pytest.mark.parametrize("name", NAMES)
def test_a_fuse_that_has_opened_carries_nothing_of_the_short_behind_it(name: str) -> None:
    case = Case(build_layout(name, 12))
    assert case.protectors
    for i, fuse in case.protectors.items():
        behind = case.behind(fuse)
        if behind is not None:
            assert behind.current_a == pytest.approx(abs(behind.solution.current_a[i]))
            assert abs(behind.cleared.current_a[i]) < CLOSE_A
