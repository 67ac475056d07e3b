"""Parts added to a drawn circuit: each brings what it needs, at starting values that hold on 12 V and 24 V."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import FuseBranch, LinkBranch
from mavrik.core.circuit.additions import ADDITIONS, add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.operating import State, solve_circuit
from mavrik.core.protection.documents import Outcome
from mavrik.core.protection.review import review_protection

BY_NAME = {a.name: a for a in ADDITIONS}
WITH_A_BATTERY = [n for n in BY_NAME if n.startswith("battery_")]


@pytest.mark.parametrize("name", list(BY_NAME))
@pytest.mark.parametrize("volts", [12, 24])
def test_what_is_added_is_new_and_the_rest_stays(name: str, volts: int) -> None:
    before = build_layout("rear_battery", volts)
    after = add_to(before, name)
    old = {e.id: e for e in before.elements}
    assert {e.id: e for e in after.elements if e.id in old} == old
    assert len(after.elements) > len(before.elements)
    assert check_circuit(after) == [] and len({e.id for e in after.elements}) == len(after.elements)


@pytest.mark.parametrize("name", list(BY_NAME))
def test_twice_the_same_has_names_of_its_own(name: str) -> None:
    if name == "alternator":
        pytest.skip("two are the most")
    circuit = add_to(add_to(build_layout("front_battery", 12), name), name)
    ids = [e.id for e in circuit.elements] + [n.id for n in circuit.nodes]
    assert len(ids) == len(set(ids)) and check_circuit(circuit) == []


@pytest.mark.parametrize("name", WITH_A_BATTERY)
def test_a_second_battery_is_fused_at_both_ends(name: str) -> None:
    """Two sources on one lead: a fuse at each. Common practice, no source."""
    before = build_layout("front_battery", 12)
    after = add_to(before, name)
    posts = {b.positive_node for b in after.batteries}
    new = [b for b in after.branches if isinstance(b, FuseBranch) and b.id not in {x.id for x in before.branches}]
    assert {n for f in new for n in (f.from_node, f.to_node)} >= posts
    wrong = [
        c.words
        for p in review_protection(after).protectors
        for c in p.checks
        if c.outcome is Outcome.BAD and c.name in ("load", "cable", "withstand")
    ]
    assert not wrong


def test_links_double_their_thresholds_on_24_v() -> None:
    links = [
        next(b for b in add_to(build_layout("front_battery", v), "battery_link").branches if isinstance(b, LinkBranch))
        for v in (12, 24)
    ]
    assert [(b.cut_in_v, b.cut_out_v) for b in links] == [(13.3, 12.7), (26.6, 25.4)]


def test_a_charger_fills_the_battery_it_hangs_on() -> None:
    circuit = add_to(build_layout("front_battery", 12), "bench_charger")
    flat = State(engine_rpm=0, state_of_charge={"battery": 0.4})
    devices = {d.device_id: d for d in solve_circuit(circuit, flat).devices}
    assert devices["bench_charger"].current_a > 5 and devices["battery"].does == "charging"


def test_a_converter_lifts_the_second_battery_while_the_first_charges() -> None:
    circuit = add_to(build_layout("front_battery", 12), "battery_converter")
    out = next(d for d in solve_circuit(circuit, State(engine_rpm=2500)).devices if d.kind == "converter_out")
    assert 0 < out.current_a <= 25


def test_another_ground_lowers_the_return() -> None:
    before = build_layout("rear_battery", 12)
    state = State(output_a={"alternator": 80})
    grounds = [solve_circuit(c, state).node_voltages_v[c.battery.negative_node] for c in (before, add_to(before, "ground_block"))]
    assert grounds[1] < 0.7 * grounds[0]


def test_a_second_alternator_shares_the_load() -> None:
    circuit = add_to(build_layout("front_battery", 12), "alternator")
    loaded = add_to(circuit, "load").model_copy(
        update={"loads": tuple(x.model_copy(update={"current_a": 140}) for x in add_to(circuit, "load").loads)}
    )
    given = [d.current_a for d in solve_circuit(loaded, State(engine_rpm=3000)).devices if d.kind == "alternator"]
    assert len(given) == 2 and min(given) > 20


def test_what_has_no_name_is_refused() -> None:
    with pytest.raises(ValueError, match="nothing to add"):
        add_to(build_layout("front_battery", 12), "turbocharger")
