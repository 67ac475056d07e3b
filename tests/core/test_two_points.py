"""Networks at their awkward places: two operating points, islands, stiff and soft side by side, parts that cannot rest."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.network import (
    CurrentSource,
    Diode,
    EmfSource,
    Mode,
    Network,
    NoOperatingPointError,
    PowerLoad,
    RegulatedSource,
    Resistor,
)
from mavrik.core.network.assembly import LEAK_SHARE


def bistable() -> Network:
    """A source of 20 A at 14 V, a battery of 12 V that charges slowly and gives freely, a load of 250 W.

    At 14 V the load takes 17.9 A and the battery 1.3 A: within 20 A. At the battery's own voltage the load takes 21 A, the
    source is at its limit, and the battery gives the rest. Both are at rest.
    """
    return Network(
        [
            RegulatedSource("alt", "p", "n", "p", "n", 14.0, 20.0),
            EmfSource("battery", "p", "n", 12.0, 0.01, 1.5),
            PowerLoad("load", "p", "n", 250.0),
        ],
        "n",
    )


def test_of_two_operating_points_the_higher_is_meant() -> None:
    result = bistable().solve()
    assert result.node_v["p"] == pytest.approx(14.0, abs=1e-3) and result.mode["alt"] is Mode.REGULATING


def test_both_points_satisfy_the_laws() -> None:
    """By hand, the lower: 20 A + (12 - v) / 0.01 = 250 / v, v = 11.991 V."""
    low = np.roots([100.0, -1220.0, 250.0]).max()
    assert 20 + (12 - low) / 0.01 == pytest.approx(250 / low) and low < 12
    assert 250 / 14 + 2 / 1.5 < 20


def test_a_sweep_through_a_collapse_comes_back_to_the_higher_point() -> None:
    """The limit falls until only the lower point is left, and rises again: each state stands for itself."""
    net = bistable()
    limit = np.concatenate((np.linspace(25, 5, 80), np.linspace(5, 25, 80)))[:, None]
    swept = net.solve_many(replace(net.values, limit_a=limit)).node_v[:, net.row["p"]]
    alone = [net.solve(replace(net.values, limit_a=row)).node_v["p"] for row in limit]
    assert swept == pytest.approx(alone, abs=1e-6)
    assert swept[:80] == pytest.approx(swept[:79:-1], abs=1e-9) and swept.max() > 13.99 and swept.min() < 12


@pytest.mark.parametrize("ohm", [1e-6, 1e-3, 1.0, 1e6])
def test_an_island_without_a_tie_sits_at_nothing_whatever_its_stiffness(ohm: float) -> None:
    net = Network(
        [
            EmfSource("e", "p", "n", 12.0, 0.01),
            Resistor("load", "p", "n", 2.0),
            Resistor("i1", "x", "y", ohm),
            Resistor("i2", "y", "z", ohm),
        ],
        "n",
    )
    solution = net.solve()
    assert [solution.node_v[k] for k in "xyz"] == pytest.approx([0, 0, 0], abs=1e-9)
    assert solution.current_a["load"] == pytest.approx(12 / 2.01)


@given(st.lists(st.floats(-6, 4), min_size=6, max_size=6))
@settings(max_examples=60)
def test_a_chain_of_any_resistances_is_their_sum(exponents: list[float]) -> None:
    """Measured out of the matrix or not, a chain is one resistance: ten orders of magnitude side by side."""
    ohms = [10.0**e for e in exponents]
    chain = [Resistor(f"r{k}", f"n{k}", f"n{k + 1}", r) for k, r in enumerate(ohms)]
    elements = [EmfSource("e", "n0", "n", 12.0, 0.01), *chain, Resistor("home", f"n{len(ohms)}", "n", 1.0)]
    amps = 12 / (0.01 + sum(ohms) + 1.0)
    # What keeps islands at 0 V is a share of the largest conductance at a node, and leaks past the smallest.
    leak = 10 * LEAK_SHARE * sum(ohms) / min(ohms)
    for reduced in (True, False):
        result = Network(elements, "n", reduced).solve()
        assert result.current_a["home"] == pytest.approx(amps, rel=1e-6 + leak, abs=1e-8)


def test_kron_reduction_by_hand() -> None:
    """A star of 1, 2 and 3 ohm seen from its tips is the triangle of 11/3, 11/2 and 11 ohm."""
    star = [Resistor("a", "a", "m", 1.0), Resistor("b", "b", "m", 2.0), Resistor("c", "c", "m", 3.0)]
    tips = [EmfSource("ea", "a", "n", 12.0, 1.0), EmfSource("eb", "b", "n", 6.0, 1.0), EmfSource("ec", "c", "n", 0.0, 1.0)]
    net = Network([*star, *tips], "n")
    red = net.reduce({"resistor_ohm": np.array([[1.0, 2.0, 3.0]]), "current_a": np.zeros((1, 0))})
    at = {name: net.row[name] for name in "abc"}
    assert net.kept == 3
    for one, other, ohm in (("a", "b", 11 / 3), ("a", "c", 11 / 2), ("b", "c", 11.0)):
        assert -1 / red.base[0, at[one], at[other]] == pytest.approx(ohm)


def test_a_current_into_an_inner_node_arrives_where_it_should() -> None:
    """3 A into the middle of 1 and 2 ohm between stiff ends: they part two to one."""
    net = Network(
        [
            EmfSource("e", "p", "n", 0.0, 1e-9), Resistor("left", "m", "p", 1.0), Resistor("right", "m", "n", 2.0),
            CurrentSource("n", "m", 3.0, "in"),
        ],
        "n",
    )  # fmt: skip
    solution = net.solve()
    assert net.kept == 1
    assert (solution.current_a["left"], solution.current_a["right"]) == (pytest.approx(2), pytest.approx(1))
    assert solution.node_v["m"] == pytest.approx(2)


def test_loads_that_ask_for_more_than_there_is_are_named_in_a_sweep_of_shared_resistances() -> None:
    net = Network(
        [EmfSource("e", "p", "n", 12.0, 0.1), PowerLoad("pump", "p", "n", 100.0), PowerLoad("fan", "p", "n", 50.0)], "n"
    )
    with pytest.raises(NoOperatingPointError, match="pump"):
        net.solve_many(replace(net.values, load_w=np.linspace(10, 400, 20)[:, None] * np.array([[1.0, 0.5]])))


def test_diodes_in_a_sweep_conduct_where_they_should() -> None:
    """A source swept past a diode's threshold: blocked below 12.7 V, then the rest over 20 mohm."""
    net = Network(
        [
            RegulatedSource("s", "a", "n", "a", "n", 12.0, 500.0),
            Diode("d", "a", "b", 0.7, 0.01),
            EmfSource("e", "b", "n", 12.0, 0.01),
        ],
        "n",
    )
    volts = np.linspace(11, 14, 61)[:, None]
    solved = net.solve_many(replace(net.values, set_point_v=volts))
    assert solved.diode_a[:, 0] == pytest.approx(np.maximum(volts[:, 0] - 12.7, 0) / 0.02, abs=0.02)


