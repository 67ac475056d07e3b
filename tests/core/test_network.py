"""The network's elements one by one, worked by hand, and many states at once against one at a time."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mavrik.core.network import (
    Converter,
    CurrentSource,
    Diode,
    Element,
    EmfSource,
    Link,
    Mode,
    Network,
    NoOperatingPointError,
    PowerLoad,
    RegulatedSource,
    Resistor,
    solve_network,
)
from mavrik.core.network.batch import TRIP_ROUND

BATTERY = EmfSource("battery", "p", "n", 12.0, 0.01)


def source(set_point: float = 14.0, limit: float = 50.0, forced: float | None = None, name: str = "alt") -> RegulatedSource:
    return RegulatedSource(name, "p", "n", "p", "n", set_point, limit, forced)


def test_a_regulated_source_gives_what_its_set_point_takes() -> None:
    """14 V on a battery of 12 V that charges through 0.1 ohm: 20 A."""
    solution = solve_network([source(), EmfSource("battery", "p", "n", 12.0, 0.01, 0.1)], "n")
    assert solution.current_a["alt"] == pytest.approx(20, abs=1e-3) and solution.mode["alt"] is Mode.REGULATING


def test_at_its_limit_the_voltage_is_what_the_battery_makes_of_it() -> None:
    solution = solve_network([source(limit=30), BATTERY], "n")
    assert solution.node_v["p"] == pytest.approx(12.3) and solution.mode["alt"] is Mode.AT_LIMIT


def test_of_two_set_points_the_higher_carries_the_load_alone() -> None:
    solution = solve_network([source(14.0), source(14.4, name="high"), Resistor("load", "p", "n", 0.5)], "n")
    assert solution.mode["alt"] is Mode.OFF and solution.current_a["high"] == pytest.approx(28.8, abs=1e-3)


def test_a_forced_source_does_not_ask_for_the_voltage() -> None:
    solution = solve_network([source(forced=70.0), BATTERY], "n")
    assert solution.node_v["p"] == pytest.approx(12.7) and solution.mode["alt"] is Mode.FORCED


@pytest.mark.parametrize(("volts", "amps"), [(12.5, 0.0), (13.0, 25.0), (14.0, 125.0)])
def test_a_diode_conducts_above_its_forward_voltage(volts: float, amps: float) -> None:
    """0.5 V and 4 mohm of its own, before 12.25 V behind 4 mohm: (V - 12.75) / 8 mohm where that is above 0."""
    solution = solve_network(
        [
            RegulatedSource("s", "a", "n", "a", "n", volts, 500.0),
            Diode("d", "a", "b", 0.5, 0.004),
            EmfSource("e", "b", "n", 12.25, 0.004),
        ],
        "n",
    )
    assert solution.current_a["d"] == pytest.approx(max(volts - 12.75, 0) / 0.008 if amps else 0, abs=0.05)


def test_a_battery_takes_a_charge_through_its_other_resistance() -> None:
    elements = [EmfSource("e", "p", "n", 12.0, 0.01, 0.5), CurrentSource("n", "p", 4.0, "in")]
    assert solve_network(elements, "n").node_v["p"] == pytest.approx(14.0)
    assert solve_network([elements[0], CurrentSource("p", "n", 4.0, "out")], "n").node_v["p"] == pytest.approx(11.96)


def test_constant_power_by_the_quadratic() -> None:
    """12 V behind 0.1 ohm, 200 W: v = 6 + sqrt(36 - 20) = 10 V and 20 A."""
    solution = solve_network([EmfSource("e", "p", "n", 12.0, 0.1), PowerLoad("x", "p", "n", 200)], "n")
    assert solution.node_v["p"] == pytest.approx(10) and solution.current_a["x"] == pytest.approx(20)


def test_a_converter_keeps_the_power_over_its_efficiency() -> None:
    """24 V at 5 A out of 12 V at 80 %: 150 W in, 12.5 A from a stiff battery."""
    solution = solve_network(
        [
            EmfSource("e", "p", "n", 12.0, 1e-6), Converter("c", "p", "n", "q", "n", 30.0, 5.0, 0.8),
            EmfSource("out", "q", "n", 24.0, 1e-6),
        ],
        "n",
    )  # fmt: skip
    assert solution.current_a["c"] == pytest.approx(5) and solution.input_a["c"] == pytest.approx(12.5, rel=1e-4)


@pytest.mark.parametrize(
    "element",
    [
        Resistor("bad", "p", "n", 0.0),
        EmfSource("bad", "p", "n", 12.0, -0.01),
        EmfSource("bad", "p", "n", 12.0, 0.01, 0.0),
        Diode("bad", "p", "n", 0.5, 0.0),
        Link("bad", "p", "n", 0.0, "p", "n", 13.3, 12.7),
    ],
)
def test_a_resistance_that_cannot_be_is_named(element: Element) -> None:
    with pytest.raises(ValueError, match="bad: a resistance"):
        solve_network([BATTERY, element], "n")


def test_ids_are_used_once_and_values_are_finite() -> None:
    with pytest.raises(ValueError, match="the id battery"):
        Network([BATTERY, BATTERY], "n")
    with pytest.raises(ValueError, match="not finite"):
        solve_network([EmfSource("e", "p", "n", float("inf"), 0.01)], "n")


def test_one_state_without_an_operating_point_refuses_the_sweep() -> None:
    network = Network([EmfSource("e", "p", "n", 12.0, 0.1), PowerLoad("x", "p", "n", 200)], "n")
    with pytest.raises(NoOperatingPointError, match="x"):
        network.solve_many(replace(network.values, load_w=[[100.0], [200.0], [500.0]]))


@given(
    limits=st.lists(st.floats(0, 200), min_size=2, max_size=12),
    watts=st.lists(st.floats(0, 500), min_size=2, max_size=12),
    charge=st.lists(st.floats(11.5, 13.2), min_size=2, max_size=12),
)
@settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow])
def test_many_states_at_once_are_the_same_as_one_by_one(limits: list[float], watts: list[float], charge: list[float]) -> None:
    count = min(len(limits), len(watts), len(charge))
    network = Network(
        [
            source(), Resistor("feed", "p", "q", 0.002), EmfSource("near", "q", "n", 12.4, 0.006, 0.2), Diode("d", "q", "r", 0.4, 0.002),
            EmfSource("far", "r", "n", 12.2, 0.008, 0.05), PowerLoad("x", "q", "n", 100.0, 10.0),
            Link("k", "q", "s", 0.001, "q", "n", 13.3, 12.7), EmfSource("third", "s", "n", 12.3, 0.01, 0.1),
        ],
        "n",
    )  # fmt: skip
    emf = np.array([[12.4, c, 12.3] for c in charge[:count]])
    many = replace(network.values, limit_a=np.array(limits[:count])[:, None], load_w=np.array(watts[:count])[:, None], emf_v=emf)
    swept = network.solve_many(many)
    for k in range(count):
        one = network.solve(replace(network.values, limit_a=[limits[k]], load_w=[watts[k]], emf_v=emf[k]))
        assert dict(zip(network.nodes, swept.node_v[k].tolist(), strict=True)) == pytest.approx(dict(one.node_v), abs=1e-6)
        assert bool(swept.link_closed[k, 0]) is ("k" not in one.open_ids)


def test_a_load_that_cannot_be_served_goes_off_and_leaves_the_other_what_it_needs() -> None:
    """12 V behind 1 ohm give 36 W at most. Of two loads of 30 W the one that gives up first leaves the other V (12 - V) = 30 W."""
    battery = EmfSource("battery", "p", "n", 12.0, 1.0)
    both = Network([battery, PowerLoad("fridge", "p", "n", 30.0, 7.0), PowerLoad("pump", "p", "n", 30.0, 5.0)], "n")
    result = both.solve()
    assert result.open_ids == {"fridge"}
    assert result.node_v["p"] == pytest.approx(6 + 6**0.5) and result.current_a["pump"] == pytest.approx(6 - 6**0.5)


@pytest.mark.parametrize("watt", [37.0, 60.0, 500.0, 20_000.0])
def test_a_load_without_an_operating_point_is_given_up_soon(watt: float) -> None:
    network = Network([EmfSource("battery", "p", "n", 12.0, 1.0), PowerLoad("fridge", "p", "n", watt, 10.0)], "n")
    batch = network.settle()
    assert batch.turn < TRIP_ROUND and network.named(batch).node_v["p"] == pytest.approx(12.0)


@pytest.mark.parametrize("watt", [1.0, 20.0, 35.0, 35.99])
def test_a_load_near_the_most_there_is_stays_on(watt: float) -> None:
    """Down to its last hundredth of a watt: V = 6 + sqrt(36 - P)."""
    network = Network([EmfSource("battery", "p", "n", 12.0, 1.0), PowerLoad("fridge", "p", "n", watt, 3.0)], "n")
    result = network.solve()
    assert not result.open_ids and result.node_v["p"] == pytest.approx(6 + (36 - watt) ** 0.5, abs=1e-4)
