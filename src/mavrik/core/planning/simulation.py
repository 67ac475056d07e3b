"""Days and weeks of a use, on the network itself: charge, volts, amperes and temperature as they go, with a band for what is uncertain."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from mavrik.core import network as net
from mavrik.core.catalogue.sources import output_limit_a, source_table
from mavrik.core.circuit import Battery, Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.document import Document, Label
from mavrik.core.operating import Engine, State
from mavrik.core.operating.devices import battery_units
from mavrik.core.operating.magnet_stator import settles_at_c, stator_current_a
from mavrik.core.planning.balance import cranking_currents
from mavrik.core.planning.charging import Chargers
from mavrik.core.planning.in_use import circuit_in_use, output_known_to, output_scale
from mavrik.core.planning.use import DAY_H, Scene, UseProblemError, UseRequest, check_use
from mavrik.core.procedures.bench.drain import USABLE_SHARE

Floats: TypeAlias = NDArray[np.float64]

FIRST_START_H, LAST_START_H = 7.0, 19.0
"""Between which the trips of a day begin. Our choice, no source."""

MOST_CHARGE_STEP = 0.01
"""No battery's charge moves by more in one step: the next answer of the network would be another."""
MOST_STEP_S, LEAST_STEP_S = 3600.0, 5.0
CHARGER_STEP_S = 600.0
WARMING_STEP_S = 120.0
"""While an alternator warms up or cools down, steps are no longer than a fifth of its time constant."""

FULL, NOT_FULL = 0.98, 0.95
"""Where a regulator that hears the battery goes to float, and where it begins anew."""

OVER_FLOAT_V_12 = 0.2
"""So far above float a full battery is being overcharged."""

MOST_POINTS = 120
MOST_VEHICLE_DAYS, MOST_STARTS = 3500, 3000
"""500 vehicles for a week; what is beyond takes hours."""
SHARES = {"loads": 0.1, "capacity": 0.1, "acceptance": 0.2}
"""Standard deviations of what nobody knows to the digit, as shares; of the output see `output_known_to`. Common practice, rough, no source."""
LEAST_SHARE, MOST_SHARE = 0.4, 1.6

BAND = (10, 90)
"""Percentiles of the runs that are shown as a band."""


Series = Annotated[tuple[float, ...], Field(max_length=2 * MOST_POINTS)]


class SimulationRequest(Document):
    """How long, how often, and how the regulator goes about it."""

    days: Annotated[float, Field(ge=0.1, le=60, description="How long [d]")] = 7.0
    runs: Annotated[int, Field(ge=1, le=500, description="Vehicles that differ as vehicles do; 1: the nominal one alone")] = 40
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 1
    regulator: Literal["fixed", "timed", "hears"] = Field(
        "fixed",
        description="fixed: its set point always; timed: begins anew at every start; hears: asks what its batteries ask, the lowest wins",
    )
    bulk_h: Annotated[float, Field(gt=0, le=24, description="How long a timed regulator charges after a start [h]")] = 1.5


class Curve(Document):
    """One quantity over time: the nominal vehicle, and between which eight of ten lie."""

    name: Literal["charge", "volts", "battery_a", "output_a", "charger_a", "alternator_c"]
    label: Label
    nominal: Series
    low: Series
    high: Series


class BatteryFate(Document):
    """What becomes of one battery."""

    label: Label
    start_charge: float
    end_charge: float
    end_low: float
    end_high: float
    least_charge: float
    full_after_h: Annotated[float | None, Field(description="First time it is full [h]; null: it is not")]
    overcharged_h: Annotated[float, Field(description="Held above float while full [h]")]


class ChargerFate(Document):
    """What one charger comes to, nominally, a DC-DC charger among them."""

    label: Label
    given_ah: float
    fed_h: Annotated[float, Field(description="It had something to give [h]")]
    floated_h: Annotated[float, Field(description="Of those, it held float [h]")]
    held_off_h: Annotated[float, Field(description="Of those, something else held a voltage above its own [h]")]
    held_off_by: Annotated[Label | None, Field(description="What did so longest")]
    began_anew: Annotated[int, Field(description="How often it went back from float to its first stage while it was fed")]