def test_one_state_near_another_is_the_same_state() -> None:
    net = bistable()
    first = net.settle(replace(net.values, limit_a=np.array([60.0])))
    near, fresh = net.settle(net.values, first), net.settle(net.values)
    assert near.answer.node_v == pytest.approx(fresh.answer.node_v, abs=1e-9)
    assert net.solve_many(replace(net.values, limit_a=[[20.0], [60.0]]), first).node_v[0] == pytest.approx(
        fresh.answer.node_v[0], abs=1e-9
    )


@pytest.mark.parametrize("watt", [100.0, 250.0, 400.0])
def test_a_state_begun_at_its_limit_is_where_it_would_have_come_by_itself(watt: float) -> None:
    """Sweeps begin states that are sure to be at their limit there; beside both operating points each must agree alone."""
    net = bistable()
    rng = np.random.default_rng(int(watt))
    limit = rng.uniform(2, 40, 400)[:, None]
    values = replace(net.values, limit_a=limit, load_w=np.array([watt]))
    swept = net.solve_many(values)
    alone = [net.solve(replace(net.values, limit_a=row, load_w=np.array([watt]))) for row in limit]
    assert swept.node_v[:, net.row["p"]] == pytest.approx([s.node_v["p"] for s in alone], abs=1e-6)
    assert [Mode(int(m)) for m in swept.mode[:, 0]] == [s.mode["alt"] for s in alone]
