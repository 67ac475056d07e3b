"""A circuit at a state as a SPICE netlist, for any simulator that knows behavioural sources.

Every element is written from its definition in words, with ngspice's own parts: nothing of our solver's method is in it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.network.guards import CLAMP_OHM, STOP_OHM
from mavrik.core.operating import Engine, State

GIVES_WAY_A_PER_V = 1e6
"""A regulator gives way by a microvolt an ampere; no regulator is endlessly stiff."""


class Netlist:
    """Lines of a netlist, and the names ngspice gave to the nodes."""

    def __init__(self, reference: str) -> None:
        self.reference = reference
        self.names: dict[str, str] = {reference: "0"}
        self.lines = ["* the same network for an independent solver"]
        self.currents: dict[str, str] = {}
        self.count = 0
        self.laws: dict[str, str] = {}
        """Current of each behavioural element by id, as an expression of node voltages."""

    def node(self, name: str) -> str:
        return self.names.setdefault(name, f"n{len(self.names)}")

    def across(self, plus: str, minus: str) -> str:
        """The voltage between two nodes in ngspice's words; it has no V(0)."""
        a, b = self.node(plus), self.node(minus)
        if b == "0":
            return f"v({a})"
        return f"(-v({b}))" if a == "0" else f"(v({a})-v({b}))"

    def ammeter(self, element: str, node: str) -> str:
        """A source of 0 V in series, to read the current that flows into the element from `node`."""
        self.count += 1
        inner = f"m{self.count}"
        self.lines.append(f"vm{self.count} {self.node(node)} {inner} 0")
        self.currents[element] = f"i(vm{self.count})"
        return inner

    def flow(self, element: str, start: str, end: str, law: str) -> None:
        """A current from `start` to `end` through the element, by a law of voltages."""
        inner = self.ammeter(element, start)
        self.count += 1
        self.lines.append(f"b{self.count} {inner} {self.node(end)} i={law}")
        self.laws[element] = law

    def resistor(self, element: str, start: str, end: str, ohm: float) -> None:
        inner = self.ammeter(element, start)
        self.count += 1
        self.lines.append(f"r{self.count} {inner} {self.node(end)} {ohm!r}")
        self.laws[element] = f"{self.across(start, end)}/{ohm!r}"


def _clamped(ask: str, most: str) -> str:
    return f"max(min({ask}, {most}), 0)"


def write(
    elements: Sequence[net.Element], reference: str, closed: dict[str, bool], on: dict[str, bool], load_v: Mapping[str, float]
) -> Netlist:
    """The network as a netlist; positions of links and of latched loads are given, for they have a past.

    load_v: about what each load of constant power has. Such a load has a second, collapsed operating point; below 0.7 of
    this voltage its law is bent, so that ngspice does not end there.
    """
    out = Netlist(reference)
    for e in elements:
        if isinstance(e, net.Resistor):
            out.resistor(e.id, e.start, e.end, e.ohm)
        elif isinstance(e, net.CurrentSource):
            out.count += 1
            out.lines.append(f"i{out.count} {out.node(e.start)} {out.node(e.end)} {e.ampere!r}")
            if e.takes:
                out.flow(f"{e.id}:stop", e.end, e.start, f"max(-{out.across(e.start, e.end)},0)/{STOP_OHM!r}")
        elif isinstance(e, net.EmfSource):
            u = f"({out.across(e.positive, e.negative)}-{e.volt!r})"
            charging = e.ohm if e.charging_ohm is None else e.charging_ohm
            out.flow(e.id, e.positive, e.negative, f"max({u},0)/{charging!r}+min({u},0)/{e.ohm!r}")
        elif isinstance(e, net.Diode):
            out.flow(e.id, e.start, e.end, f"max({out.across(e.start, e.end)}-{e.forward_v!r},0)/{e.ohm!r}")
        elif isinstance(e, net.RegulatedSource):
            sensed = out.across(e.sense_positive, e.sense_negative)
            law = (
                repr(e.forced_a)
                if e.forced_a is not None
                else _clamped(f"({e.set_point_v!r}-{sensed})*{GIVES_WAY_A_PER_V!r}", repr(e.limit_a))
            )
            out.flow(e.id, e.negative, e.positive, law)
            if e.clamp_v is not None:
                over = f"max({out.across(e.positive, e.negative)}-{e.clamp_v!r},0)"
                out.flow(f"{e.id}:clamp", e.positive, e.negative, f"{over}/{CLAMP_OHM!r}")
        elif isinstance(e, net.PowerLoad):
            v = out.across(e.start, e.end)
            least = 0.7 * load_v[e.id]
            out.flow(e.id, e.start, e.end, f"{e.watt!r}/max({v},{least!r})" if on.get(e.id, True) else "0")
        elif isinstance(e, net.Link):
            out.resistor(e.id, e.start, e.end, e.ohm if closed[e.id] else 1e12)
        elif isinstance(e, net.Converter):
            v_in, v_out = out.across(e.in_positive, e.in_negative), out.across(e.out_positive, e.out_negative)
            by_input = f"{e.input_limit_a * e.efficiency!r}*{v_in}/max({v_out},0.1)"
            give = (
                _clamped(f"({e.set_point_v!r}-{v_out})*{GIVES_WAY_A_PER_V!r}", f"min({e.limit_a!r},{by_input})")
                if on.get(e.id, True)
                else "0"
            )
            out.flow(e.id, e.out_negative, e.out_positive, give)
            least = 0.7 * load_v.get(e.id, 1.0)
            out.flow(f"{e.id}:in", e.in_positive, e.in_negative, f"({give})*{v_out}/({e.efficiency!r}*max({v_in},{least!r}))")
    return out


