"""The network solver and predictions, against hand calculation and the laws of circuits."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.circuit import LUG_JOINT_OHM, Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.network import CurrentSource, EmfSource, Resistor, solve_network
from mavrik.core.operating.prediction import Prediction, at_output, predict
from mavrik.core.thermal.heat import heat_curve
from tests.build import simple_circuit, simple_document, with_branch


def seen_at(circuit: Circuit, amps: float, volts: float, **conditions: float) -> Prediction:
    """What the meter should show at a known output."""
    return predict(circuit, at_output(circuit, amps, volts, **conditions))


def test_a_current_divides_as_the_conductances() -> None:
    """30 A into 1 mohm beside 2 mohm: 20 A and 10 A, 20 mV across both."""
    solution = solve_network([Resistor("a", "p", "n", 0.001), Resistor("b", "p", "n", 0.002), CurrentSource("n", "p", 30)], "n")
    assert solution.current_a["a"] == pytest.approx(20)
    assert solution.current_a["b"] == pytest.approx(10)
    assert solution.between("p", "n") == pytest.approx(0.02)


def test_two_batteries_share_by_their_resistances() -> None:
    """60 A into two batteries of 12.6 V behind 6 and 3 mohm: 20 A and 40 A, posts at 12.72 V."""
    emfs = [EmfSource("one", "p", "n", 12.6, 0.006), EmfSource("two", "p", "n", 12.6, 0.003)]
    solution = solve_network([CurrentSource("n", "p", 60), *emfs], "n")
    assert solution.current_a["one"] == pytest.approx(20)
    assert solution.current_a["two"] == pytest.approx(40)
    assert solution.node_v["p"] == pytest.approx(12.72)


@pytest.mark.parametrize("ohm", [0.0, -1.0, float("nan")])
def test_a_resistance_that_cannot_be_is_refused_by_name(ohm: float) -> None:
    with pytest.raises(ValueError, match="bad"):
        solve_network([Resistor("bad", "p", "n", ohm)], "n")


def test_a_part_tied_to_nothing_sits_at_nothing() -> None:
    """Behind open switches there is no voltage; whether a document may have such a part is asked of its topology."""
    solution = solve_network([Resistor("a", "p", "n", 1), CurrentSource("n", "p", 2), Resistor("b", "x", "y", 1)], "n")
    assert solution.node_v["p"] == pytest.approx(2)
    assert solution.node_v["x"] == solution.node_v["y"] == pytest.approx(0)


@st.composite
def networks(draw: st.DrawFn) -> tuple[list[Resistor], list[CurrentSource], list[EmfSource]]:
    count = draw(st.integers(2, 9))
    ohm = st.floats(1e-4, 10)
    # A tree ties all nodes together; more resistors, sources and batteries go anywhere.
    resistors = [Resistor(f"t{k}", str(draw(st.integers(0, k - 1))), str(k), draw(ohm)) for k in range(1, count)]
    pairs = st.tuples(st.integers(0, count - 1), st.integers(0, count - 1)).filter(lambda p: p[0] != p[1])
    resistors += [Resistor(f"r{k}", str(a), str(b), draw(ohm)) for k, (a, b) in enumerate(draw(st.lists(pairs, max_size=8)))]
    currents = [CurrentSource(str(a), str(b), draw(st.floats(-300, 300))) for a, b in draw(st.lists(pairs, max_size=3))]
    emfs = [
        EmfSource(f"e{k}", str(a), str(b), draw(st.floats(0, 30)), draw(ohm))
        for k, (a, b) in enumerate(draw(st.lists(pairs, max_size=3)))
    ]
    return resistors, currents, emfs


@given(networks())
@settings(max_examples=150)
def test_kirchhoff_and_energy_hold_in_any_network(network: tuple[list[Resistor], list[CurrentSource], list[EmfSource]]) -> None:
    resistors, currents, emfs = network
    solution = solve_network([*resistors, *currents, *emfs], "0")
    into = dict.fromkeys(solution.node_v, 0.0)
    scale = 1.0
    for r in resistors:
        into[r.end] += solution.current_a[r.id]
        into[r.start] -= solution.current_a[r.id]
        scale = max(scale, abs(solution.current_a[r.id]))
    for e in emfs:
        into[e.negative] += solution.current_a[e.id]
        into[e.positive] -= solution.current_a[e.id]
        scale = max(scale, abs(solution.current_a[e.id]))
    for c in currents:
        into[c.end] += c.ampere
        into[c.start] -= c.ampere
    assert max(map(abs, into.values())) < 1e-6 * scale
    heat = sum(solution.current_a[r.id] ** 2 * r.ohm for r in resistors) + sum(
        solution.current_a[e.id] ** 2 * e.ohm for e in emfs
    )
    supplied = sum(c.ampere * solution.between(c.end, c.start) for c in currents) - sum(
        e.volt * solution.current_a[e.id] for e in emfs
    )
    assert heat == pytest.approx(supplied, rel=1e-6, abs=1e-6 * scale)


def test_a_simple_loop_is_ohms_law() -> None:
    """35 mm2 is 0.554 mohm/m at 20 degC (IEC 60228); two lugs 0.1 mohm; a 150 A fuse 0.08 V / 150 A; at 100 A."""
    seen = seen_at(simple_circuit(), 100, 14.4, engine_space_c=20, ambient_c=20)
    assert seen.drop_v["feed"] == pytest.approx(100 * (2 * 0.554e-3 + 2 * LUG_JOINT_OHM))
    assert seen.drop_v["fuse"] == pytest.approx(100 * 0.08 / 150)
    assert seen.drop_v["home"] == pytest.approx(0.0654)
    assert seen.node_v["stud"] == pytest.approx(14.4)
    assert seen.node_v["case"] == 0
    assert seen.node_v["plus"] - seen.node_v["minus"] == pytest.approx(14.4 - 0.1208 - 0.05333 - 0.0654, abs=1e-5)


def test_a_warm_place_raises_the_drop_by_the_coefficient() -> None:
    cold = seen_at(simple_circuit(), 100, 14.4, ambient_c=20).drop_v["home"] - 100 * 2 * LUG_JOINT_OHM
    warm = seen_at(simple_circuit(), 100, 14.4, ambient_c=50).drop_v["home"] - 100 * 2 * LUG_JOINT_OHM
    assert warm / cold == pytest.approx(1 + 0.00393 * 30)


def test_warmed_up_a_cable_sits_where_its_heat_balance_says() -> None:
    """35 mm2, 105 degC: the current that keeps it there in the cabin's 20 degC, two thirds of it, and a bundle's share."""
    limit = heat_curve(parse_size("35 mm2"), 20.0).ampacity_a(105)
    for share, bundled in ((1.0, 1), (0.66, 1), (0.7, 3)):
        document = simple_document()
        document["branches"][0]["bundled"] = bundled
        seen = seen_at(Circuit.model_validate(document), share * limit, 14.4, warmed_up=True)
        warm = heat_curve(parse_size("35 mm2"), 20.0, bundled=bundled).temperature_c(share * limit)
        assert seen.temperature_c["feed"] == pytest.approx(warm, abs=0.1)
        assert (warm == pytest.approx(105)) is (share != 0.66)


def test_a_cable_has_air_of_its_own_where_it_is_given() -> None:
    document = simple_document()
    document["branches"][0]["ambient_c"] = 70
    cold = seen_at(Circuit.model_validate(document), 100, 14.4)
    assert cold.temperature_c["feed"] == 70 and cold.temperature_c["home"] != 70


def test_parallel_grounds_share_and_a_bad_one_pushes_current_to_the_other() -> None:
    circuit = build_layout("front_battery", 12)
    state = at_output(circuit, 70, 14.4)
    sound = predict(circuit, state)
    bad = predict(circuit, state, {"block_ground": 0.003})
    assert sound.current_a["block_ground"] + sound.current_a["body_ground"] == pytest.approx(70)
    assert bad.current_a["body_ground"] > 2 * sound.current_a["body_ground"]
    assert bad.drop_v["block_ground"] == pytest.approx(bad.drop_v["body_ground"] + bad.drop_v["engine_strap"])


def test_a_loads_current_does_not_reach_the_battery() -> None:
    document = simple_document(loads=[{"id": "fan", "label": "Fan", "from_node": "fuse_in", "to_node": "case", "current_a": 30}])
    seen = seen_at(Circuit.model_validate(document), 100, 14.4)
    assert seen.current_a["feed"] == pytest.approx(100)
    assert seen.current_a["home"] == pytest.approx(70)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_in_every_layout_what_is_lost_is_what_is_missing_at_the_battery(layout: object) -> None:
    circuit = layout.build(12)  # type: ignore[attr-defined]
    seen = seen_at(circuit, 80, 14.4)
    battery = circuit.battery
    at_posts = seen.node_v[battery.positive_node] - seen.node_v[battery.negative_node]
    assert at_posts == pytest.approx(14.4 - seen.path_drop(seen.ring.feed) - seen.path_drop(seen.ring.return_side), abs=1e-4)


def test_two_runs_have_half_the_resistance() -> None:
    one = seen_at(simple_circuit(), 100, 14.4).drop_v["feed"]
    two = seen_at(Circuit.model_validate(with_branch(simple_document(), "feed", parallel=2)), 100, 14.4).drop_v["feed"]
    assert two == pytest.approx(one / 2)
