"""What must not be condemned: sound vehicles, however charged, whichever tests were made; and what was condemned once."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.sources import rest_voltage_v
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.day import Day
from mavrik.core.findings.faults import NOTHING
from mavrik.core.measuring.readings import Measured, Reading, Run
from mavrik.core.operating import Engine, State
from mavrik.core.operating.devices import battery_units
from mavrik.core.procedures import PROCEDURES, complete_run, procedure
from mavrik.standin.vehicle import HiddenVehicle, hidden_faults, with_starter
from tests.build import drop_run, drops_with, judged, runs_of

NO_PART = ("none", "unlisted_load", "unknown")
"""Causes that send nobody to mend anything."""

TELLING = [p.name for p in PROCEDURES if any(a.worth_asking for a in p.points(build_layout("front_battery", 12)))]


@cache
def circuit_of(name: str, volts: int = 12) -> Circuit:
    built = build_layout(name, volts)
    turned = name == "motorcycle" or any(x.cranking for x in built.loads)
    return built if turned else with_starter(built)


def sound(circuit: Circuit, charge: float, seed: int = 3, hidden: str = NOTHING) -> HiddenVehicle:
    """A vehicle with its batteries so far charged, whatever its document says; nothing wrong unless told."""
    made = HiddenVehicle(circuit, next(h for h in hidden_faults(circuit) if h.causes == (hidden,)), np.random.default_rng(seed))
    rest = {b.id: rest_voltage_v(b.chemistry.value, charge) * battery_units(circuit, b) for b in circuit.batteries}
    made.model = BenchModel(circuit, Day(rest))
    return made


def of(vehicle: HiddenVehicle, tests: list[str] | None = None, left_in: float = 1.0, **more: Measured) -> Findings:
    """left_in: which share of all that the tests ask for is read, drawn at random."""
    rng = np.random.default_rng(5)
    readings = {
        k: v for p in PROCEDURES if tests is None or p.name in tests for k, v in vehicle.read(p).items() if rng.random() < left_in
    }
    return judged(vehicle.circuit, *runs_of(vehicle, readings | more))


def condemned(findings: Findings, above: float = 0.5) -> list[tuple[str, float]]:
    part = findings.settled_part
    return [(c.cause, c.probability) for c in findings.causes if c.kind not in NO_PART and c.probability > above] + (
        [(part.label, part.probability)] if part is not None else []
    )


def test_drops_that_are_what_a_sound_lead_shows_at_the_current_that_was_read_condemn_none() -> None:
    """Whatever the model would have that unit give: the drops are held against the clamp."""
    car = build_layout("front_battery", 12)
    for amps in (40.0, 80.0, 110.0):
        findings = judged(car, drops_with(car, amps, {}))
        assert condemned(findings) == [] and not findings.doubtful
        assert {b.verdict for b in findings.branches} <= {BranchVerdict.PASS, BranchVerdict.CLOSE}


@pytest.mark.long(but=2)
@pytest.mark.parametrize("name", ["parallel_batteries", "boat_selector", "second_battery_link", "boat_isolator"])
def test_batteries_at_sixty_per_cent_are_not_a_fault(name: str) -> None:
    assert condemned(of(sound(circuit_of(name), 0.6))) == []


def test_a_shaft_far_behind_its_engine_is_a_belt_and_no_slip_of_the_reader() -> None:
    """30 % of its speed lost at idle with everything on, and the output that such a shaft gives."""
    car = circuit_of("front_battery")
    slipping = sound(car, 0.9, hidden="belt_slips:alternator")
    shaft = Measured(0.7 * 800.0 * car.alternator.pulley_ratio, 12.0)
    findings = of(slipping, **{"engine_rpm": Measured(800.0, 10.0), "shaft_rpm:alternator": shaft})
    assert findings.causes[0].cause == "belt_slips:alternator" and findings.causes[0].probability > 0.9
    assert not [d for d in findings.doubtful if d.point.startswith("shaft_rpm")]


def test_consumers_that_nobody_listed_condemn_no_part() -> None:
    """A third of the unit's rating more than the document says: the unit is at its limit at idle, and whole."""
    car = circuit_of("front_battery")
    findings = of(sound(car, 0.8, hidden="unlisted_load:battery"))
    assert condemned(findings) == []


@pytest.mark.long
@given(
    layout=st.sampled_from([x.name for x in LAYOUTS]),
    charge=st.floats(0.2, 1.0),
    tests=st.sets(st.sampled_from(TELLING), min_size=1),
    left_in=st.sampled_from([1.0, 0.6, 0.3]),
    seed=st.integers(1, 50),
)
@settings(max_examples=40, derandomize=True)
def test_a_sound_vehicle_is_never_condemned(layout: str, charge: float, tests: set[str], left_in: float, seed: int) -> None:
    """Every layout, every state of charge, every set of tests that somebody might stop at, or of their readings."""
    findings = of(sound(circuit_of(layout), round(charge, 2), seed), sorted(tests), left_in)
    assert condemned(findings) == [], (layout, charge, sorted(tests), left_in, seed, findings.headline.text)


