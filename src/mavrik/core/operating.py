"""Any circuit at any operating state: what every probe would read, and who gives and takes what."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from mavrik.core import network as net
from mavrik.core.circuit import (
    Alternator,
    AnyBranch,
    Battery,
    BreakerBranch,
    Circuit,
    ConductorBranch,
    DiodeBranch,
    Document,
    Identifier,
    LinkBranch,
    Load,
    LoadKind,
    RelayBranch,
    SwitchBranch,
)
from mavrik.core.devices import battery_units, converter_element
from mavrik.core.sources import charging_resistance_ohm, internal_resistance_factor, output_limit_a, rest_voltage_v, source_table
from mavrik.core.supply import trace
from mavrik.core.topology import CircuitError, Problem, check_circuit
from mavrik.core.warm_cables import SETTLED_K, WARM_ROUNDS, WarmCables, curve_of, surroundings_c

FULL_FIELD_V_12 = 18.0
"""Where a gassing battery holds an alternator whose regulator is shorted, on a 12 V system. Common practice, rough, no source."""

Amount = Annotated[float, Field(ge=0, le=2000)]


class BankLoad(Document):
    """A load bank, connected for a test."""

    from_node: Identifier
    to_node: Identifier
    current_a: Amount


class DeadShort(Document):
    """A fault to try out: a path that should not be."""

    from_node: Identifier
    to_node: Identifier
    resistance_mohm: Annotated[float, Field(gt=0, le=1000)] = 1.0


class State(Document):
    """An operating state; everything left out is as the circuit document has it."""

    engine_rpm: Annotated[float, Field(ge=0, le=12000, description="Engine speed [1/min]")] = 2000.0
    engine_space_c: Annotated[float, Field(ge=-40, le=140)] = 40.0
    ambient_c: Annotated[float, Field(ge=-40, le=60)] = 20.0
    alternator_c: Annotated[float, Field(ge=-40, le=160, description="Temperature of the alternators [degC]")] = 60.0
    warmed_up: bool = Field(False, description="Cables at the temperature their current settles at")
    cranking: bool = Field(False, description="Starters on, alternators off")
    loads_on: dict[Identifier, bool] = Field({}, description="By load id; left out, as the document has it")
    contacts: dict[Identifier, bool] = Field({}, description="Closed or not, by id of a switch, breaker, relay or link")
    output_a: dict[Identifier, Amount] = Field({}, description="A known output by alternator id, whatever the voltage [A]")
    lasts_s: Annotated[float, Field(ge=0, le=86400, description="How long the state has lasted [s]: links wait their delay")] = (
        3600.0
    )
    chargers_on: bool = Field(True, description="Whether bench chargers are plugged in")
    converters_on: bool = Field(True, description="Whether DC-DC chargers run; most sleep with the engine")
    state_of_charge: dict[Identifier, Annotated[float, Field(ge=0, le=1)]] = Field({}, description="By battery id")
    bank: BankLoad | None = None
    fault: DeadShort | None = None
    watch_node: Identifier | None = Field(
        None, description="Where the voltage is asked about; left out, the first battery's positive post"
    )


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


def _battery(circuit: Circuit, battery: Battery, state: State) -> net.EmfSource:
    charge = state.state_of_charge.get(battery.id, battery.state_of_charge)
    series, strings = battery_units(circuit, battery), battery.parallel
    chemistry = battery.chemistry.value
    inner = battery.internal_mohm / 1000 * internal_resistance_factor(battery.temperature_c, battery.age)
    charging = charging_resistance_ohm(chemistry, charge, battery.capacity_ah, battery.temperature_c, inner)
    share = series / strings
    return net.EmfSource(
        battery.id,
        battery.positive_node,
        battery.negative_node,
        rest_voltage_v(chemistry, charge) * series,
        inner * share,
        charging * share,
    )


def _alternator(circuit: Circuit, alternator: Alternator, state: State) -> net.RegulatedSource:
    shaft = state.engine_rpm * alternator.pulley_ratio
    magnet = alternator.kind == "permanent_magnet"
    limit = 0.0
    if alternator.field != "open" and not state.cranking:
        limit = float(output_limit_a(alternator.rated_a, shaft, state.alternator_c, alternator.curve, magnet))
        limit *= source_table().fault_output_share[alternator.fault]
    forced = state.output_a.get(alternator.id)
    set_point = alternator.set_point_v + alternator.compensation_mv_per_k / 1000 * (state.alternator_c - 25.0)
    if alternator.field == "full":
        set_point = FULL_FIELD_V_12 * circuit.system_voltage_v / 12
    return net.RegulatedSource(
        alternator.id,
        alternator.stud_node,
        alternator.case_node,
        alternator.sense_positive_node or alternator.stud_node,
        alternator.sense_negative_node or alternator.case_node,
        set_point,
        limit,
        forced,
        # A known output is what was measured: it goes its way whatever the voltage, which then says nothing.
        source_table().clamp_v_12 * circuit.system_voltage_v / 12 if forced is None else None,
    )


def is_on(load: Load, state: State) -> bool:
    """Whether a load is switched on; a starter only while cranking."""
    return state.cranking if load.cranking else state.loads_on.get(load.id, load.on)


def _load(circuit: Circuit, load: Load) -> net.Element:
    volts = circuit.system_voltage_v
    if load.law is LoadKind.RESISTANCE:
        return net.Resistor(load.id, load.from_node, load.to_node, volts / load.current_a)
    if load.law is LoadKind.POWER:
        return net.PowerLoad(load.id, load.from_node, load.to_node, volts * load.current_a, load.cut_off_v)
    return net.CurrentSource(load.from_node, load.to_node, load.current_a, load.id, takes=True)


def is_closed(branch: AnyBranch, state: State) -> bool:
    """Whether a contact is closed at a state; metal always is."""
    if isinstance(branch, SwitchBranch | BreakerBranch | RelayBranch):
        return state.contacts.get(branch.id, branch.closed)
    return True


def _branch(branch: AnyBranch, state: State) -> net.Element | None:
    """A branch as an element, with its resistance at 20 degC; None while it is open."""
    ohm = branch.resistance_ohm(20.0)
    if isinstance(branch, DiodeBranch):
        return net.Diode(branch.id, branch.from_node, branch.to_node, branch.forward_v, ohm)
    if isinstance(branch, LinkBranch) and branch.override == "none" and branch.delay_s <= state.lasts_s:
        sense = branch.from_node
        return net.Link(
            branch.id,
            branch.from_node,
            branch.to_node,
            ohm,
            sense,
            "",
            branch.cut_in_v,
            branch.cut_out_v,
            state.contacts.get(branch.id, False),
        )
    if isinstance(branch, LinkBranch):
        held = branch.override == "closed" or (branch.override == "none" and state.contacts.get(branch.id, False))
        return net.Resistor(branch.id, branch.from_node, branch.to_node, ohm) if held else None
    return net.Resistor(branch.id, branch.from_node, branch.to_node, ohm) if is_closed(branch, state) else None


def elements_of(circuit: Circuit, state: State) -> list[net.Element]:
    """Everything of a circuit at a state, as elements of a network with cold cables.

    circuit, state: the document and what is on, open and known
    Voltages of links are taken against the first battery's negative post.
    """
    elements: list[net.Element] = []
    for branch in circuit.branches:
        made = _branch(branch, state)
        if isinstance(made, net.Link):
            made = net.Link(**{**made.__dict__, "sense_negative": circuit.battery.negative_node})
        if made is not None:
            elements.append(made)
    elements += [_alternator(circuit, a, state) for a in circuit.alternators]
    elements += [_battery(circuit, b, state) for b in circuit.batteries]
    elements += [_load(circuit, x) for x in circuit.loads if is_on(x, state)]
    elements += [replace(converter_element(c), limit_a=c.limit_a if state.converters_on else 0.0) for c in circuit.converters]
    if state.chargers_on:
        elements += [
            net.RegulatedSource(
                c.id, c.positive_node, c.negative_node, c.positive_node, c.negative_node, c.set_point_v, c.limit_a
            )
            for c in circuit.chargers
        ]
    if state.bank is not None:
        elements.append(net.CurrentSource(state.bank.from_node, state.bank.to_node, state.bank.current_a, "bank", takes=True))
    if state.fault is not None:
        elements.append(net.Resistor("fault", state.fault.from_node, state.fault.to_node, state.fault.resistance_mohm / 1000))
    return elements


def check_state(circuit: Circuit, state: State) -> list[Problem]:
    """Names in a state that the circuit does not have."""
    nodes = {n.id for n in circuit.nodes}
    known = {
        "loads_on": {x.id for x in circuit.loads},
        "contacts": {b.id for b in circuit.branches if isinstance(b, SwitchBranch | BreakerBranch | RelayBranch | LinkBranch)},
        "output_a": {a.id for a in circuit.alternators},
        "state_of_charge": {b.id for b in circuit.batteries},
    }
    problems = [
        Problem(name, field, f"There is no '{name}' to say this of. Known: {', '.join(sorted(ids)) or 'none'}.")
        for field, ids in known.items()
        for name in getattr(state, field)
        if name not in ids
    ]
    if state.watch_node is not None and state.watch_node not in nodes:
        problems.append(Problem("watch_node", "watch_node", f"There is no node '{state.watch_node}'."))
    for where, what in (("bank", state.bank), ("fault", state.fault)):
        if what is not None:
            problems += [
                Problem(where, f, f"There is no node '{getattr(what, f)}'.")
                for f in ("from_node", "to_node")
                if getattr(what, f) not in nodes
            ]
            if what.from_node == what.to_node:
                problems.append(Problem(where, "to_node", "Both ends are on the same node."))
    return problems


class Engine:
    """A circuit at a state, its branches as measured where they were, assembled once: solved as it is, or swept over arrays of values."""

    def __init__(self, circuit: Circuit, state: State, checked: bool = False) -> None:
        """checked: the circuit has passed `check_circuit` already, as for another state of it.

        Raises CircuitError for a circuit that cannot be computed or a state that names what is not there.
        """
        problems = (not checked and check_circuit(circuit)) or check_state(circuit, state)
        if problems:
            raise CircuitError(problems)
        self.circuit, self.state = circuit, state
        self.elements = elements_of(circuit, state)
        self.network = net.Network(self.elements, circuit.alternator.case_node)
        by_id = {b.id: b for b in circuit.branches}
        metal = [(k, by_id[r.id]) for k, r in enumerate(self.network.resistors) if r.id in by_id]
        self._rows = np.array([k for k, _ in metal], dtype=int)
        self.warm = WarmCables([b for _, b in metal], measured=True)
        self._around_c = self.warm.around_c(state.engine_space_c, state.ambient_c)

    def values(self, temperature_c: NDArray[np.float64] | None = None) -> net.Values:
        """The network's values with branches at their temperatures, or at that of their surroundings."""
        ohm = np.array(self.network.values.resistor_ohm, dtype=float)
        ohm[self._rows] = self.warm.ohm(self._around_c if temperature_c is None else temperature_c)
        return net.Values(**{**self.network.values.__dict__, "resistor_ohm": ohm})

    def _check_outputs(self, rest: net.Batch) -> None:
        """Raises NoOperatingPointError for a known output that has nowhere to go."""
        if not self.state.output_a:
            return
        found = self.network.named(rest)
        for a in self.circuit.alternators:
            if a.id in self.state.output_a and found.between(a.stud_node, a.case_node) > NOWHERE_V:
                amps = self.state.output_a[a.id]
                raise net.NoOperatingPointError(
                    f"{a.label} is said to give {amps:g} A, and nothing is connected that could take it.", [a.id]
                )

    def settle(self) -> Settled:
        """Bring the circuit to rest, with its cables warmed up where the state says so. Raises NoOperatingPointError."""
        temperature = self._around_c
        values = self.values(temperature)
        rest = self.network.settle(values)
        self._check_outputs(rest)
        if self.state.warmed_up:
            for _ in range(WARM_ROUNDS):
                amps = rest.answer.resistor_a[0, self._rows]
                hotter = self.warm.settled_c(amps, self._around_c)
                if np.abs(hotter - temperature).max(initial=0.0) < SETTLED_K:
                    break
                temperature = hotter
                values = self.values(temperature)
                rest = self.network.settle(values, rest)
        by_id = {b.id: t for b, t in zip(self.warm.branches, temperature.tolist(), strict=True)}
        return Settled(self, self.network.named(rest), rest, values, by_id)


