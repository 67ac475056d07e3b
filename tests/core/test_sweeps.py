"""Sweeps over the ready layouts: many states at once against one at a time, and what each resistance is worth."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
import pytest

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.network import (
    CurrentSource,
    Diode,
    EmfSource,
    Network,
    PowerLoad,
    RegulatedSource,
    Resistor,
    batch,
)
from mavrik.core.operating import Engine, State

NAMES = [layout.name for layout in LAYOUTS]
STATES = 41


def engine_of(name: str) -> Engine:
    return Engine(build_layout(name, 12), State(engine_rpm=1500))


def swept(name: str, resistances: bool) -> tuple[Network, list[dict[str, np.ndarray]], object]:
    """A layout's network, its values state by state, and the same as arrays."""
    engine = engine_of(name)
    share = np.linspace(0.2, 1.5, STATES)[:, None]
    own = engine.values()
    arrays = {"limit_a": np.asarray(own.limit_a) * share, "load_w": np.asarray(own.load_w) * share}
    arrays["emf_v"] = np.asarray(own.emf_v) - 0.3 * share
    arrays["current_a"] = np.asarray(own.current_a) * share[::-1]
    if resistances:
        arrays["resistor_ohm"] = np.asarray(own.resistor_ohm) * share
    singles = [{n: a[k] for n, a in arrays.items()} for k in range(STATES)]
    return engine.network, singles, replace(own, **arrays)


@pytest.mark.long(but=10)
@pytest.mark.parametrize("resistances", [False, True], ids=["same-resistances", "other-resistances"])
@pytest.mark.parametrize("name", NAMES)
def test_many_states_at_once_are_each_state_alone(name: str, resistances: bool) -> None:
    net, singles, values = swept(name, resistances)
    many = net.solve_many(values)
    for k, own in enumerate(singles):
        alone = net.solve_many(replace(values, **own))
        for f in fields(many):
            assert np.allclose(getattr(many, f.name)[k], getattr(alone, f.name)[0], atol=1e-6, rtol=1e-9), (f.name, k)


@pytest.mark.parametrize("name", NAMES)
def test_nodes_taken_out_leave_the_same_voltages(name: str) -> None:
    engine = engine_of(name)
    whole = Network(engine.elements, engine.network.reference, reduced=False).solve(engine.values())
    small = engine.network.solve(engine.values())
    assert small.node_v == pytest.approx(whole.node_v, abs=1e-7)
    assert small.current_a == pytest.approx(whole.current_a, abs=1e-5)
    assert engine.network.kept < len(engine.network.nodes) - 1


@pytest.mark.parametrize("name", NAMES)
def test_sensitivities_are_the_slope_of_the_voltage(name: str) -> None:
    """Against the difference of two solves, 1 % apart in each resistance."""
    engine = engine_of(name)
    net, own = engine.network, engine.values()
    plus, minus = engine.circuit.battery.positive_node, engine.circuit.battery.negative_node
    slopes = net.sensitivities(plus, minus, net.settle(own))
    ohm = np.asarray(own.resistor_ohm, dtype=float)
    assert set(slopes) >= {r.id for r in net.resistors}
    for k, r in enumerate(net.resistors):
        step = np.where(np.arange(len(ohm)) == k, 0.005 * ohm, 0.0)
        high, low = net.solve(replace(own, resistor_ohm=ohm + step)), net.solve(replace(own, resistor_ohm=ohm - step))
        slope = (high.between(plus, minus) - low.between(plus, minus)) / (0.01 * ohm[k])
        assert slopes[r.id] == pytest.approx(slope, rel=2e-3, abs=2e-3), r.id


def test_loads_that_share_a_cable_settle_together() -> None:
    """Two loads of constant power behind one another, where each pulls the other's voltage down, in a sweep of both."""
    parts = [
        RegulatedSource("alt", "p", "n", "p", "n", 14.0, 500.0),
        EmfSource("e", "p", "n", 12.6, 0.01),
        Resistor("first", "p", "q", 0.05),
        Resistor("second", "q", "r", 0.05),
        PowerLoad("x", "q", "n", 100.0),
        PowerLoad("y", "r", "n", 100.0),
    ]
    net = Network(parts, "n")
    watt = np.linspace(50, 200, 30)[:, None] * np.array([[1.0, 1.5]])
    solved = net.solve_many(replace(net.values, load_w=watt))
    volts = solved.node_v[:, [net.row["q"], net.row["r"]]]
    assert np.allclose(volts * solved.load_a, watt, rtol=1e-9)
    current = (solved.node_v[:, net.row["p"]] - volts[:, 0]) / 0.05
    assert np.allclose(current, solved.load_a.sum(axis=1), atol=1e-6)


