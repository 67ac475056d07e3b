"""Vehicles that differ as vehicles do, on the network of one circuit: what it says of all of them at one moment."""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from mavrik.core import network as net
from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Battery, Circuit
from mavrik.core.operating import Engine, State
from mavrik.core.operating.devices import battery_units, unit_output_a
from mavrik.core.operating.magnet_stator import settles_at_c, stator_current_a
from mavrik.core.planning.balance import cranking_currents
from mavrik.core.planning.charging import Chargers
from mavrik.core.planning.in_use import circuit_in_use, output_known_to, output_scale
from mavrik.core.planning.simulation.documents import SimulationRequest
from mavrik.core.planning.use import Scene, UseRequest

Floats: TypeAlias = NDArray[np.float64]

T = TypeVar("T")
Question: TypeAlias = tuple[net.Network, net.Values, net.Moment | None]
"""A network to be solved at some values, and its last moment."""
Asking: TypeAlias = Generator[Question, net.Moment, T]
"""What asks its network on its way, so that several get their answers together."""

FULL, NOT_FULL = 0.98, 0.95
"""Where a regulator that hears the battery goes to float, and where it begins anew."""

OVER_FLOAT_V_12 = 0.2
"""So far above float a full battery is being overcharged."""

SHARES = {"loads": 0.1, "capacity": 0.1, "acceptance": 0.2}
"""Standard deviations of what nobody knows to the digit, as shares; of the output see `output_known_to`. Common practice, rough, no source."""
LEAST_SHARE, MOST_SHARE = 0.4, 1.6


class SceneNetwork:
    """The network of one scene, to be asked for many vehicles at once."""

    def __init__(self, model: Vehicles, scene: Scene) -> None:
        circuit = model.circuit
        running = scene.engine_rpm > 0
        state = State(
            engine_rpm=scene.engine_rpm, chargers_on=bool(circuit.chargers), converters_on=running, loads_on=model.used.on(scene.on),
            state_of_charge={b.id: model.request.state_of_charge for b in circuit.batteries},
        )  # fmt: skip
        engine = Engine(circuit, state, checked=True)
        elements = list(engine.elements)
        if not running and model.request.asleep_a > 0:
            first = circuit.battery
            elements.append(
                net.CurrentSource(first.positive_node, first.negative_node, model.request.asleep_a, "asleep", takes=True)
            )
        # A network is shared by all circuits of its shape: its values are those of these elements, never its own.
        self.network = net.network_of(elements, circuit.alternator.case_node)
        values = replace(net.values_of(elements), resistor_ohm=engine.values().resistor_ohm)
        self.values = replace(values, **{n: _times(getattr(values, n), model.loads) for n in ("current_a", "load_w")})
        """With what each vehicle's loads take."""
        self.scene, self.running, self.rpm = scene, running, scene.engine_rpm
        order = {e.id: k for k, e in enumerate(self.network.emfs)}
        self.of_battery = np.array([order[b.id] for b in circuit.batteries])
        units = {s.id: k for k, s in enumerate(self.network.sources)}
        self.of_unit = np.array([units[a.id] for a in circuit.alternators])
        self.of_charger = np.array([units[c.id] for c in circuit.chargers], dtype=int)
        converters = {c.id: k for k, c in enumerate(self.network.converters)}
        self.of_converter = np.array([converters[c.id] for c in circuit.converters], dtype=int)
        row = self.network.row
        # In the order of `Chargers.all`.
        plus = [*(c.positive_node for c in circuit.chargers), *(c.out_node for c in circuit.converters)]
        minus = [*(c.negative_node for c in circuit.chargers), *(c.ground_node for c in circuit.converters)]
        self.charger_plus, self.charger_minus = (np.array([row[n] for n in nodes], dtype=int) for nodes in (plus, minus))
        self.plus, self.minus = row[circuit.battery.positive_node], row[circuit.battery.negative_node]
        read = model.request.read is not None
        self.gives = {a.id: _share(output_known_to(a, self.rpm, read), model.stronger) for a in circuit.alternators}
        """What each vehicle's alternators give of what their tables say, by id."""


@dataclass
class Answer:
    """What the network says of all vehicles at one moment."""

    into_a: Floats
    """Into each battery, (vehicles, batteries) [A]."""
    output_a: Floats
    can_a: Floats
    """The most the alternators could give."""
    stator_a: Floats
    """What flows in their windings."""
    volts: Floats
    across_v: Floats
    """Of each battery."""
    lost: NDArray[np.bool_]
    """Whose voltage has collapsed."""
    charger_a: Floats
    """Of each charger, (vehicles, chargers) [A]."""
    charger_v: Floats
    charger_most_a: Floats
    """What each could give, (chargers,) [A]."""
    held_v: Floats
    """What alternators and chargers that give something hold, (sources,), of the nominal vehicle [V]; the others minus infinity."""