class SimulationView(Document):
    """What a simulation comes to."""

    headline: Annotated[str, Field(max_length=200)]
    days: float
    runs: int
    time_h: Series
    curves: Annotated[tuple[Curve, ...], Field(max_length=20)]
    batteries: Annotated[tuple[BatteryFate, ...], Field(max_length=12)]
    chargers: Annotated[tuple[ChargerFate, ...], Field(max_length=12)] = ()
    no_start_after_d: float | None = Field(
        description="Nominally, until the first battery no longer starts the engine [d]; null: not in this time"
    )
    no_start_share: float = Field(description="Of the vehicles, those that it happens to in this time")
    made_ah: float = Field(description="By the alternators, nominally [Ah]")
    used_ah: float = Field(description="By consumers, starts and what never sleeps [Ah]")
    stored_ah: float = Field(description="More in the batteries than at the beginning, by what went in and out [Ah]")
    collapsed: bool = Field(description="Whether the voltage collapsed at some time")


@dataclass(frozen=True)
class _Leg:
    """A stretch of the day in one scene."""

    scene: Scene
    hours: float
    starts: bool
    """Whether the engine is started at its beginning."""


def day_of(asked: UseRequest) -> tuple[_Leg, ...]:
    """A day as its stretches: as many trips as starts, each through all scenes with the engine on; what is left of the day between.

    asked: a use; without starts a day has one trip where any scene has the engine on

    >>> from mavrik.core.planning.use import usual_scenes
    >>> legs = day_of(UseRequest(scenes=usual_scenes(()), starts_a_day=2))
    >>> round(sum(leg.hours for leg in legs), 9), sum(leg.starts for leg in legs)
    (24.0, 2)
    """
    driven = [s for s in asked.scenes if s.engine_rpm > 0 and s.hours_a_day > 0]
    still = [s for s in asked.scenes if s.engine_rpm == 0 and s.hours_a_day > 0]
    driving = sum(s.hours_a_day for s in driven)
    named = sum(s.hours_a_day for s in still)
    left = max(DAY_H - driving - named, 0.0)
    parts = [(s, s.hours_a_day) for s in still] + ([(Scene(label="Parked", engine_rpm=0), left)] if left > 1e-9 else [])
    resting = named + left
    if not driven:
        return tuple(_Leg(s, h, False) for s, h in parts)
    trips = max(asked.starts_a_day, 1)
    morning = min(FIRST_START_H, resting)
    night = min(DAY_H - LAST_START_H, resting - morning) if trips > 1 else resting - morning
    between = (resting - morning - night) / (trips - 1) if trips > 1 else 0.0
    gaps = [morning, *([between] * (trips - 1)), night]
    legs: list[_Leg] = []

    def rest(hours: float) -> None:
        legs.extend(_Leg(s, h * hours / resting, False) for s, h in parts if resting > 0 and h * hours > 0)

    for k in range(trips):
        rest(gaps[k])
        legs += [_Leg(s, s.hours_a_day / trips, i == 0 and asked.starts_a_day > 0) for i, s in enumerate(driven)]
    rest(gaps[trips])
    return tuple(legs)


class _Scene:
    """The network of one scene, to be asked for many vehicles at once."""

    def __init__(self, model: _Model, scene: Scene) -> None:
        circuit = model.circuit
        running = scene.engine_rpm > 0
        state = State(
            engine_rpm=scene.engine_rpm, chargers_on=bool(circuit.chargers), converters_on=running, loads_on=model.used.on(scene.on),
            state_of_charge={b.id: model.asked.state_of_charge for b in circuit.batteries},
        )  # fmt: skip
        engine = Engine(circuit, state, checked=True)
        elements = list(engine.elements)
        if not running and model.asked.asleep_a > 0:
            first = circuit.battery
            elements.append(
                net.CurrentSource(first.positive_node, first.negative_node, model.asked.asleep_a, "asleep", takes=True)
            )
        # A network is shared by all circuits of its shape: its values are those of these elements, never its own.
        self.network = net.network_of(elements, circuit.alternator.case_node)
        self.values = replace(net.values_of(elements), resistor_ohm=engine.values().resistor_ohm)
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
        read = model.asked.read is not None
        self.gives = {a.id: _share(output_known_to(a, self.rpm, read), model.stronger) for a in circuit.alternators}
        """What each vehicle's alternators give of what their tables say, by id."""


