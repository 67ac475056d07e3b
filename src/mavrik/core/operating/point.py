"""What a circuit does at a state: every probe, every branch, who gives and who takes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from mavrik.core import network as net
from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch
from mavrik.core.document import Document
from mavrik.core.operating.engine import Engine, Settled
from mavrik.core.operating.state import State, is_on
from mavrik.core.operating.supply import trace
from mavrik.core.operating.warm_cables import curve_of, surroundings_c


@dataclass(frozen=True)
class BranchFlow:
    """One branch."""

    branch_id: str
    label: str
    from_v: Annotated[float, Field(description="Against the alternator case [V]")]
    to_v: float
    current_a: Annotated[float, Field(description="From from_node to to_node [A]")]
    drop_v: float
    heat_w: float
    resistance_ohm: Annotated[float | None, Field(description="null while it is open")]
    temperature_c: float
    closed: bool
    limit_c: Annotated[float | None, Field(description="Class of its insulation [degC]; null for what is no conductor")] = None
    seconds_to_limit: Annotated[
        float | None,
        Field(description="How long this current takes to bring it there from its surroundings' [s]; null: it does not"),
    ] = None


@dataclass(frozen=True)
class DeviceFlow:
    """A source, battery, load or converter."""

    device_id: str
    label: str
    kind: str
    volts: Annotated[float, Field(description="Between its terminals [V]")]
    current_a: Annotated[float, Field(description="Given, or taken where negative [A]")]
    power_w: Annotated[float, Field(description="Given, or taken where negative [W]")]
    does: Annotated[
        str, Field(description="regulating, at its limit, off, forced, charging, discharging, on, cut off, held by its input")
    ]
    limit_a: float | None


@dataclass(frozen=True)
class Supply:
    """What one source gives one taker."""

    source_id: str
    taker_id: str
    current_a: float


class OperatingPoint(Document):
    """What a circuit does at one state."""

    state: State
    node_voltages_v: dict[str, float]
    branches: tuple[BranchFlow, ...]
    devices: tuple[DeviceFlow, ...]
    supplies: tuple[Supply, ...] = Field(description="Who supplies whom, by proportional sharing where currents meet")
    given_w: float = Field(description="By all sources and discharging batteries [W]")
    taken_w: float = Field(description="By all loads, charging batteries and converters' losses [W]")
    lost_w: float = Field(description="In branches [W]")
    notes: tuple[str, ...]


NO_SUPPLY, UNHELD = "without a supply", "held by nothing but its own rectifier"
DOES = {
    net.Mode.REGULATING: "regulating",
    net.Mode.AT_LIMIT: "at its limit",
    net.Mode.OFF: "off",
    net.Mode.FORCED: "forced",
    net.Mode.BY_INPUT: "held by its input",
}


def solve_circuit(circuit: Circuit, state: State | None = None) -> OperatingPoint:
    """What a circuit does at an operating state.

    circuit: the document
    state: speed, temperatures, what is on and what is open; left out, 2000 /min with everything on
    Returns the voltage of every node against the alternator case, current, drop and heat of every branch, and what every
    source, battery, load and converter gives or takes.
    Raises CircuitError for a circuit or state that cannot be computed, NoOperatingPointError where nothing satisfies it.
    Source: modified nodal analysis (`mavrik.core.network`), held against ngspice in tests/reference.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> point = solve_circuit(front_battery(12), State(engine_rpm=2000))
    >>> next(d.does for d in point.devices if d.kind == "alternator")
    'regulating'
    """
    return point_of(Engine(circuit, state or State()).settle())


def point_of(settled: Settled) -> OperatingPoint:
    """As `solve_circuit`, of a circuit that is at rest already."""
    engine, solution, temperatures = settled.engine, settled.solution, settled.temperature_c
    circuit, state = engine.circuit, engine.state
    ohm = dict(zip((r.id for r in engine.network.resistors), settled.ohm, strict=True))
    volts = {n.id: solution.node_v.get(n.id, 0.0) for n in circuit.nodes}
    branches = tuple(_branch_flow(b, state, solution, volts, ohm, temperatures) for b in circuit.branches)
    devices = tuple(_devices(circuit, state, solution, volts, engine.elements))
    notes = [
        f"{b.label} would open and close for ever here; it is taken as open."
        for b in circuit.branches
        if b.id in solution.chattering
    ]
    notes += [f"{x.label} switched itself off below {x.cut_off_v:g} V." for x in circuit.loads if x.id in solution.open_ids]
    notes += [
        f"{c.label} stopped: its input is below {c.input_cut_off_v:g} V." for c in circuit.converters if c.id in solution.open_ids
    ]
    notes += [
        f"{a.label} has lost what its regulator senses or what its output is held by: about {volts[a.stud_node]:.0f} V at its stud, "
        "where its rectifier clamps, and more while it does not. That destroys electronics; never do this with the engine running."
        for a in circuit.alternators
        if a.id in solution.beyond
    ]
    measured = [b.label for b in circuit.branches if b.measured_mohm is not None]
    if measured:
        notes.append(f"Resistance as measured, not as sound: {', '.join(measured)}.")
    given = sum(d.power_w for d in devices if d.power_w > 0)
    power_w = -sum(d.power_w for d in devices if d.power_w < 0)
    return OperatingPoint(
        state=state,
        node_voltages_v=volts,
        branches=branches,
        devices=devices,
        supplies=tuple(Supply(s, t, a) for (s, t), a in supplies_of(circuit, state, solution).items()),
        given_w=given,
        taken_w=power_w,
        lost_w=sum(b.heat_w for b in branches),
        notes=tuple(notes),
    )


def supplies_of(circuit: Circuit, state: State, solution: net.Solution) -> dict[tuple[str, str], float]:
    """Each taker's current by the sources it comes from [A]; as `mavrik.core.operating.supply.trace`.

    circuit, state: as solved
    solution: its solution; what comes into a converter is taken by it, what comes out is given
    """
    flows = [(b.from_node, b.to_node, solution.current_a.get(b.id, 0.0)) for b in circuit.branches]
    plus = {a.id: a.stud_node for a in circuit.alternators} | {c.id: c.positive_node for c in circuit.chargers}
    plus |= {b.id: b.positive_node for b in circuit.batteries} | {c.id: c.out_node for c in circuit.converters}
    gives = {i: (node, solution.current_a.get(i, 0.0)) for i, node in plus.items()}
    takers = {}
    for b in circuit.batteries:
        node, amps = gives[b.id]
        gives[b.id] = (node, -amps)
        takers[b.id] = (node, amps)
    for x in circuit.loads:
        takers[x.id] = (x.from_node, solution.current_a.get(x.id, 0.0))
    takers |= {c.id: (c.in_node, solution.input_a[c.id]) for c in circuit.converters}
    if state.bank is not None:
        takers["bank"] = (state.bank.from_node, solution.current_a["bank"])
    if state.fault is not None:
        amps = solution.current_a["fault"]
        takers["fault"] = (state.fault.from_node if amps > 0 else state.fault.to_node, abs(amps))
    return trace(flows, {i: g for i, g in gives.items() if g[1] > 0}, {i: t for i, t in takers.items() if t[1] > 0})


def _branch_flow(
    branch: AnyBranch,
    state: State,
    solution: net.Solution,
    volts: Mapping[str, float],
    ohm: Mapping[str, float],
    temperatures: Mapping[str, float],
) -> BranchFlow:
    current = solution.current_a.get(branch.id, 0.0)
    drop = volts[branch.from_node] - volts[branch.to_node]
    closed = branch.id in solution.current_a and branch.id not in solution.open_ids
    resistance = ohm.get(branch.id, branch.resistance_ohm(20.0))
    limit = seconds = None
    if isinstance(branch, ConductorBranch):
        limit, around = float(branch.insulation_c), surroundings_c(branch, state.engine_space_c, state.ambient_c)
        lasts = curve_of(branch, around).seconds_to(abs(current) / branch.parallel, limit, around)
        seconds = lasts if math.isfinite(lasts) else None
    return BranchFlow(
        branch_id=branch.id,
        label=branch.label,
        from_v=volts[branch.from_node],
        to_v=volts[branch.to_node],
        current_a=current,
        drop_v=drop,
        heat_w=drop * current,
        resistance_ohm=resistance if closed else None,
        temperature_c=temperatures.get(branch.id, state.ambient_c),
        closed=closed,
        limit_c=limit,
        seconds_to_limit=seconds,
    )


def _devices(
    circuit: Circuit, state: State, solution: net.Solution, volts: Mapping[str, float], elements: list[net.Element]
) -> list[DeviceFlow]:
    limits = {e.id: e.limit_a for e in elements if isinstance(e, net.RegulatedSource)}
    rows = []

    def row(device: object, kind: str, plus: str, minus: str, gives_a: float, does: str, limit: float | None = None) -> None:
        across = volts[plus] - volts[minus]
        rows.append(DeviceFlow(device.id, device.label, kind, across, gives_a, across * gives_a, does, limit))  # type: ignore[attr-defined]

    for a in circuit.alternators:
        does = UNHELD if a.id in solution.beyond else DOES[solution.mode[a.id]]
        row(a, "alternator", a.stud_node, a.case_node, solution.current_a[a.id], does, limits[a.id])
    for c in circuit.chargers:
        does = DOES[solution.mode[c.id]] if state.chargers_on else "off"
        row(c, "charger", c.positive_node, c.negative_node, solution.current_a.get(c.id, 0.0), does, c.limit_a)
    for b in circuit.batteries:
        into = solution.current_a[b.id]
        row(b, "battery", b.positive_node, b.negative_node, -into, "charging" if into > 0 else "discharging")
    for x in circuit.loads:
        does = (
            "cut off"
            if x.id in solution.open_ids
            else NO_SUPPLY
            if x.id in solution.beyond
            else "on"
            if is_on(x, state)
            else "off"
        )
        row(x, "load", x.from_node, x.to_node, -solution.current_a.get(x.id, 0.0), does)
    for d in circuit.converters:
        row(d, "converter_in", d.in_node, d.ground_node, -solution.input_a[d.id], DOES[solution.mode[d.id]])
        row(d, "converter_out", d.out_node, d.ground_node, solution.current_a[d.id], DOES[solution.mode[d.id]], d.limit_a)
    for name, what in (("bank", state.bank), ("fault", state.fault)):
        if what is not None:
            across = volts[what.from_node] - volts[what.to_node]
            amps = solution.current_a[name]
            label = "Load bank" if name == "bank" else "Dead short"
            rows.append(DeviceFlow(name, label, name, across, -amps, -across * amps, "on", None))
    return rows