def test_states_of_a_sweep_that_lose_their_supply_are_as_alone() -> None:
    """Half of the states have an open feed; a consumer and a clamp are met in some and not in others."""
    net = Network(
        [
            RegulatedSource("alt", "stud", "n", "plus", "n", 14.4, 80.0, None, 35.0), Resistor("feed", "stud", "plus", 0.002),
            Resistor("spur", "plus", "lamp", 0.05), CurrentSource("lamp", "n", 9.0, "lamp", takes=True),
            EmfSource("battery", "plus", "n", 12.6, 0.006, 0.3), Diode("d", "plus", "aux", 0.6, 0.01), Resistor("aux", "aux", "n", 4.0),
        ],
        "n",
    )  # fmt: skip
    ohm = np.tile(np.asarray(net.values.resistor_ohm), (40, 1))
    ohm[::3, 0], ohm[1::4, 1] = 1e9, 1e9
    many = net.solve_many(replace(net.values, resistor_ohm=ohm))
    assert np.abs(many.node_v).max() < 40
    for k in range(40):
        values = replace(net.values, resistor_ohm=ohm[k])
        alone = net.solve_many(values)
        settled = net.solve(values)
        for name in ("node_v", "source_a", "emf_a", "diode_a", "resistor_a"):
            assert getattr(many, name)[k] == pytest.approx(getattr(alone, name)[0], abs=1e-6), (k, name)
        assert settled.node_v["lamp"] == pytest.approx(many.node_v[k, net.row["lamp"]], abs=1e-6)
        assert settled.current_a["alt"] == pytest.approx(many.source_a[k, 0], abs=1e-6)
        assert ("lamp" in settled.beyond) == (k % 4 == 1) and ("alt" in settled.beyond) == (k % 3 == 0)


def test_sensitivities_of_a_guarded_state_are_slopes() -> None:
    net = Network(
        [
            EmfSource("battery", "plus", "n", 12.6, 0.006), Resistor("thin", "plus", "lamp", 2.0),
            CurrentSource("lamp", "n", 9.0, "lamp", takes=True), Resistor("side", "plus", "n", 3.0),
        ],
        "n",
    )  # fmt: skip
    slopes = net.sensitivities("plus", "n", net.settle())
    more = replace(net.values, resistor_ohm=np.asarray(net.values.resistor_ohm) + np.array([1e-4, 0.0]))
    slope = (net.solve(more).node_v["plus"] - net.solve().node_v["plus"]) / 1e-4
    assert slopes["thin"] == pytest.approx(slope, rel=1e-3) and set(slopes) == {"thin", "side"}


@pytest.mark.parametrize("name", ["second_battery_converter", "tow_and_trailer"])
def test_a_converter_without_an_input_stops_and_one_with_an_input_does_not(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Random bad contacts: hardly a state without rest, and the same answers as with all the patience there is."""
    rng = np.random.default_rng(7)
    engine = Engine(build_layout(name, 12), State(engine_rpm=1500))
    values = engine.values()
    own = np.asarray(values.resistor_ohm)
    ohm = own * np.exp(rng.normal(0, 1, (300, len(own))))
    ohm[np.arange(300), rng.integers(0, len(own), 300)] += 10 ** rng.uniform(-3, 3, 300)
    changed = replace(
        values, resistor_ohm=ohm, emf_v=np.asarray(values.emf_v) * rng.uniform(0.85, 1.05, (300, len(values.emf_v)))
    )
    soon = engine.network.solve_many(changed, lenient=True)
    monkeypatch.setattr(batch, "COLLAPSED_AFTER", 10**9)
    patient = engine.network.solve_many(changed, lenient=True)
    none, neither = np.isnan(soon.node_v).any(axis=1), np.isnan(patient.node_v).any(axis=1)
    assert none.mean() < 0.01 and not (none & ~neither).any() and soon.converter_starved[~none].any()
    assert soon.node_v[~none & ~neither] == pytest.approx(patient.node_v[~none & ~neither], abs=1e-3)


def test_a_lenient_sweep_says_which_states_have_no_rest() -> None:
    net = Network([EmfSource("e", "p", "n", 12.0, 0.1), PowerLoad("x", "p", "n", 200)], "n")
    solved = net.solve_many(replace(net.values, load_w=[[100.0], [500.0], [200.0]]), lenient=True)
    assert np.isnan(solved.node_v[:, 0]).tolist() == [False, True, False]
    assert solved.node_v[0, 0] == pytest.approx(net.solve_many(replace(net.values, load_w=[100.0])).node_v[0, 0])
    alone = net.solve_many(replace(net.values, load_w=[500.0]), lenient=True)
    assert np.isnan(alone.node_v).all()