@dataclass
class _Answer:
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
class _Now:
    """Where all vehicles are."""

    charge: Floats
    unit_c: Floats
    since_start_h: float
    floating: NDArray[np.bool_]
    chargers: Chargers
    hour: float = 0.0
    """Of the day, from midnight [h]."""
    links: dict[int, NDArray[np.bool_]] = field(default_factory=dict)


class _Model:
    """Vehicles that differ as vehicles do, on one circuit; the first is the nominal one."""

    def __init__(self, circuit: Circuit, asked: UseRequest, how: SimulationRequest) -> None:
        self.asked, self.how, self.table = asked, how, source_table()
        self.used = circuit_in_use(circuit, asked, output_scale(circuit, asked))
        self.circuit = self.used.circuit
        self.batteries: Sequence[Battery] = self.circuit.batteries
        dice, runs = np.random.default_rng(how.seed), how.runs

        def drawn() -> Floats:
            own = dice.normal(0.0, 1.0, runs)
            own[0] = 0.0
            return own

        self.stronger = drawn()
        """By how many standard deviations each vehicle's alternators give more than their tables say."""
        self.loads, self.holds, self.accepts = (_share(SHARES[n], drawn()) for n in ("loads", "capacity", "acceptance"))
        self.ambient_c = dice.uniform(asked.coldest_c, asked.warmest_c, runs)
        self.ambient_c[0] = (asked.coldest_c + asked.warmest_c) / 2
        self.capacity = np.array([b.capacity_ah * b.parallel for b in self.batteries])[None, :] * self.holds[:, None]
        self.efficiency = np.array([self.table.charge_efficiency[b.chemistry.value] for b in self.batteries])
        scale = self.circuit.system_voltage_v / 12
        self.float_v = np.array([self.table.float_v_12[b.chemistry.value] for b in self.batteries]) * scale
        self.over_v = self.float_v + OVER_FLOAT_V_12 * scale
        self._scenes: dict[int, _Scene] = {}
        crank = cranking_currents(self.circuit, asked)
        self.crank_ah = np.array([crank.get(b.id, 0.0) for b in self.batteries]) * asked.crank_s / 3600

    def scene(self, scene: Scene) -> _Scene:
        """Its network, made once."""
        if id(scene) not in self._scenes:
            self._scenes[id(scene)] = _Scene(self, scene)
        return self._scenes[id(scene)]

    def _inner(self, now: _Now) -> tuple[Floats, Floats, Floats]:
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

    def answer(self, scene: _Scene, now: _Now) -> _Answer:
        """The network of a scene solved for all vehicles where they are."""
        runs, values = len(self.ambient_c), scene.values
        emf, out, into = self._inner(now)
        every: dict[str, Any] = {}
        for name, own in (("emf_v", emf), ("emf_ohm", out), ("emf_charging_ohm", into)):
            full = np.empty((runs, len(scene.network.emfs)))
            full[:, scene.of_battery] = own
            every[name] = full
        limit = np.repeat(np.asarray(values.limit_a, dtype=float)[None, :], runs, axis=0)
        set_point = np.repeat(np.asarray(values.set_point_v, dtype=float)[None, :], runs, axis=0)
        for k, a in zip(scene.of_unit, self.circuit.alternators, strict=True):
            shaft = scene.rpm * a.pulley_ratio
            warm = np.array(
                [float(output_limit_a(a.rated_a, shaft, c, a.curve, a.kind == "permanent_magnet")) for c in now.unit_c]
            )
            limit[:, k] = 0.0 if a.field == "open" or not scene.running else warm * scene.gives[a.id]
            set_point[:, k] += a.compensation_mv_per_k / 1000 * (now.unit_c - 60.0)
            set_point[:, k] = np.where(now.floating, np.minimum(self.float_v.min(), set_point[:, k]), set_point[:, k])
        fed = now.chargers.most_a(scene.scene, now.hour, self.asked.sun_h)
        holds, outside = now.chargers.holds_v(), len(scene.of_charger)
        limit[:, scene.of_charger], set_point[:, scene.of_charger] = fed[None, :outside], holds[:, :outside]
        every |= {"limit_a": limit, "set_point_v": set_point}
        if len(scene.of_converter):
            behind = np.empty((runs, len(scene.of_converter)))
            behind[:, scene.of_converter] = holds[:, outside:]
            every["converter_set_point_v"] = behind
        for name in ("current_a", "load_w"):
            own = np.asarray(getattr(values, name), dtype=float)
            every[name] = own[None, :] * self.loads[:, None] if own.size else own
        if id(scene) in now.links and len(scene.network.links):
            every["link_closed"] = now.links[id(scene)]
        found = scene.network.solve_many(replace(values, **every), lenient=True)
        lost: NDArray[np.bool_] = np.asarray(~np.isfinite(found.node_v).all(axis=1))
        if len(scene.network.links):
            now.links[id(scene)] = np.where(lost[:, None], False, found.link_closed.astype(bool))
        amps = np.nan_to_num(found.emf_a[:, scene.of_battery])
        volts = np.nan_to_num(found.node_v[:, scene.plus] - found.node_v[:, scene.minus])
        resist = np.where(amps > 0, into, out)
        units = np.nan_to_num(found.source_a[:, scene.of_unit])
        able = limit[:, scene.of_unit]
        flows = [stator_current_a(a, units[:, k], able[:, k]) for k, a in enumerate(self.circuit.alternators)]
        at_chargers = np.nan_to_num(found.node_v[:, scene.charger_plus] - found.node_v[:, scene.charger_minus])
        gives = np.nan_to_num(found.source_a)
        held = np.where(gives[0] > 0.01, set_point[0], -np.inf)[np.concatenate([scene.of_unit, scene.of_charger])]
        through = np.nan_to_num(found.converter_a[:, scene.of_converter])
        held = np.concatenate([held, np.where(through[0] > 0.01, holds[0, outside:], -np.inf)])
        return _Answer(
            amps, units.sum(axis=1), able.sum(axis=1), np.sum(flows, axis=0), volts, emf + amps * resist, lost,
            np.concatenate([gives[:, scene.of_charger], through], axis=1), at_chargers, fed, held,
        )  # fmt: skip

    def rates(self, answer: _Answer) -> Floats:
        """How fast the charge of each battery moves [1/h]: of what goes in some is lost."""
        stored = np.where(answer.into_a > 0, answer.into_a * self.efficiency, answer.into_a)
        return stored / self.capacity

    def settles_c(self, scene: _Scene, answer: _Answer) -> Floats:
        """Where an alternator's temperature goes."""
        air = self.ambient_c + (self.table.engine_space_rise_k if scene.running else 0.0)
        share = np.divide(answer.stator_a, answer.can_a, out=np.zeros_like(air), where=answer.can_a > 0)
        return settles_at_c(air, share)

    def regulate(self, scene: _Scene, now: _Now) -> None:
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


