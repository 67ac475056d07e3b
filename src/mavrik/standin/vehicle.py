"""Vehicles with a fault hidden in them, read with meters that err: what a bench would see. Every vehicle is invented."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from mavrik.core.circuit import Circuit, Load, LoadKind
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import Change, What
from mavrik.core.findings.day import Day
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.hypotheses import Hypothesis, hypotheses
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.waveform import pulse_hz
from mavrik.core.operating import State
from mavrik.core.operating.bench_states import IDLE_RPM
from mavrik.core.procedures import PROCEDURES, BenchState, Point, Procedure, Setup, state_of
from mavrik.standin import waves

POLE_PAIRS = 6
SLIPPING = 0.8
"""What of its speed a shaft has left under a belt that slips."""


def with_starter(circuit: Circuit, amps: float = 220.0) -> Circuit:
    """The circuit with a starter between the first battery's post and the engine block."""
    battery = circuit.battery
    block = next((n.id for n in circuit.nodes if n.role == "engine_block"), battery.negative_node)
    starter = Load(
        id="starter",
        label="Starter",
        from_node=battery.positive_node,
        to_node=block,
        current_a=amps,
        law=LoadKind.RESISTANCE,
        cranking=True,
    )
    return circuit.model_copy(update={"loads": (*circuit.loads, starter)})


def sensing_at_the_battery(circuit: Circuit) -> Circuit:
    """The circuit with its alternator's sense wire measured to the battery."""
    battery = circuit.battery
    sense = {"sense_positive_node": battery.positive_node, "sense_negative_node": battery.negative_node}
    return circuit.model_copy(update={"alternators": tuple(a.model_copy(update=sense) for a in circuit.alternators)})


VEHICLES = {
    "front": with_starter(add_to(build_layout("front_battery", 12), "load_on_a_lead")),
    "rear": with_starter(build_layout("rear_battery", 12)),
    "parallel": with_starter(build_layout("parallel_batteries", 12)),
    "car": build_layout("competition_car", 12),
    "sensed": with_starter(sensing_at_the_battery(build_layout("rear_battery_direct", 12))),
    "boat": with_starter(build_layout("boat_isolator", 12)),
}


READ_TOO = ("charge_a:", "stud_v", "battery_v")
"""Readings that are no evidence themselves, and without which others are none."""


def placed(point: Point) -> tuple[Point, Setup]:
    """A point in the state a vehicle is really in: at no output that anybody set, with its loads and a bank on."""
    real = BenchState.FAST_LOADED if point.state is BenchState.AT_OUTPUT else point.state
    return replace(point, state=real), Setup(real)


@dataclass(frozen=True)
class Probes:
    """Where hands hold the probes, and how the vehicle stands meanwhile."""

    state: BenchState
    red: str
    black: str


