"""Truth tables of every ready layout with every way to put a disconnect in, against ngspice, one netlist a step.

Written apart from the product's own netlists, solver, conditions and steps: switches are resistors of next to nothing or ten gigaohm, what is off leaks a microampere, an
alternator gives way by 2 milliohm, gives its most, or nothing, whichever agrees with the voltage that is found, a battery its open-circuit voltage behind its resistance giving or taking,
a condition is evaluated by Python. What is compared is what a person reads: which nodes are live (above 1 V against the case), which
contacts are closed, whether the engine runs and cranks.
"""

from __future__ import annotations

import re
import subprocess
from dataclasses import dataclass, field
from itertools import product
from typing import Any

import pytest

from mavrik.core.catalogue.sources import charging_resistance_ohm, rest_voltage_v
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.isolation.documents import Switching
from mavrik.core.isolation.table import truth_table
from mavrik.core.isolation.topologies import TOPOLOGIES
from mavrik.core.operating.devices import unit_output_a
from tests.spice import NGSPICE

NOTHING_A = 0.01
"""A source that holds something nothing hangs on gives this or less, either way, by the rounding of what is printed."""

LIVE_V, CLOSED_OHM, OPEN_OHM, OFF_OHM, GIVES_WAY_OHM = 1.0, 1e-4, 1e10, 1e7, 0.002
INSULATION_OHM = 1e9
"""Of a node to the case. A wire between two open switches hangs on nothing: its insulation leaks more than their gaps, so it is dead."""
ENGINE = {"off": 0, "key_on": 0, "cranking": 0, "idle": 1, "fast": 2}


@dataclass
class Vehicle:
    """One row on its way."""

    on: dict[str, bool]
    key: bool
    start: bool
    engine: int
    senses: dict[str, bool]
    excited: dict[str, bool]
    links: dict[str, bool] = field(default_factory=dict)
    does: dict[str, str] = field(default_factory=dict)
    """Of each source: regulates, at its limit, off."""
    takes: dict[str, float] = field(default_factory=dict)
    """Into each converter [A]."""
    volts: dict[str, float] = field(default_factory=dict)

    def holds(self, condition: str) -> bool:
        names = {**self.on, **self.senses, "key": self.key, "start": self.start, "always": True, "never": False}
        return bool(eval(condition, {"__builtins__": {}}, names))

    def across(self, plus: str, minus: str) -> float:
        return self.volts[plus] - self.volts[minus]