@dataclass(frozen=True)
class Settled:
    """A circuit at rest: what a probe could read, and what further questions begin from."""

    engine: Engine
    solution: net.Solution
    rest: net.Batch
    values: net.Values
    temperature_c: Mapping[str, float]
    """Of the branches, by id."""


NOWHERE_V = 10_000.0
"""A known output drives a full battery to some hundred volts in the reckoning; what is beyond this meets an open circuit."""

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

    >>> from mavrik.core.layouts import front_battery
    >>> point = solve_circuit(front_battery(12), State(engine_rpm=2000))
    >>> next(d.does for d in point.devices if d.kind == "alternator")
    'regulating'
    """
    return point_of(Engine(circuit, state or State()).settle())


def point_of(settled: Settled) -> OperatingPoint:
    """As `solve_circuit`, of a circuit that is at rest already."""
    engine, found, values, temperatures = settled.engine, settled.solution, settled.values, settled.temperature_c
    circuit, state = engine.circuit, engine.state
    ohm = dict(zip((r.id for r in engine.network.resistors), np.asarray(values.resistor_ohm, dtype=float).tolist(), strict=True))
    volts = {n.id: found.node_v.get(n.id, 0.0) for n in circuit.nodes}
    branches = tuple(_branch_flow(b, state, found, volts, ohm, temperatures) for b in circuit.branches)
    devices = tuple(_devices(circuit, state, found, volts, engine.elements))
    notes = [
        f"{b.label} would open and close for ever here; it is taken as open."
        for b in circuit.branches
        if b.id in found.chattering
    ]
    notes += [f"{x.label} switched itself off below {x.cut_off_v:g} V." for x in circuit.loads if x.id in found.open_ids]
    notes += [
        f"{c.label} stopped: its input is below {c.input_cut_off_v:g} V." for c in circuit.converters if c.id in found.open_ids
    ]
    notes += [
        f"{a.label} has lost what its regulator senses or what its output is held by: about {volts[a.stud_node]:.0f} V at its stud, "
        "where its rectifier clamps, and more while it does not. That destroys electronics; never do this with the engine running."
        for a in circuit.alternators
        if a.id in found.beyond
    ]
    measured = [b.label for b in circuit.branches if b.measured_mohm is not None]
    if measured:
        notes.append(f"Resistance as measured, not as sound: {', '.join(measured)}.")
    given = sum(d.power_w for d in devices if d.power_w > 0)
    taken = -sum(d.power_w for d in devices if d.power_w < 0)
    return OperatingPoint(
        state=state,
        node_voltages_v=volts,
        branches=branches,
        devices=devices,
        supplies=tuple(Supply(s, t, a) for (s, t), a in supplies_of(circuit, state, found).items()),
        given_w=given,
        taken_w=taken,
        lost_w=sum(b.heat_w for b in branches),
        notes=tuple(notes),
    )


def supplies_of(circuit: Circuit, state: State, found: net.Solution) -> dict[tuple[str, str], float]:
    """Each taker's current by the sources it comes from [A]; as `mavrik.core.supply.trace`.

    circuit, state: as solved
    found: its solution; what comes into a converter is taken by it, what comes out is given
    """
    flows = [(b.from_node, b.to_node, found.current_a.get(b.id, 0.0)) for b in circuit.branches]
    plus = {a.id: a.stud_node for a in circuit.alternators} | {c.id: c.positive_node for c in circuit.chargers}
    plus |= {b.id: b.positive_node for b in circuit.batteries} | {c.id: c.out_node for c in circuit.converters}
    gives = {i: (node, found.current_a.get(i, 0.0)) for i, node in plus.items()}
    taken = {}
    for b in circuit.batteries:
        node, amps = gives[b.id]
        gives[b.id] = (node, -amps)
        taken[b.id] = (node, amps)
    for x in circuit.loads:
        taken[x.id] = (x.from_node, found.current_a.get(x.id, 0.0))
    taken |= {c.id: (c.in_node, found.input_a[c.id]) for c in circuit.converters}
    if state.bank is not None:
        taken["bank"] = (state.bank.from_node, found.current_a["bank"])
    if state.fault is not None:
        amps = found.current_a["fault"]
        taken["fault"] = (state.fault.from_node if amps > 0 else state.fault.to_node, abs(amps))
    return trace(flows, {i: g for i, g in gives.items() if g[1] > 0}, {i: t for i, t in taken.items() if t[1] > 0})


def _branch_flow(
    branch: AnyBranch,
    state: State,
    found: net.Solution,
    volts: Mapping[str, float],
    ohm: Mapping[str, float],
    temperatures: Mapping[str, float],
) -> BranchFlow:
    current = found.current_a.get(branch.id, 0.0)
    drop = volts[branch.from_node] - volts[branch.to_node]
    closed = branch.id in found.current_a and branch.id not in found.open_ids
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
    circuit: Circuit, state: State, found: net.Solution, volts: Mapping[str, float], elements: list[net.Element]
) -> list[DeviceFlow]:
    limits = {e.id: e.limit_a for e in elements if isinstance(e, net.RegulatedSource)}
    rows = []

    def row(device: object, kind: str, plus: str, minus: str, gives_a: float, does: str, limit: float | None = None) -> None:
        across = volts[plus] - volts[minus]
        rows.append(DeviceFlow(device.id, device.label, kind, across, gives_a, across * gives_a, does, limit))  # type: ignore[attr-defined]

    for a in circuit.alternators:
        does = UNHELD if a.id in found.beyond else DOES[found.mode[a.id]]
        row(a, "alternator", a.stud_node, a.case_node, found.current_a[a.id], does, limits[a.id])
    for c in circuit.chargers:
        does = DOES[found.mode[c.id]] if state.chargers_on else "off"
        row(c, "charger", c.positive_node, c.negative_node, found.current_a.get(c.id, 0.0), does, c.limit_a)
    for b in circuit.batteries:
        into = found.current_a[b.id]
        row(b, "battery", b.positive_node, b.negative_node, -into, "charging" if into > 0 else "discharging")
    for x in circuit.loads:
        does = "cut off" if x.id in found.open_ids else NO_SUPPLY if x.id in found.beyond else "on" if is_on(x, state) else "off"
        row(x, "load", x.from_node, x.to_node, -found.current_a.get(x.id, 0.0), does)
    for d in circuit.converters:
        row(d, "converter_in", d.in_node, d.ground_node, -found.input_a[d.id], DOES[found.mode[d.id]])
        row(d, "converter_out", d.out_node, d.ground_node, found.current_a[d.id], DOES[found.mode[d.id]], d.limit_a)
    for name, what in (("bank", state.bank), ("fault", state.fault)):
        if what is not None:
            across = volts[what.from_node] - volts[what.to_node]
            amps = found.current_a[name]
            label = "Load bank" if name == "bank" else "Dead short"
            rows.append(DeviceFlow(name, label, name, across, -amps, -across * amps, "on", None))
    return rows