def _points(table: dict[float, float]) -> tuple[list[float], list[float]]:
    return [float(k) for k in sorted(table)], [table[k] for k in sorted(table)]


def check_simulation(asked: UseRequest, how: SimulationRequest) -> None:
    """Raises UseProblemError for what would take hours: too many vehicles for so many days, or too many starts in them."""
    if how.runs * how.days > MOST_VEHICLE_DAYS:
        raise UseProblemError(
            "runs", f"{how.runs} vehicles for {how.days:g} days are too many: at most {MOST_VEHICLE_DAYS} days of all."
        )
    if asked.starts_a_day * how.days > MOST_STARTS:
        raise UseProblemError(
            "days", f"{asked.starts_a_day} starts a day for {how.days:g} days are too many: at most {MOST_STARTS}."
        )


def simulate(
    circuit: Circuit, asked: UseRequest, how: SimulationRequest, progress: Callable[[float], None] = lambda _: None
) -> SimulationView:
    """Let days and weeks go by.

    circuit: the document; asked: how it is used; how: how long, how many vehicles, which regulator; progress: told the share that is done
    Every moment is solved on the network, for all vehicles at once: acceptance by chemistry, charge and temperature, the alternator
    warming up and losing output by it, links that close and open, what collapses. Charge goes on by Heun's method, in steps in which
    no battery moves by more than one per cent. The vehicles differ in output, loads, capacity, acceptance and the day's temperature;
    the first is the nominal one. The same seed gives the same curves.
    Raises as `balance`.
    Source: the network; acceptance and charge efficiency, see the source table; the spread of vehicles, our choice.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> seen = simulate(front_battery(12), usual_use(front_battery(12)), SimulationRequest(days=1, runs=1))
    >>> seen.no_start_after_d is None, seen.batteries[0].end_charge > 0.8
    (True, True)
    """
    if problems := check_circuit(circuit):
        raise CircuitError(problems)
    check_use(circuit, asked)
    check_simulation(asked, how)
    model = _Model(circuit, asked, how)
    runs, banks = how.runs, len(model.batteries)
    now = _Now(
        np.full((runs, banks), asked.state_of_charge), model.ambient_c.copy(), 0.0, np.zeros(runs, dtype=bool),
        Chargers.of(model.circuit, runs),
    )  # fmt: skip
    book = _Book(model, now)
    for scene, hours, starts, done in _legs(day_of(asked), how.days):
        if starts:
            now.charge = np.maximum(now.charge - model.crank_ah / model.capacity, 0.0)
            now.since_start_h = 0.0
            book.cranked()
        _through(model, model.scene(scene), hours, now, book)
        progress(done)
    return book.view(how)