@pytest.mark.long
def test_a_flat_battery_takes_as_freely_at_a_known_output_as_elsewhere() -> None:
    """Where it was not read at rest how charged it is, and so what it takes, is one unknown in every state: two units, half charged."""
    tests = ["charging_drops", "drain", "full_output", "key_on", "net_battery", "ripple"]
    findings = of(sound(circuit_of("house_bank_diagonal"), 0.53, 1), tests)
    assert condemned(findings) == [] and findings.nothing_broken > 0.7 and not findings.doubtful


@pytest.mark.parametrize("layout", ["parallel_batteries", "boat_selector"])
def test_of_two_batteries_that_metal_joins_one_reading_says_how_charged_both_are(layout: str) -> None:
    """Read 12.25 V at rest and next to that at the stud with the key on, and the other was a dead cell, 90 % sure: nobody had read it.
    One far lower is no charge, and says nothing of the other."""
    both = build_layout(layout, 12)

    def with_rest(volts: float, stud_v: float) -> Findings:
        read = {"rest": {"rest_v:battery_2": volts}, "key_on": {"key_stud_v:alternator": stud_v, "lamp:alternator": 1.0}}
        runs = [
            Run(procedure=n, readings=tuple(Reading(point=p, value=v) for p, v in of_it.items())) for n, of_it in read.items()
        ]
        return judged(both, *(complete_run(both, run) for run in runs))

    findings = with_rest(12.25, 12.22)
    assert condemned(findings, 0.1) == [] and findings.causes[0].cause == NOTHING
    assert with_rest(10.3, 11.6).causes[0].cause == "dead_cell:battery_2"


def test_probabilities_of_causes_that_exclude_one_another_add_up() -> None:
    """Sets of causes share out the whole; what is in no set is something nobody thought of, and has its part of it."""
    from tests.build import inferred

    car = sound(circuit_of("front_battery"), 0.7)
    posterior = inferred(car.circuit, runs_of(car, car.read(procedure("regulated"))))
    assert sum(c.probability for c in posterior.candidates) == pytest.approx(1.0)
    assert 0 < posterior.by_cause["unknown:"] < 0.1


def test_readings_that_nothing_explains_are_something_nobody_thought_of() -> None:
    """Voltages from nowhere, over and over: neither a sound vehicle nor any fault of the catalogue gives those."""
    car = circuit_of("front_battery")
    readings: dict[str, Any] = {
        "regulated_v:idle": 12.2, "regulated_v:fast": 15.9, "regulated_v:idle_loaded": 15.6, "regulated_v:fast_loaded": 12.4,
        "key_battery_v": 10.1, "crank_v": 13.3, "rest_v:battery": 12.6, "load_v:battery": 12.9,
    }  # fmt: skip
    vehicle = sound(car, 0.9)
    findings = judged(car, *runs_of(vehicle, {k: Measured(v, 0.05) for k, v in readings.items()}))
    assert condemned(findings, 0.9) == [] and any(c.kind == "unknown" for c in findings.causes)


@pytest.mark.long(but=2)
@pytest.mark.parametrize("charge", [0.5, 1.0])
@pytest.mark.parametrize("name", ["second_battery_converter", "tow_and_trailer"])
def test_the_drops_of_a_sound_vehicle_with_a_charger_and_a_full_battery_condemn_nothing(name: str, charge: float) -> None:
    """Read off the circuit with its regulator at work, which knows nothing of a known output: the charger runs, and nothing fails."""
    built = build_layout(name, 12)
    near, *far = built.batteries
    charged = [near.model_copy(update={"state_of_charge": charge})]
    charged += [b.model_copy(update={"state_of_charge": 0.5}) for b in far]
    circuit = built.model_copy(update={"batteries": tuple(charged)})
    state = State(engine_rpm=2500, chargers_on=False, loads_on={x.id: False for x in circuit.loads})
    seen = Engine(circuit, state).settle().solution
    assert all(seen.current_a[c.id] > 10 for c in circuit.converters)
    points = {p.id for p in procedure("charging_drops").points(circuit)}
    read = {b.id: round(seen.between(b.from_node, b.to_node), 4) for b in circuit.branches if f"drop_v:{b.id}" in points}
    unit, main = circuit.alternator, circuit.battery
    read["stud_v"] = round(seen.between(unit.stud_node, unit.case_node), 2)
    read["battery_v"] = round(seen.between(main.positive_node, main.negative_node), 2)
    findings = judged(circuit, drop_run(circuit, round(seen.current_a[unit.id], 1), **read))
    assert {b.verdict for b in findings.branches if b.branch_id in read} == {BranchVerdict.PASS}
    assert condemned(findings) == []