def write_netlist(circuit: Circuit, state: State) -> str:
    """A circuit at a state as a netlist that ngspice runs: operating point, with every node's voltage and name.

    circuit, state: as for `mavrik.core.operating.solve_circuit`
    Links and cut-offs have a past, so they stand as they come to rest; resistances are those of the warmed cables.
    Returns the text. Raises what `solve_circuit` raises.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> print(write_netlist(front_battery(12), State()).splitlines()[0])
    * Mavrik: front_battery, 12 V, 2000 /min
    """
    netlist, solution = netlist_of(circuit, state)
    names = [f"* {spice} = {node}" for node, spice in netlist.names.items()]
    begin = " ".join(f"v({s})={solution.node_v[n]:.6f}" for n, s in netlist.names.items() if s != "0")
    title = f"* Mavrik: {circuit.layout or 'circuit'}, {circuit.system_voltage_v} V, {state.engine_rpm:g} /min"
    tail = [f".nodeset {begin}", ".options reltol=1e-9 abstol=1e-9 vntol=1e-9 itl1=500", ".op", ".end"]
    return "\n".join([title, *names, *netlist.lines[1:], *tail]) + "\n"


def netlist_of(circuit: Circuit, state: State) -> tuple[Netlist, net.Solution]:
    """The netlist of a circuit at a state, and our own solution of it."""
    engine = Engine(circuit, state)
    settled = engine.settle()
    solution, values = settled.solution, settled.values
    ohm = dict(zip((r.id for r in engine.network.resistors), np.asarray(values.resistor_ohm, dtype=float).tolist(), strict=True))
    elements: list[net.Element] = [
        net.Resistor(e.id, e.start, e.end, ohm[e.id]) if isinstance(e, net.Resistor) else e for e in engine.elements
    ]
    closed = {e.id: e.id not in solution.open_ids for e in elements if isinstance(e, net.Link)}
    on = {e.id: e.id not in solution.open_ids for e in elements if isinstance(e, net.PowerLoad | net.Converter)}
    load_v = {e.id: max(solution.between(e.start, e.end), 0.1) for e in elements if isinstance(e, net.PowerLoad)}
    load_v |= {e.id: max(solution.between(e.in_positive, e.in_negative), 0.1) for e in elements if isinstance(e, net.Converter)}
    return write(elements, circuit.alternator.case_node, closed, on, load_v), solution