def _legs(day: Sequence[_Leg], days: float) -> Iterator[tuple[Scene, float, bool, float]]:
    """The stretches of as many days, the last cut where the time is over; with the share of the time that is then gone."""
    gone, whole = 0.0, days * DAY_H
    while gone < whole - 1e-9:
        for leg in day:
            hours = min(leg.hours, whole - gone)
            if hours <= 1e-9:
                continue
            gone += hours
            yield leg.scene, hours, leg.starts, gone / whole


def _through(model: _Model, scene: _Scene, hours: float, now: _Now, book: _Book) -> None:
    """One stretch, step by step."""
    left, tau_h = hours, model.table.alternator_tau_s / 3600
    model.regulate(scene, now)
    answer = model.answer(scene, now)
    while left > 1e-9:
        rate = model.rates(answer)
        fastest = float(np.abs(rate).max())
        goal = model.settles_c(scene, answer)
        moves = float(np.abs(goal - now.unit_c).max()) > 1.0
        step = min(left, MOST_STEP_S / 3600, MOST_CHARGE_STEP / fastest if fastest > 0 else left)
        if moves and scene.running:
            step = min(step, WARMING_STEP_S / 3600)
        if now.chargers.change:
            # Stages change, and so does the sun.
            step = min(step, CHARGER_STEP_S / 3600)
        step = max(step, min(left, LEAST_STEP_S / 3600))
        before, warm = now.charge, now.unit_c
        now.charge = np.clip(before + rate * step, 0.0, 1.0)
        now.unit_c = goal + (warm - goal) * np.exp(-step / tau_h)
        now.since_start_h += step
        now.hour = (now.hour + step) % DAY_H
        model.regulate(scene, now)
        before_stage = now.chargers.floats[0].copy()
        now.chargers.go_on(step, answer.charger_most_a, answer.charger_a, answer.charger_v)
        then = model.answer(scene, now)
        now.charge = np.clip(before + (rate + model.rates(then)) / 2 * step, 0.0, 1.0)
        book.went(step, before, warm, answer, then, now)
        book.charged(step, before_stage, answer, now)
        left -= step
        answer = then


