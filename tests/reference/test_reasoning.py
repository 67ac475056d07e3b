"""The inference's arithmetic beside scipy, and its predictions beside the solver's own answers."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import norm, t

from mavrik.core.circuit import Load, LoadKind, as_sound
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.bench_model import BenchModel, planned
from mavrik.core.findings.changes import Change, What
from mavrik.core.findings.day import Day
from mavrik.core.findings.densities import log_student_density, normal_density
from mavrik.core.findings.hypotheses import Hypothesis, hypotheses
from mavrik.core.findings.likelihood import log_likelihood, scatter_of
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating import Engine, solve_circuit
from mavrik.core.operating.bench_states import ohm_at
from mavrik.core.procedures import PROCEDURES, BenchState, ohmic, procedure, state_of
from mavrik.standin.vehicle import VEHICLES


def test_one_reading_has_the_density_of_a_normal_with_slips() -> None:
    car = VEHICLES["front"]
    point = next(a for a in procedure("full_output").points(car))
    predicted = np.array([[70.0], [40.0], [10.0]])
    sigma = np.hypot(scatter_of(point, predicted[:, 0], 70.0), 1.5)
    by_scipy = np.log(0.98 * norm.pdf(38.0, predicted[:, 0], sigma) + 0.02 / 300)
    assert log_likelihood([point], predicted, [Measured(38.0, 3.0)])[:, 0] == pytest.approx(by_scipy)


@pytest.mark.parametrize("freedom", [1.0, 2.0, 30.0])
def test_densities_are_those_of_scipy(freedom: float) -> None:
    off, width = np.linspace(-60.0, 60.0, 25), np.linspace(0.1, 5.0, 25)
    assert log_student_density(off, width, freedom) == pytest.approx(t.logpdf(off, freedom, 0.0, width))
    assert normal_density(off, width) == pytest.approx(norm.pdf(off, 0.0, width), rel=1e-9, abs=1e-250)


@pytest.mark.parametrize("name", list(VEHICLES))
@pytest.mark.parametrize("state", [BenchState.CRANKING, BenchState.FAST_LOADED, BenchState.FULL_OUTPUT])
def test_a_sound_prediction_is_the_solvers_answer(name: str, state: BenchState) -> None:
    """The bench model sweeps values of one assembled network; the solver makes a network of the document."""
    circuit = VEHICLES[name]
    standing = state_of(state, circuit)
    if state is BenchState.FAST_LOADED and standing.bank is not None:
        # Consumers that no document lists take what they take as a resistance does.
        main = circuit.battery
        more = Load(
            id="consumers", label="Consumers", from_node=main.positive_node, to_node=main.negative_node,
            current_a=standing.bank.current_a, law=LoadKind.RESISTANCE,
        )  # fmt: skip
        circuit = circuit.model_copy(update={"loads": (*circuit.loads, more)})
        standing = standing.model_copy(update={"bank": None})
    # A listed load takes what it takes at the volts of a vehicle that charges.
    running = tuple(
        x
        if x.cranking
        else x.model_copy(update={"current_a": circuit.system_voltage_v / ohm_at(x, circuit.system_voltage_v, 13.8)})
        for x in circuit.loads
    )
    car = ohmic(circuit.model_copy(update={"loads": running}))
    points = [a for p in PROCEDURES for a in p.points(VEHICLES[name]) if a.state is state and a.red and not a.indicator]
    if not points:
        return
    seen = BenchModel(VEHICLES[name]).predict(planned(points), hypotheses(VEHICLES[name])[:1])[0]
    point = solve_circuit(car, standing)
    volts = [point.node_voltages_v[a.red] - point.node_voltages_v[a.black] for a in points]
    assert seen.tolist() == pytest.approx(volts, abs=2e-4)


@pytest.mark.parametrize("law", [LoadKind.CURRENT, LoadKind.POWER])
@pytest.mark.parametrize("state", [BenchState.IDLE_LOADED, BenchState.FAST_LOADED])
def test_a_listed_load_takes_what_it_takes_at_the_volts_that_were_read(law: LoadKind, state: BenchState) -> None:
    """Beside the solver, which knows the laws of loads themselves: an inverter of 60 A takes less the higher its bus is."""
    barge = build_layout("house_bank_diagonal", 12)
    loads = tuple(x.model_copy(update={"law": law}) if not x.cranking else x for x in barge.loads)
    barge = as_sound(barge.model_copy(update={"loads": loads}))
    asked = state_of(state, barge)
    assert asked.bank is None and any(x.law is law for x in loads)
    solved = solve_circuit(barge, asked).node_voltages_v
    read = {b.id: solved[b.positive_node] - solved[b.negative_node] for b in barge.batteries}
    points = [p for of in PROCEDURES for p in of.points(barge) if p.state is state and p.quantity == "voltage"]
    truly = np.array([solved[p.red] - solved[p.black] for p in points])

    def off(day: Day) -> float:
        return float(np.abs(BenchModel(barge, day).predict(planned(points), hypotheses(barge)[:1])[0] - truly).max())

    assert len(points) > 3 and off(Day(running_v={state: read})) < 0.01
    # A slip of the probe is no voltage that a load is served at.
    assert off(Day(running_v={state: dict.fromkeys(read, 0.3)})) == off(Day())


def test_a_resistance_put_in_is_the_document_with_a_worse_part() -> None:
    """6 mohm more on the mount, as a change of values and as a joint of 6.1 mohm in the document."""
    car = VEHICLES["front"]
    worse = car.model_copy(
        update={"branches": tuple(b.model_copy(update={"resistance_mohm": 6.1}) if b.id == "mount" else b for b in car.branches)}
    )
    points = [a for a in procedure("charging_drops").points(car) if a.quantity == "voltage_drop"]
    changed = BenchModel(car).predict(planned(points), [Hypothesis(("x",), 1.0, (Change(What.MORE_OHM, "mount", 0.006),))])[0]
    documented = BenchModel(worse).predict(planned(points), [Hypothesis(("x",), 1.0)])[0]
    assert changed == pytest.approx(documented, abs=1e-6)


def test_a_worn_unit_is_the_document_with_a_fault_inside() -> None:
    """The catalogue's share of output and the document's own fault are one figure."""
    car = VEHICLES["front"]
    points = list(procedure("full_output").points(car))
    for kind in ("phase_lost", "belt_slips", "diode_open"):
        unit = car.alternator.model_copy(update={"fault": kind})
        documented = BenchModel(car.model_copy(update={"alternators": (unit,)})).predict(
            planned(points), [Hypothesis(("x",), 1.0)]
        )[0]
        suspect = next(h for h in hypotheses(car) if h.causes == (f"{kind}:alternator",))
        assert BenchModel(car).predict(planned(points), [suspect])[0] == pytest.approx(documented, abs=1e-6)


def test_a_drain_takes_what_it_says() -> None:
    """0.4 A through the battery's own posts, and what modules asleep draw on top."""
    car = VEHICLES["front"]
    point = procedure("drain").points(car)
    drains = [h for h in hypotheses(car) if h.causes == ("drain:battery",)]
    seen = BenchModel(car).predict(planned(point), drains)[:, 0]
    assert seen == pytest.approx([h.changes[0].amount + 0.02 for h in drains], rel=0.02)


def test_an_assembled_engine_is_settled_from_any_state_before_it() -> None:
    """Beginning from another state at rest changes the rounds, not the answer."""
    car = ohmic(VEHICLES["parallel"])
    ends = []
    for state in (BenchState.IDLE, BenchState.FAST_LOADED):
        engine = Engine(car, state_of(BenchState.FAST, car))
        other = Engine(car, state_of(BenchState.FAST, car))
        start = other.network.settle(other.values()) if state is BenchState.IDLE else None
        ends.append(engine.network.named(engine.network.settle(engine.values(), start)).node_v)
    assert ends[0] == pytest.approx(ends[1], abs=1e-7)