@dataclass
class HiddenVehicle:
    """One vehicle, one hidden state of things, and the meters that read it."""

    circuit: Circuit
    hidden: Hypothesis
    rng: np.random.Generator
    """Parts are never quite what the document says, and meters err."""

    def __post_init__(self) -> None:
        self._bias: dict[str, float] = {}
        branches = [
            Change(What.MORE_OHM, b.id, float(b.sound_resistance_ohm(20) * self.rng.normal(0, 0.05)))
            for b in self.circuit.branches
        ]
        units = [Change(What.SET_POINT, a.id, float(self.rng.normal(0, 0.05))) for a in self.circuit.alternators]
        units += [Change(What.LIMIT_SHARE, a.id, float(self.rng.uniform(0.94, 1.06))) for a in self.circuit.alternators]
        level = float(self.rng.uniform(12.4, 12.7))
        rest = {b.id: level for b in self.circuit.batteries}
        self.model = BenchModel(self.circuit, Day(rest))
        self.truth = replace(self.hidden, changes=(*branches, *units, *self.hidden.changes))

    def read(self, procedure: Procedure) -> dict[str, Measured]:
        """What the meters show: 0.5 % and a last digit (2 mV of a voltmeter, 0.1 mohm of a milliohm meter), 2 % and 0.3 A of a clamp."""
        points = [a for a in procedure.points(self.circuit) if a.worth_asking or a.id.startswith(READ_TOO)]
        if not points:
            return {}
        seen = self.model.predict([placed(p) for p in points], [self.truth])[0]
        shown = {a.id: self._shown(a, float(v)) for a, v in zip(points, seen, strict=True)}
        if any(a.indicator == "shaft" for a in points):
            # No two engines idle at the same speed; the pulley's is worth nothing without it.
            engine = float(self.rng.uniform(0.9, 1.15))
            shown["engine_rpm"] = Measured(IDLE_RPM * engine, 0.02 * IDLE_RPM)
            shown |= {
                a.id: Measured(shown[a.id].value * engine, shown[a.id].uncertainty) for a in points if a.indicator == "shaft"
            }
        return shown

    @property
    def conditions(self) -> dict[str, Any]:
        """What a technician notes of a drop test on it: which loads were on, where the bank hung."""
        state = state_of(BenchState.FAST_LOADED, self.circuit)
        on = [x for x, is_on in state.loads_on.items() if is_on]
        return {"loads_on": on, "bank_on": self.circuit.battery.id if state.bank else None}

    def shown(self, point: Point) -> float:
        """What a connected meter shows of one place, now: its own error stays, its last digit does not."""
        seen = float(self.model.predict([placed(point)], [self.truth])[0, 0])
        bias = self._bias.setdefault(point.quantity, float(self.rng.uniform(-0.5, 0.5)))
        limit = self._shown(point, seen).uncertainty * 3**0.5 / 2
        return seen + bias * limit + float(self.rng.normal(0, 0.0003)) * max(abs(seen), 1.0)

    def _running(self, state: BenchState) -> State:
        return state_of(BenchState.FAST_LOADED if state is BenchState.AT_OUTPUT else state, self.circuit)

    def bank_a(self, state: BenchState) -> float:
        """What a load bank shows that it takes [A]."""
        bank = self._running(state).bank
        return (bank.current_a if bank else 0.0) * (1 + float(self.rng.normal(0, 0.002)))

    def shaft_rpm(self, state: BenchState) -> float:
        """What a tachometer shows at the pulley: a belt that slips is a fifth behind [1/min]."""
        slips = any(c.startswith("belt_slips") for c in self.hidden.causes)
        turned = 0.0 if self._running(state).cranking else self._running(state).engine_rpm
        return (
            turned * self.circuit.alternator.pulley_ratio * (SLIPPING if slips else 1.0) * (1 + float(self.rng.normal(0, 0.002)))
        )

    def case_c(self, state: BenchState) -> float:
        """What an infrared thermometer shows of the first alternator's case: a diode or phase fault makes it hot [degC]."""
        runs = self._running(state)
        if runs.engine_rpm <= 0 or runs.cranking:
            return 24.0 + float(self.rng.normal(0, 0.3))
        warm = 72.0 if runs.bank or any(runs.loads_on.values()) else 55.0
        hot = any(c.startswith(("diode", "phase")) for c in self.hidden.causes)
        return warm + (32.0 if hot else 0.0) + float(self.rng.normal(0, 0.5))

    def ripple_vpp(self, state: BenchState) -> float:
        """What an oscilloscope shows at the first alternator's stud, peak to peak [V]."""
        a = self.circuit.alternator
        if self._running(state).engine_rpm <= 0:
            return abs(float(self.rng.normal(0, 0.003)))
        point = Point("now", "now", "ripple", BenchState.FAST_LOADED, a.stud_node, a.case_node, a.id, indicator="ripple")
        return float(self.model.predict([placed(point)], [self.truth])[0, 0]) * (1 + float(self.rng.normal(0, 0.02)))

    def waveform(self, probes: Probes, t: waves.Floats) -> waves.Floats:
        """What an oscilloscope sees at so many times [V]; while cranking, from before the key is turned until the engine runs."""

        def volts(state: BenchState) -> float:
            # Under the bonnet nothing is ever read with the battery alone: its rest is the network's, asleep.
            point = Point(
                "now", "now", "voltage", BenchState.ASLEEP if state is BenchState.REST else state, probes.red, probes.black
            )
            return float(self.model.predict([placed(point)], [self.truth])[0, 0])

        if probes.state is BenchState.CRANKING:
            return waves.started(t, volts(BenchState.ASLEEP), volts(BenchState.CRANKING), volts(BenchState.IDLE), self.rng)
        speed = self.shaft_rpm(probes.state)
        if speed <= 0:
            return np.asarray(volts(probes.state) + self.rng.normal(0, waves.NOISE_V, len(t)))
        cause = self.hidden.causes[0].split(":")[0]
        return waves.running(
            t, volts(probes.state), self.ripple_vpp(probes.state), pulse_hz(speed, 1.0, POLE_PAIRS), cause, self.rng
        )

    def _shown(self, point: Point, value: float) -> Measured:
        if point.kind.yes_or_no:
            return Measured(float(value > 0.5), 0.0)
        percent, last = (0.02, 0.3) if point.quantity in ("current", "stated_current") and abs(value) > 5 else (0.005, 0.002)
        if point.quantity == "resistance":
            # A contact is read by a meter that knows milliohms, not by a multimeter's last digit.
            last = point.kind.last_digit
        if point.indicator == "ripple":
            value *= float(self.rng.uniform(0.8, 1.25))
        limit = percent * abs(value) + last
        return Measured(value + float(self.rng.uniform(-limit, limit)), 2 * limit / 3**0.5)

    def everything(self) -> dict[str, Measured]:
        """All procedures, in the order of the work."""
        return {k: v for p in PROCEDURES for k, v in self.read(p).items()}


def _shaft_of(circuit: Circuit, alternator: str) -> float:
    return IDLE_RPM * next(a.pulley_ratio for a in circuit.alternators if a.id == alternator)


def hidden_faults(circuit: Circuit) -> list[Hypothesis]:
    """One of each cause, at a magnitude that no grid has and a technician would call a fault.

    Those that look like another one are left out: no reading parts a strap that is missing from one with half an ohm.
    """
    faults: dict[tuple[str, ...], Hypothesis] = {}
    for h in hypotheses(circuit):
        kind = h.causes[0].split(":")[0]
        if fault_table().faults[kind].looks_like:
            continue
        changes = h.changes
        if kind == "resistance":
            changes = (replace(changes[0], amount=0.013),)
        elif kind == "drain":
            changes = (replace(changes[0], amount=0.65),)
        elif kind in ("weak_battery", "regulator_low", "regulator_high", "under_rated"):
            amount = {"weak_battery": 4.2, "regulator_low": -1.2, "regulator_high": 1.3, "under_rated": 0.57}[kind]
            changes = (replace(changes[0], amount=amount),)
        if kind == "under_rated":
            h = replace(
                h, indications={k: 0.57 * next(a.rated_a for a in circuit.alternators if a.id == k[1]) for k in h.indications}
            )
        if kind == "belt_slips":
            h = replace(
                h,
                indications={k: v if k[0] != "shaft" else _shaft_of(circuit, k[1]) * SLIPPING for k, v in h.indications.items()},
            )
        faults.setdefault(h.causes, replace(h, changes=changes))
    return list(faults.values())