class _Book:
    """What is written down on the way."""

    def __init__(self, model: _Model, now: _Now) -> None:
        self.model = model
        runs, banks = now.charge.shape
        self.begun = now.charge.copy()
        self.now = now
        self.time_h = 0.0
        self.times: list[float] = []
        self.rows: dict[str, list[Floats]] = {
            "charge": [],
            "volts": [],
            "battery_a": [],
            "output_a": [],
            "alternator_c": [],
            "charger_a": [],
        }
        self.full_after = np.full(banks, np.inf)
        self.over_h = np.zeros(banks)
        self.least = now.charge[0].copy()
        self.no_start_h = np.full(runs, np.inf)
        self.made = self.into = self.stored = self.cranked_ah = 0.0
        count = len(now.chargers.all)
        self.given_ah, self.fed_h, self.floated_h, self.held_off_h, self.anew = (np.zeros(count) for _ in range(5))
        self.held_off_by = np.zeros((count, len(model.circuit.alternators) + count))
        self.collapsed = False

    def cranked(self) -> None:
        """One start of the nominal vehicle."""
        self.cranked_ah += float(self.model.crank_ah.sum())

    def went(self, step_h: float, before: Floats, warm: Floats, first: _Answer, then: _Answer, now: _Now) -> None:
        """One step."""
        model = self.model
        self.time_h += step_h
        self.times.append(self.time_h)
        # Means of each step: what stands at its end is half a step late.
        for name, begins, ends in (
            ("charge", before, now.charge), ("volts", first.volts, then.volts),
            ("battery_a", first.into_a.sum(axis=1), then.into_a.sum(axis=1)), ("output_a", first.output_a, then.output_a),
            ("alternator_c", warm, now.unit_c), ("charger_a", first.charger_a, then.charger_a),
        ):  # fmt: skip
            self.rows[name].append((begins + ends) / 2)
        # An open battery cranks no engine, and neither does one that is half empty.
        flat = np.where(then.lost, self.time_h, self._crossed(before[:, 0], now.charge[:, 0], 1 - USABLE_SHARE, step_h))
        self.no_start_h = np.minimum(self.no_start_h, flat)
        full = self._crossed(-before[0], -now.charge[0], -FULL, step_h)
        self.full_after = np.minimum(self.full_after, full)
        is_full = now.charge[0] >= FULL
        self.over_h += np.where(is_full & (then.across_v[0] > model.over_v), step_h, 0.0)
        self.least = np.minimum(self.least, now.charge[0])
        mean = (first.into_a[0] + then.into_a[0]) / 2 * step_h
        moved = (now.charge - before)[0] * model.capacity[0]
        self.made += float(first.output_a[0] + then.output_a[0]) / 2 * step_h
        self.given_ah += (first.charger_a[0] + then.charger_a[0]) / 2 * step_h
        # An empty battery gives no more than it had, whatever is asked of it.
        self.into += float(np.where(mean > 0, mean, moved).sum())
        self.stored += float(moved.sum())
        self.collapsed |= bool(then.lost[0])

    def charged(self, step_h: float, floated: NDArray[np.bool_], answer: _Answer, now: _Now) -> None:
        """What the nominal vehicle's chargers did in one step.

        floated: which held float in it; answer: of its beginning
        """
        fed = answer.charger_most_a > 0
        self.fed_h += step_h * fed
        self.floated_h += step_h * (fed & floated)
        self.anew += fed & floated & ~now.chargers.floats[0]
        off = now.chargers.held_off(answer.charger_most_a, answer.charger_a, answer.charger_v)[0]
        self.held_off_h += step_h * off
        for k in np.flatnonzero(off):
            if np.isfinite(answer.held_v).any():
                self.held_off_by[k, int(np.argmax(answer.held_v))] += step_h

    def charger_fates(self) -> tuple[ChargerFate, ...]:
        """What each charger came to."""
        every = self.now.chargers.all
        names = [*(a.label for a in self.model.circuit.alternators), *(c.label for c in every)]
        return tuple(
            ChargerFate(
                label=c.label, given_ah=float(self.given_ah[k]), fed_h=float(self.fed_h[k]), floated_h=float(self.floated_h[k]),
                held_off_h=float(self.held_off_h[k]), began_anew=int(self.anew[k]),
                held_off_by=names[int(np.argmax(self.held_off_by[k]))] if self.held_off_by[k].any() else None,
            )
            for k, c in enumerate(every)
        )  # fmt: skip

    def _crossed(self, before: Floats, after: Floats, level: float, step_h: float) -> Floats:
        """When something falling has come to a level in this step, or lies below it since longer [h]; infinite: not yet."""
        fall = np.maximum(before - after, 1e-12)
        part = np.clip((before - level) / fall, 0.0, 1.0)
        return np.where(after <= level, self.time_h - step_h * (1 - part), np.inf)

    def view(self, how: SimulationRequest) -> SimulationView:
        """All of it."""
        batteries = self.model.batteries
        edges = np.array([0.0, *self.times])
        asked = np.linspace(0.0, edges[-1], min(MOST_POINTS, len(self.times)) + 1)
        middles = (asked[1:] + asked[:-1]) / 2

        def mean(values: list[Floats]) -> Floats:
            """Means between the asked moments: what comes and goes with every trip is not caught at its moods."""
            steps = np.diff(edges)
            sums = np.vstack([np.zeros_like(values[0])[None], np.cumsum(np.array(values) * steps[:, None], axis=0)])
            at = np.array([np.interp(asked, edges, column) for column in sums.T])
            return np.asarray(np.diff(at, axis=1).T / np.diff(asked)[:, None])

        curves = [_curve("charge", b.label, mean([row[:, k] for row in self.rows["charge"]])) for k, b in enumerate(batteries)]
        for name, label in (("volts", batteries[0].label), ("battery_a", "Batteries"), ("output_a", "Alternator"), ("alternator_c", "Alternator")):  # fmt: skip
            curves.append(_curve(name, label, mean(self.rows[name])))
        curves += [
            _curve("charger_a", c.label, mean([row[:, k] for row in self.rows["charger_a"]]))
            for k, c in enumerate(self.now.chargers.all)
        ]
        end = self.now.charge
        fates = tuple(
            BatteryFate(
                label=b.label, start_charge=float(self.begun[0, k]), end_charge=float(end[0, k]),
                end_low=float(np.percentile(end[:, k], BAND[0])), end_high=float(np.percentile(end[:, k], BAND[1])),
                least_charge=float(self.least[k]), full_after_h=None if np.isinf(self.full_after[k]) else float(self.full_after[k]),
                overcharged_h=float(self.over_h[k]),
            )
            for k, b in enumerate(batteries)
        )  # fmt: skip
        # A DC-DC charger passes on what others made.
        given_ah = float(self.given_ah[: len(self.model.circuit.chargers)].sum())
        flat = float(self.no_start_h[0])
        share = float(np.isfinite(self.no_start_h).mean())
        return SimulationView(
            headline=_headline(flat, share, how, fates), days=how.days, runs=how.runs,
            time_h=tuple(round(float(t), 4) for t in middles), curves=tuple(curves), batteries=fates,
            chargers=self.charger_fates(),
            no_start_after_d=flat / DAY_H if np.isfinite(flat) else None, no_start_share=share,
            made_ah=self.made, used_ah=self.made + given_ah - self.into + self.cranked_ah, stored_ah=self.stored - self.cranked_ah,
            collapsed=self.collapsed,
        )  # fmt: skip


def _curve(name: Any, label: str, values: Floats) -> Curve:
    """A quantity at the kept moments, (moments, vehicles)."""
    digits = 4 if name == "charge" else 2

    def tidy(row: Floats) -> tuple[float, ...]:
        return tuple(round(float(v), digits) for v in row)

    low, high = np.percentile(values, BAND, axis=1)
    return Curve(name=name, label=label, nominal=tidy(values[:, 0]), low=tidy(low), high=tidy(high))


def _headline(flat_h: float, share: float, how: SimulationRequest, fates: Sequence[BatteryFate]) -> str:
    if np.isfinite(flat_h):
        days = flat_h / DAY_H
        when = f"after {days:.0f} days" if days >= 1.5 else "within a day" if days < 0.75 else "after a day"
        return f"No start {when}; so it goes with {share:.0%} of such vehicles"
    if share > 0:
        return f"Starts for {how.days:g} days; {share:.0%} of such vehicles do not"
    worst = min(fates, key=lambda f: f.end_charge)
    return f"Starts for {how.days:g} days; {worst.label} ends at {worst.end_charge:.0%}"