class Bench:
    """A circuit and its switching, as ngspice has it."""

    def __init__(self, circuit: Circuit, switching: Switching) -> None:
        self.circuit, self.switching = circuit, switching
        self.contacts = {c.branch_id: c.when for c in switching.contacts}
        self.consumers = {c.load_id: c for c in switching.consumers}
        self.exciter = next(x.from_node for x in circuit.loads if self.consumers[x.id].role == "ignition")
        self.scale = circuit.system_voltage_v / 12
        self.fields = {f.alternator_id: f for f in switching.fields}

    def closed(self, v: Vehicle) -> set[str]:
        return {i for i, when in self.contacts.items() if v.holds(when)}

    def loads_on(self, v: Vehicle) -> set[str]:
        return {x.id for x in self.circuit.loads if v.holds(self.consumers[x.id].when) and (not x.cranking or v.start)}

    def lines(self, v: Vehicle, k: int) -> list[str]:
        """One vehicle's part of the netlist."""
        c, out = self.circuit, []
        ref = c.alternator.case_node

        def n(node: str) -> str:
            return "0" if node == ref else f"n{k}_{node}"

        def u(plus: str, minus: str) -> str:
            return f"(v({n(plus)})-v({n(minus)}))"

        closed, on = self.closed(v), self.loads_on(v)
        for b in c.branches:
            ohm: Any = b.sound_resistance_ohm(20.0)
            if b.id in self.contacts:
                ohm = max(ohm, CLOSED_OHM) if b.id in closed else OPEN_OHM
            elif b.kind == "voltage_link":
                ohm = ohm if v.links.get(b.id, False) else OPEN_OHM
            elif b.by_voltage:
                ohm = ohm if v.links.get(b.id, False) else OPEN_OHM
                if v.links.get(b.id, False):
                    # A conducting diode: its forward voltage behind its resistance.
                    out += [
                        f"vd{k}_{b.id} {n(b.from_node)} m{k}_{b.id} {b.threshold_v}",
                        f"rd{k}_{b.id} m{k}_{b.id} {n(b.to_node)} {ohm}",
                    ]
                    continue
            elif not b.conducts:
                ohm = OPEN_OHM
            out.append(f"r{k}_{b.id} {n(b.from_node)} {n(b.to_node)} {ohm}")
        for b in c.batteries:
            emf, gives, takes = self.battery(b)
            out.append(f"vb{k}_{b.id} e{k}_{b.id} {n(b.negative_node)} {emf}")
            out.append(f"rb{k}_{b.id} e{k}_{b.id} {n(b.positive_node)} {takes if v.links.get(b.id, False) else gives}")
        for a in c.alternators:
            # Its own diodes and regulator let a microampere through.
            out.append(f"rz{k}_{a.id} {n(a.stud_node)} {n(a.case_node)} {OFF_OHM}")
            most = self.most_a(a, v)
            if most > 0:
                seen = u(a.sense_positive_node or a.stud_node, a.sense_negative_node or a.case_node)
                out.append(
                    f"ba{k}_{a.id} {n(a.case_node)} {n(a.stud_node)} i={self.law(v.does.get(a.id), a.set_point_v, seen, most)}"
                )
        for x in c.loads:
            ohm = c.system_voltage_v / x.current_a if x.id in on else OFF_OHM
            out.append(f"rl{k}_{x.id} {n(x.from_node)} {n(x.to_node)} {ohm}")
        for s in self.switching.senses:
            if s.takes_a and v.holds(s.when):
                out.append(f"rs{k}_{s.id} {n(s.plus_node)} {n(s.minus_node)} {c.system_voltage_v / s.takes_a + s.lead_ohm}")
        for d in c.converters:
            out.append(f"rz{k}_{d.id} {n(d.out_node)} {n(d.ground_node)} {OFF_OHM}")
            if v.engine and v.links.get(d.id, True):
                seen = u(d.out_node, d.ground_node)
                out.append(
                    f"bo{k}_{d.id} {n(d.ground_node)} {n(d.out_node)} i={self.law(v.does.get(d.id), d.set_point_v, seen, d.limit_a)}"
                )
                out.append(f"ii{k}_{d.id} {n(d.in_node)} {n(d.ground_node)} {v.takes.get(d.id, 0.0)}")
        return out + [f"rg{k}_{x.id} {n(x.id)} 0 {INSULATION_OHM}" for x in c.nodes if x.id != ref]

    def battery(self, b: Any) -> tuple[float, float, float]:
        """Its open-circuit voltage, and its resistance giving and taking."""
        units = b.series or self.circuit.system_voltage_v // 12
        name, inner = b.chemistry.value, b.internal_mohm / 1000
        takes = charging_resistance_ohm(name, b.state_of_charge, b.capacity_ah, b.temperature_c, inner)
        return rest_voltage_v(name, b.state_of_charge) * units, inner * units / b.parallel, takes * units / b.parallel

    def most_a(self, a: Any, v: Vehicle) -> float:
        rpm = {0: 0.0, 1: self.switching.idle_rpm, 2: self.switching.fast_rpm}[v.engine] * a.pulley_ratio
        return float(unit_output_a(a, rpm, 60.0)) if v.excited[a.id] else 0.0

    @staticmethod
    def law(does: str | None, set_point: float, seen: str, most: float) -> str:
        return {"limit": f"{most}", "off": "0"}.get(does or "", f"({set_point}-{seen})/{GIVES_WAY_OHM}")

    @staticmethod
    def done(does: str | None, set_point: float, seen: float, most: float) -> tuple[str, float]:
        """What a source does by the voltage it sees, and gives [A]."""
        if does in ("limit", "off"):
            agrees = seen <= set_point if does == "limit" else seen >= set_point
            return (does if agrees else "regulates"), (most if does == "limit" else 0.0)
        amps = (set_point - seen) / GIVES_WAY_OHM
        return ("limit", most) if amps > most else ("off", 0.0) if amps < -NOTHING_A else ("regulates", amps)

    def sources_moved(self, v: Vehicle) -> bool:
        c, before, moved = self.circuit, dict(v.does), False
        for a in c.alternators:
            if (most := self.most_a(a, v)) > 0:
                seen = v.across(a.sense_positive_node or a.stud_node, a.sense_negative_node or a.case_node)
                v.does[a.id], _ = self.done(v.does.get(a.id), a.set_point_v, seen, most)
        for d in c.converters:
            out = v.across(d.out_node, d.ground_node)
            v.does[d.id], amps = self.done(v.does.get(d.id), d.set_point_v, out, d.limit_a)
            drawn = out * amps / d.efficiency / max(v.across(d.in_node, d.ground_node), 6.0)
            moved |= abs(drawn - v.takes.get(d.id, 0.0)) > 0.01
            v.takes[d.id] = drawn
        # What a battery takes or gives comes to rest before a link answers to its voltage.
        for battery in c.batteries:
            takes = v.across(battery.positive_node, battery.negative_node) > self.battery(battery)[0] + 1e-9
            moved |= takes != v.links.get(battery.id, False)
            v.links[battery.id] = takes
        return moved or v.does != before

    def solve(self, vehicles: list[Vehicle]) -> None:
        names = {f"n{k}_{x.id}": (k, x.id) for k in range(len(vehicles)) for x in self.circuit.nodes}
        ref = self.circuit.alternator.case_node
        prints = [f"print v({n})" for n, (_, node) in names.items() if node != ref]
        lines = ["table", *(line for k, v in enumerate(vehicles) for line in self.lines(v, k))]
        lines += [
            ".options reltol=1e-5 abstol=1e-6 vntol=1e-6 itl1=2000",
            ".control",
            "set numdgt=14",
            "op",
            *prints,
            ".endc",
            ".end",
        ]
        assert NGSPICE is not None
        done = subprocess.run(
            [NGSPICE, "-b"], input="\n".join(lines) + "\n", capture_output=True, text=True, timeout=120, check=False
        )
        volts = dict(re.findall(r"^v\((\S+)\) = (\S+)$", done.stdout, re.M))
        assert len(volts) >= len(prints), done.stdout[-500:] + done.stderr[-500:]
        for v in vehicles:
            v.volts = {ref: 0.0}
        for n, (k, node) in names.items():
            if node != ref:
                vehicles[k].volts[node] = float(volts[n])

    def moved(self, v: Vehicle) -> bool:
        """What these voltages move: links, diodes and converters first, coils and field, then the engine."""
        if self.sources_moved(v):
            return True
        c, before = self.circuit, (dict(v.links), dict(v.senses), dict(v.excited), v.engine)
        for b in c.branches:
            if b.kind == "voltage_link":
                seen, was = v.across(b.from_node, c.battery.negative_node), v.links.get(b.id, False)
                v.links[b.id] = seen > b.cut_in_v if not was else seen >= b.cut_out_v  # type: ignore[attr-defined]
            elif b.by_voltage:
                v.links[b.id] = v.across(b.from_node, b.to_node) > b.threshold_v - 1e-11
        for d in c.converters:
            v.links[d.id] = v.across(d.in_node, d.ground_node) >= d.input_cut_off_v
        if v.links != before[0]:
            return True
        for s in self.switching.senses:
            coil = c.system_voltage_v / s.takes_a if s.takes_a else 1.0
            seen = v.across(s.plus_node, s.minus_node) * (coil / (coil + s.lead_ohm) if s.takes_a else 1.0)
            seen = seen if v.holds(s.when) else 0.0
            v.senses[s.id] = seen >= s.on_v or (v.senses[s.id] and seen >= s.off_v)
        least = 4.0 * self.scale
        for a in c.alternators:
            field = self.fields.get(a.id)
            supplied = v.holds(field.when) if field is not None else v.key
            fed = supplied and v.across(self.exciter, a.case_node) >= least
            feeds_itself = field is None or field.self_excites
            kept = v.excited[a.id] and feeds_itself and v.across(a.stud_node, a.case_node) >= least
            v.excited[a.id] = v.engine > 0 and (fed or kept or a.kind == "permanent_magnet")
        if (v.links, v.senses, v.excited) == before[:3] and v.engine:
            on = self.loads_on(v)
            for x in c.loads:
                consumer = self.consumers[x.id]
                if consumer.role in ("ignition", "fuel_pump") and (
                    x.id not in on or v.across(x.from_node, x.to_node) < consumer.needs_v * self.scale
                ):
                    v.engine, v.excited = 0, dict.fromkeys(v.excited, False)
        return (v.links, v.senses, v.excited, v.engine) != before

    def settle(self, vehicles: list[Vehicle]) -> None:
        todo = vehicles
        for _ in range(80):
            if not todo:
                return
            self.solve(todo)
            todo = [v for v in todo if self.moved(v)]
        raise AssertionError("no rest")

    def parked(self, on: dict[str, bool]) -> Vehicle:
        off = {s.id: False for s in self.switching.senses}
        return Vehicle(on, False, False, 0, off, {a.id: False for a in self.circuit.alternators})

    def table(self) -> dict[tuple[frozenset[str], str], Vehicle]:
        ids = [c.id for c in self.switching.controls]
        combinations = [dict(zip(ids, c, strict=True)) for c in product((True, False), repeat=len(ids))]
        vehicles: dict[tuple[frozenset[str], str], Vehicle] = {}

        def copy(v: Vehicle, **changes: Any) -> Vehicle:
            own = {n: dict(getattr(v, n)) for n in ("on", "senses", "excited", "links", "does", "takes", "volts")}
            return Vehicle(**{**own, "key": v.key, "start": v.start, "engine": v.engine, **changes})

        def keep(situation: str, some: list[Vehicle]) -> list[Vehicle]:
            self.settle(some)
            vehicles.update({(frozenset(i for i in ids if v.on[i]), situation): v for v in some})
            return some

        off = keep("off", [self.parked(c) for c in combinations])
        key_on = keep("key_on", [copy(v, key=True) for v in off])
        cranked = keep("cranking", [copy(v, start=True) for v in key_on])
        for situation in ("idle", "fast"):
            begun = copy(cranked[0], start=False, engine=ENGINE[situation])
            least = 4.0 * self.scale
            begun.excited = {a.id: begun.across(self.exciter, a.case_node) >= least for a in self.circuit.alternators}
            self.settle([begun])
            some = keep(situation, [copy(begun, on=dict(c)) for c in combinations])
            if situation == "idle":
                idle = [copy(v, key=False) for v in some]
        keep("key_off", idle)
        return vehicles


@pytest.mark.long(but=2)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_truth_tables_are_those_of_ngspice(layout: str) -> None:
    circuit = build_layout(layout, 12)
    for topology in (t for t in TOPOLOGIES if not t.not_here(circuit)):
        made = topology.build(circuit)
        bench = Bench(made.circuit, made.switching)
        theirs, ours = bench.table(), truth_table(made.circuit, made.switching)
        assert len(theirs) == len(ours)
        for row in ours:
            v, where = theirs[row.on, row.situation], (topology.name, sorted(row.on), row.situation)
            live = {i for i, volts in v.volts.items() if abs(volts) > LIVE_V}
            assert row.live == live, (where, {i: v.volts[i] for i in row.live ^ live})
            assert row.closed == bench.closed(v), where
            assert row.pulled_in == {i for i, on in v.senses.items() if on}, where
            assert row.runs == (v.engine > 0), where
            starters = [x for x in made.circuit.loads if x.cranking]
            turns = any(v.across(x.from_node, x.to_node) >= bench.consumers[x.id].needs_v * bench.scale for x in starters)
            assert row.cranks == (row.situation == "cranking" and turns), where
