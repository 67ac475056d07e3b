"""A run against its procedure and circuit: what cannot be is refused, what need not be said is filled in, what counts is taken."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from mavrik.core.circuit import Circuit
from mavrik.core.document import Problem
from mavrik.core.measuring.instruments import Instrument, reading_uncertainty
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Measured, Probe, Reading, Run
from mavrik.core.measuring.uncertainty import COVERAGE, combine
from mavrik.core.operating.bench_states import AT_IDLE, RUNNING, BenchState, Setup, joined_by_metal, state_of
from mavrik.core.operating.state import AMBIENT_C, ENGINE_SPACE_C
from mavrik.core.procedures.base import NOTED_RPM, Point, Procedure
from mavrik.core.procedures.bench.charging_drops import output_point
from mavrik.core.procedures.registry import PROCEDURES, procedure

LEAST_RPM = 300.0
"""No engine runs more slowly."""

OVER_V = 0.3
"""So much more than its set point no sound unit holds, of 12 V: twice what set points differ by. Our choice, no source."""

PULLED_V = 0.3
"""Standard deviation of what is on during a drop test does to the volts of batteries that nobody charges, of 12 V. Our choice, no source."""

NOTED_SHARE = 0.03
"""How well a noted engine speed is known: a dash is no tachometer. Common practice, rough, no source."""


def _problem_of(reading: Reading, point: Point | None, meters: Mapping[str, Instrument], volts: float) -> Problem | None:
    if point is None:
        # What an earlier program asked for, and this one does not, came with all that it takes to understand it.
        if reading.quantity in QUANTITIES and reading.label:
            return None
        return Problem(reading.point, "point", f"This test has no measuring point '{reading.point}' on this circuit.")
    quantity = point.kind
    if why := quantity.impossible(reading.value, volts):
        return Problem(reading.point, "value", why)
    meter = meters.get(reading.instrument or "")
    if quantity.turned_below is not None and not point.both_ways:
        # A little below nothing is nothing, as far as the meter knows.
        least = min(quantity.turned_below, -reading_uncertainty(quantity, reading.value, meter))
        if reading.value < least:
            return Problem(reading.point, "value", quantity.turned)
    if reading.instrument is not None and meter is None:
        return Problem(reading.point, "instrument", f"The run has no instrument '{reading.instrument}'.")
    return None


def check_run(circuit: Circuit, run: Run) -> list[Problem]:
    """Readings that cannot be of this procedure on this circuit, each with its point as the element.

    circuit: that it was made on; run: as carried out
    Raises ValueError for a procedure there is none of.
    Source: common practice.
    """
    points = {p.id: p for p in procedure(run.procedure).points(circuit)}
    meters = {m.id: m for m in run.instruments}
    maybe = [_problem_of(r, points.get(r.point), meters, circuit.system_voltage_v) for r in run.readings]
    problems = [p for p in maybe if p is not None]
    loads, batteries = {x.id for x in circuit.loads}, {b.id for b in circuit.batteries}
    problems += [
        Problem("loads_on", "loads_on", f"There is no load '{i}' in this circuit.") for i in run.loads_on or () if i not in loads
    ]
    if run.bank_on is not None and run.bank_on not in batteries:
        problems.append(Problem("bank_on", "bank_on", f"There is no battery '{run.bank_on}' for a bank to hang on."))
    if not run.readings and not run.skipped:
        problems.append(Problem("readings", "readings", "Nothing was read. Say why where the test is skipped."))
    return problems


def setups_of(circuit: Circuit, run: Run) -> dict[BenchState, Setup]:
    """Every bench state of a run's procedure with what the run knows of it.

    circuit, run: as for `check_run`
    """
    output, stud = run.reading(output_point(circuit)), run.reading("stud_v")
    known = Setup(
        BenchState.AT_OUTPUT,
        output.value if output and output.value > 0 else None,
        output.uncertainty if output else None,
        stud.value if stud and stud.value > 0 else None,
        None if run.loads_on is None else frozenset(run.loads_on),
        run.bank_on,
        ENGINE_SPACE_C if run.engine_space_c is None else run.engine_space_c,
        AMBIENT_C if run.ambient_c is None else run.ambient_c,
    )
    states = {p.state for p in procedure(run.procedure).points(circuit)}
    speed = _noted_speed(run, states)
    return {
        s: known if s is BenchState.AT_OUTPUT else Setup(s, engine_rpm=speed if s in RUNNING else None) for s in sorted(states)
    }


def _noted_speed(run: Run, states: Iterable[BenchState]) -> float | None:
    """The engine speed that a run notes [1/min]; None where it may be that of either of two, or no engine runs so slowly."""
    of_idle = {s in AT_IDLE for s in states if s in RUNNING}
    return run.engine_rpm if len(of_idle) == 1 and (run.engine_rpm or 0.0) >= LEAST_RPM else None


def _probe(circuit: Circuit, node_id: str) -> Probe | None:
    label = next((n.label for n in circuit.nodes if n.id == node_id), None)
    return None if label is None else Probe(node=node_id, label=label)


def _completed(circuit: Circuit, reading: Reading, point: Point, meters: Mapping[str, Instrument], run: Run) -> Reading:
    quantity = point.kind
    u = reading.uncertainty
    if u is None:
        u = reading_uncertainty(quantity, reading.value, meters.get(reading.instrument or ""))
    return reading.model_copy(
        update={
            "quantity": quantity.name,
            "unit": quantity.unit,
            "shown": reading.shown if reading.shown is not None else round(quantity.shown(reading.value), 9),
            "shown_unit": quantity.shown_unit,
            "uncertainty": u,
            "label": point.label[:160],
            "red": reading.red or _probe(circuit, point.red),
            "black": reading.black or _probe(circuit, point.black),
            "element": point.element,
            "state": point.state.value,
            "at": reading.at or run.measured_at,
        }
    )


def complete_run(circuit: Circuit, run: Run) -> Run:
    """A run with all that its readings do not say of themselves filled in; what they say stays.

    circuit: that it was made on; run: one that `check_run` has nothing to say of
    """
    points = {p.id: p for p in procedure(run.procedure).points(circuit)}
    meters = {m.id: m for m in run.instruments}
    readings = tuple(_completed(circuit, r, points[r.point], meters, run) if r.point in points else r for r in run.readings)
    used = {r.state for r in readings if r.state}
    states = {s.value: state_of(setup, circuit) for s, setup in setups_of(circuit, run).items() if s.value in used}
    return run.model_copy(update={"readings": readings, "states": {**states, **run.states}})


@dataclass(frozen=True)
class Observation:
    """A reading as evidence: where it was taken, how the vehicle stood, what was read."""

    point: Point
    setup: Setup
    measured: Measured
    run: int
    """Which of the runs it is of, from 0."""
    meter: Instrument | None = None
    """What it was read with, as it was that day; None: nobody noted it."""


def standing(runs: Sequence[Run], superseded: Iterable[int] = ()) -> list[tuple[int, Run]]:
    """The runs that stand, with their places: those that a later one corrects do not.

    runs: the oldest first; superseded: places of those that were corrected, from 0
    """
    gone = set(superseded)
    return [(k, r) for k, r in enumerate(runs) if k not in gone]


def _placed(point: Point, reading: Reading) -> Point:
    """The point with the probes where they were."""
    if reading.red is None or reading.black is None or not point.red:
        return point
    return replace(point, red=reading.red.node, black=reading.black.node)


def _without_output(point: Point, circuit: Circuit) -> Point | None:
    """A point of the drop test where the clamp on the output read nothing: that it gives nothing is evidence then, and what stands across
    a lead says whether it is open. None for one that says nothing: a lead's share of what flows meanwhile.
    """
    if point.quantity == "voltage_drop":
        return replace(point, unheld=True)
    if point.quantity == "voltage":
        held = point.red in joined_by_metal(circuit)
        return replace(point, own_rule=False, unheld=not held)
    return replace(point, own_rule=False) if point.id == output_point(circuit) else None


def _held_too_high(point: Point, reading: Reading, circuit: Circuit) -> Point | None:
    """A voltage of the drop test that is more than the regulators hold: no limit of a unit explains it, and it is evidence where the test of
    that was not made. None for any other: a unit at its limit, or with a bank on, may be anywhere below; a stud whose unit senses
    elsewhere, above.
    """
    if point.quantity != "voltage":
        return None
    far = any(a.id == point.element and a.sense_positive_node not in (None, a.stud_node) for a in circuit.alternators)
    most = max(a.set_point_v for a in circuit.alternators) + OVER_V * circuit.system_voltage_v / 12
    return replace(point, own_rule=False, read_instead=("regulated_",)) if reading.value > most and not far else None


def _running(run: Run) -> Setup:
    """How the vehicle stood during a drop test, as any test has it that knows no output."""
    idle = run.loads_on == () and run.bank_on is None
    speed = run.engine_rpm if (run.engine_rpm or 0.0) >= LEAST_RPM else None
    return Setup(BenchState.FAST if idle else BenchState.FAST_LOADED, engine_rpm=speed)


def observations(circuit: Circuit, runs: Sequence[tuple[int, Run]]) -> list[Observation]:
    """Every point's latest reading, with the state it was read in.

    circuit: as it is now; runs: as `standing` gives them; what the circuit has no place for any more is left out
    A drop at an output that nobody noted is no evidence; where the clamp read none, see `_without_output`, and of volts `_held_too_high`.
    """
    nodes, scale = {n.id for n in circuit.nodes}, circuit.system_voltage_v / 12
    by_point: dict[str, Observation] = {}
    for k, run in runs:
        of = next((p for p in PROCEDURES if p.name == run.procedure), None)
        if of is None:
            continue
        points, setups = {p.id: p for p in of.points(circuit)}, setups_of(circuit, run)
        meters = {m.id: m for m in run.instruments}
        for reading in run.readings:
            point = points.get(reading.point)
            if point is None:
                continue
            setup, no_output = setups[point.state], False
            if point.state is BenchState.AT_OUTPUT:
                if setup.output_u is None:
                    continue
                no_output = (setup.output_a or 0.0) <= setup.output_u
                there = _without_output(point, circuit) if no_output else _held_too_high(point, reading, circuit)
                if there is not None:
                    point, setup = there, _running(run)
                elif no_output:
                    continue
            placed = _placed(point, reading)
            if placed.red and not {placed.red, placed.black} <= nodes:
                continue
            measured = reading.measured
            if no_output and point.quantity == "voltage":
                # How much a bank, or all that is on, pulls them down nobody knows.
                measured = Measured(measured.value, combine(measured.uncertainty, COVERAGE * PULLED_V * scale))
            by_point[point.id] = Observation(placed, setup, measured, k, meters.get(reading.instrument or ""))
    return list(by_point.values())


@dataclass(frozen=True)
class Repeat:
    """One reading that was taken more than once: the first time and the last."""

    point: str
    before: float
    after: float


def latest_of(of: Procedure, circuit: Circuit, runs: Sequence[tuple[int, Run]]) -> tuple[dict[str, Measured], list[Repeat]]:
    """The readings of one procedure over all its runs: as they stand, and those that were repeated.

    of: the procedure; circuit: as it is now; runs: as `standing` gives them
    The engine speed that the last run notes, where it is of all its states, is with them as `NOTED_RPM`.
    """
    points, states = {p.id for p in of.points(circuit)}, {p.state for p in of.points(circuit)}
    now: dict[str, Measured] = {}
    first: dict[str, float] = {}
    for _, run in runs:
        if run.procedure == of.name:
            for r in run.readings:
                if r.point in points:
                    first.setdefault(r.point, r.value)
                    now[r.point] = r.measured
            if (speed := _noted_speed(run, states)) is not None:
                now[NOTED_RPM] = Measured(speed, NOTED_SHARE * speed)
            elif run.readings:
                now.pop(NOTED_RPM, None)
    return now, [Repeat(p, v, now[p].value) for p, v in first.items() if v != now[p].value]


def no_longer_in_a_procedure(circuit: Circuit, runs: Sequence[tuple[int, Run]]) -> list[Reading]:
    """Readings that no procedure asks for on the circuit as it is now: kept and shown, and no evidence.

    circuit, runs: as for `observations`
    """
    known = {(p.name, x.id) for p in PROCEDURES for x in p.points(circuit)}
    return [r for _, run in runs for r in run.readings if (run.procedure, r.point) not in known]