@dataclass
class Now:
    """Where all vehicles are."""

    charge: Floats
    unit_c: Floats
    since_start_h: float
    floating: NDArray[np.bool_]
    chargers: Chargers
    hour: float = 0.0
    """Of the day, from midnight [h]."""
    links: dict[int, NDArray[np.bool_]] = field(default_factory=dict)
    moments: dict[int, net.Moment] = field(default_factory=dict)
    """Of each scene's network, as it was solved last."""


class Vehicles:
    """Vehicles that differ as vehicles do, on one circuit; the first is the nominal one."""

    def __init__(self, circuit: Circuit, use: UseRequest, how: SimulationRequest) -> None:
        self.request, self.how, self.table = use, how, source_table()
        self.used = circuit_in_use(circuit, use, output_scale(circuit, use))
        self.circuit = self.used.circuit
        self.batteries: Sequence[Battery] = self.circuit.batteries
        dice, runs = np.random.default_rng(how.seed), how.runs

        def drawn() -> Floats:
            scatter = dice.normal(0.0, 1.0, runs)
            scatter[0] = 0.0
            return scatter

        self.stronger = drawn()
        """By how many standard deviations each vehicle's alternators give more than their tables say."""
        self.loads, self.holds, self.accepts = (_share(SHARES[n], drawn()) for n in ("loads", "capacity", "acceptance"))
        self.ambient_c = dice.uniform(use.coldest_c, use.warmest_c, runs)
        self.ambient_c[0] = (use.coldest_c + use.warmest_c) / 2
        self.capacity = np.array([b.capacity_ah * b.parallel for b in self.batteries])[None, :] * self.holds[:, None]
        self.efficiency = np.array([self.table.charge_efficiency[b.chemistry.value] for b in self.batteries])
        scale = self.circuit.system_voltage_v / 12
        self.float_v = np.array([self.table.float_v_12[b.chemistry.value] for b in self.batteries]) * scale
        self.over_v = self.float_v + OVER_FLOAT_V_12 * scale
        self._scenes: dict[int, SceneNetwork] = {}
        crank = cranking_currents(self.circuit, use)
        self.crank_ah = np.array([crank.get(b.id, 0.0) for b in self.batteries]) * use.crank_s / 3600

    def scene(self, scene: Scene) -> SceneNetwork:
        """Its network, made once."""
        if id(scene) not in self._scenes:
            self._scenes[id(scene)] = SceneNetwork(self, scene)
        return self._scenes[id(scene)]

    def _inner(self, now: Now) -> tuple[Floats, Floats, Floats]:
        """Of every battery of every vehicle: open-circuit voltage, inner resistance discharging, charging."""
        runs = len(self.ambient_c)
        emf, out, into = (np.empty((runs, len(self.batteries))) for _ in range(3))
        cold = np.maximum(self.table.reference_c - self.ambient_c, 0.0)
        for k, b in enumerate(self.batteries):
            name, share = b.chemistry.value, battery_units(self.circuit, b) / b.parallel
            charge = np.clip(now.charge[:, k], 0.0, 1.0)
            rest = np.interp(charge, *_points(self.table.rest_v_12[name]))
            inner = b.internal_mohm / 1000 * (1 + self.table.resistance_per_k_below_25c * cold) * (1 + b.age)
            takes = np.interp(charge, *_points(self.table.acceptance_c[name])) * b.capacity_ah * self.holds * self.accepts
            takes = takes * np.maximum(1 - self.table.acceptance_per_k_below_25c * cold, 0.05)
            emf[:, k] = rest * battery_units(self.circuit, b)
            out[:, k] = inner * share
            into[:, k] = np.maximum((self.table.acceptance_at_v_12[name] - rest) / takes, inner) * share
        return emf, out, into

    def answer(self, scene: SceneNetwork, now: Now) -> Asking[Answer]:
        """The network of a scene solved for all vehicles where they are."""
        runs, values = len(self.ambient_c), scene.values
        emf, out, into = self._inner(now)
        every: dict[str, Any] = {}
        for name, column in (("emf_v", emf), ("emf_ohm", out), ("emf_charging_ohm", into)):
            full = np.empty((runs, len(scene.network.emfs)))
            full[:, scene.of_battery] = column
            every[name] = full
        limit = np.repeat(np.asarray(values.limit_a, dtype=float)[None, :], runs, axis=0)
        set_point = np.repeat(np.asarray(values.set_point_v, dtype=float)[None, :], runs, axis=0)
        for k, a in zip(scene.of_unit, self.circuit.alternators, strict=True):
            shaft = scene.rpm * a.pulley_ratio
            warm = np.array([float(unit_output_a(a, shaft, c)) for c in now.unit_c])
            limit[:, k] = 0.0 if a.field == "open" or not scene.running else warm * scene.gives[a.id]
            set_point[:, k] += a.compensation_mv_per_k / 1000 * (now.unit_c - 60.0)
            set_point[:, k] = np.where(now.floating, np.minimum(self.float_v.min(), set_point[:, k]), set_point[:, k])
        fed = now.chargers.most_a(scene.scene, now.hour, self.request.sun_h)
        holds, outside = now.chargers.holds_v(), len(scene.of_charger)
        limit[:, scene.of_charger], set_point[:, scene.of_charger] = fed[None, :outside], holds[:, :outside]
        every |= {"limit_a": limit, "set_point_v": set_point}
        if len(scene.of_converter):
            behind = np.empty((runs, len(scene.of_converter)))
            behind[:, scene.of_converter] = holds[:, outside:]
            every["converter_set_point_v"] = behind
        if id(scene) in now.links and len(scene.network.links):
            every["link_closed"] = now.links[id(scene)]
        moment = yield scene.network, replace(values, **every), now.moments.get(id(scene))
        now.moments[id(scene)], solved = moment, moment.solved
        lost: NDArray[np.bool_] = np.asarray(~np.isfinite(solved.node_v).all(axis=1))
        if lost.any():
            solved = net.Solved(**{f.name: np.nan_to_num(getattr(solved, f.name)) for f in fields(solved)})
        if len(scene.network.links):
            now.links[id(scene)] = np.where(lost[:, None], False, solved.link_closed.astype(bool))
        amps = solved.emf_a[:, scene.of_battery]
        volts = solved.node_v[:, scene.plus] - solved.node_v[:, scene.minus]
        resist = np.where(amps > 0, into, out)
        units = solved.source_a[:, scene.of_unit]
        able = limit[:, scene.of_unit]
        flows = [stator_current_a(a, units[:, k], able[:, k]) for k, a in enumerate(self.circuit.alternators)]
        at_chargers = solved.node_v[:, scene.charger_plus] - solved.node_v[:, scene.charger_minus]
        gives = solved.source_a
        held = np.where(gives[0] > 0.01, set_point[0], -np.inf)[np.concatenate([scene.of_unit, scene.of_charger])]
        through = solved.converter_a[:, scene.of_converter]
        held = np.concatenate([held, np.where(through[0] > 0.01, holds[0, outside:], -np.inf)])
        return Answer(
            amps, units.sum(axis=1), able.sum(axis=1), np.sum(flows, axis=0), volts, emf + amps * resist, lost,
            np.concatenate([gives[:, scene.of_charger], through], axis=1), at_chargers, fed, held,
        )  # fmt: skip

    def rates(self, answer: Answer) -> Floats:
        """How fast the charge of each battery moves [1/h]: of what goes in some is lost."""
        stored = np.where(answer.into_a > 0, answer.into_a * self.efficiency, answer.into_a)
        return stored / self.capacity

    def settles_c(self, scene: SceneNetwork, answer: Answer) -> Floats:
        """Where an alternator's temperature goes."""
        air = self.ambient_c + (self.table.engine_space_rise_k if scene.running else 0.0)
        share = np.divide(answer.stator_a, answer.can_a, out=np.zeros_like(air), where=answer.can_a > 0)
        return settles_at_c(air, share)

    def regulate(self, scene: SceneNetwork, now: Now) -> None:
        """Whether each regulator holds float."""
        how = self.how.regulator
        if how == "timed":
            now.floating = np.full(len(self.ambient_c), now.since_start_h >= self.how.bulk_h)
        elif how == "hears":
            # The lowest voltage that any battery asks for wins: one that is full asks for float.
            fullest = now.charge.max(axis=1)
            now.floating = np.where(fullest >= FULL, True, np.where(fullest < NOT_FULL, False, now.floating))


def _share(spread: float, drawn: Floats) -> Floats:
    return np.clip(1 + spread * drawn, LEAST_SHARE, MOST_SHARE)


def _times(values: Floats, share: Floats) -> Floats:
    values = np.asarray(values, dtype=float)
    return values[None, :] * share[:, None] if values.size else values


def _points(table: dict[float, float]) -> tuple[list[float], list[float]]:
    return [float(k) for k in sorted(table)], [table[k] for k in sorted(table)]
