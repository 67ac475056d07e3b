"""How much is worked out at once: counted alike every time, refused where it is too much, and in arrays of a size."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq

from mavrik.core import network as net
from mavrik.core.circuit import as_sound
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.effort import TooMuchWorkError, allowed, spend
from mavrik.core.findings import bench_model
from mavrik.core.findings.bench_model import BenchModel, planned
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.network import assembly, solve
from mavrik.core.network.elimination import Elimination
from mavrik.core.operating import Engine, State
from mavrik.core.operating.crossing import crossing
from mavrik.core.procedures import PROCEDURES


def least_work(question: object) -> float:
    """What a question needs, found by halving what it is allowed; a function of its own each time, so that nothing is kept."""
    low, high = 0.0, 1e6
    while high - low > 10:
        middle = (low + high) / 2
        try:
            with allowed(middle):
                question()  # type: ignore[operator]
            high = middle
        except TooMuchWorkError:
            low = middle
    return high


def test_the_same_question_needs_the_same_and_a_larger_one_more() -> None:
    def solved(layout: str) -> float:
        car = build_layout(layout, 12)
        return least_work(lambda: Engine(car, State(engine_rpm=2000)).settle())

    once, again, larger = solved("front_battery"), solved("front_battery"), solved("tow_and_trailer")
    assert once == again < larger


def test_nothing_is_counted_where_nobody_set_a_limit_and_a_limit_ends_with_its_block() -> None:
    spend(1e30)
    with allowed(100.0):
        spend(60.0)
        with allowed(1e9):
            spend(1e6)
        spend(40.0)
        with pytest.raises(TooMuchWorkError):
            spend(1.0)
    spend(1e30)


def test_many_states_are_the_same_a_few_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    engine = Engine(build_layout("boat_isolator", 12), State(engine_rpm=2000))
    values, network = engine.values(), engine.network
    ohm = np.asarray(values.resistor_ohm) * np.linspace(0.5, 3.0, 50)[:, None]
    many = replace(values, resistor_ohm=ohm)
    whole = network.solve_many(many).node_v
    monkeypatch.setattr(solve, "MOST_ENTRIES", 7 * len(network.nodes) ** 2)
    assert network.solve_many(many).node_v == pytest.approx(whole, abs=1e-9)


def test_slopes_of_many_suspects_are_the_same_a_few_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    car = build_layout("second_battery_converter", 12)
    model = BenchModel(car)
    placed = planned([p for of in PROCEDURES for p in of.points(car) if not p.own_rule])
    suspects = hypotheses(car)[:3]
    centre, _, by_logarithm = model.unknowns.priors(suspects)
    rows = np.where(by_logarithm, np.exp(np.where(by_logarithm, centre, 0.0)), centre)
    whole = model.slopes(placed, suspects, rows)
    monkeypatch.setattr(bench_model, "MOST_SLOPES", 1)
    for mine, its in zip(model.slopes(placed, suspects, rows), whole, strict=True):
        assert mine == pytest.approx(its, rel=1e-6, abs=1e-9, nan_ok=True)


@pytest.mark.parametrize("n", [2, 9, 40])
def test_many_systems_taken_apart_together_are_as_lapack_has_each(n: int) -> None:
    """On a ladder with rungs across it, its conductances differing from one to the next."""
    rng, many = np.random.default_rng(n), 30
    a = rng.uniform(1e-6, 1e-3, (many, n))[:, :, None] * np.eye(n)
    for k, j in ((i, i + far) for far in (1, 5) for i in range(n - far)):
        g = rng.uniform(10, 1000, many)
        a[:, k, k] += g
        a[:, j, j] += g
        a[:, k, j] -= g
        a[:, j, k] -= g
    right = rng.standard_normal((many, n, 4))
    apart = Elimination(a[0] != 0)
    assert apart.solve(a, right) == pytest.approx(np.linalg.solve(a, right), rel=1e-6)
    a[3, n - 1] = a[3, :, n - 1] = 0.0
    with pytest.raises(np.linalg.LinAlgError):
        apart.solve(a, right)


@pytest.mark.parametrize("together", [1, 10**9])
@pytest.mark.parametrize("name", ["front_battery", "competition_car", "second_battery_converter", "boat_selector"])
def test_inner_nodes_come_out_as_one_matrix_of_all_nodes_has_them(
    name: str, together: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Against every node kept, where nothing is eliminated, some of the resistances open."""
    monkeypatch.setattr(assembly, "TOGETHER", together)
    monkeypatch.setattr(assembly, "MANY", 1)
    engine = Engine(build_layout(name, 12), State(engine_rpm=2000))
    values, elements = engine.values(), engine.elements
    ohm = np.asarray(values.resistor_ohm) * np.linspace(0.5, 3.0, 40)[:, None]
    ohm[7, 0] = np.inf
    many = replace(values, resistor_ohm=ohm)
    net_of = net.Network(elements, engine.network.reference)
    whole = net.Network(elements, engine.network.reference, reduced=False)
    assert net_of.nodes != whole.nodes or net_of.kept < whole.kept
    mine, its = net_of.solve_many(many), whole.solve_many(many)
    for node in net_of.nodes:
        assert mine.node_v[:, net_of.row[node]] == pytest.approx(its.node_v[:, whole.row[node]], abs=1e-6), node


@pytest.mark.parametrize(
    ("of", "low", "high"),
    [
        (lambda x: x**3 - 2 * x - 5, 1.0, 4.0),
        (lambda x: np.exp(-x) - 0.01 * x, -2.0, 30.0),
        (lambda x: min(5.0 - x, 0.2 * (6.0 - x)), -20.0, 12.0),
        (lambda x: 1e-4 * (x - 3.0) + (50.0 if x > 3.5 else 0.0), -8.0, 9.0),
    ],
)
def test_a_zero_is_found_where_scipy_finds_it(of: object, low: float, high: float) -> None:
    """Held against Brent's method of scipy."""
    search, calls = crossing(low, high, 1e-10), 0
    place = next(search)
    try:
        while True:
            calls += 1
            place = search.send(of(place))  # type: ignore[operator]
    except StopIteration as done:
        assert done.value == pytest.approx(brentq(of, low, high, xtol=1e-12), abs=1e-8)
    assert calls < 60


def test_no_zero_between_ends_of_one_sign() -> None:
    search = crossing(0.0, 1.0, 1e-9)
    next(search)
    search.send(2.0)
    with pytest.raises(StopIteration) as done:
        search.send(3.0)
    assert done.value.value is None


def test_a_network_of_many_nodes_is_refused_before_it_is_solved() -> None:
    car = as_sound(build_layout("tow_and_trailer", 12))
    with allowed(1000.0), pytest.raises(TooMuchWorkError):
        Engine(car, State(engine_rpm=2000)).settle()
    assert isinstance(Engine(car, State(engine_rpm=2000)).settle().rest, net.Batch)
