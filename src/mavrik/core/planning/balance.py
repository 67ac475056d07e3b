"""Does it keep up? Amperes made and used in every scene and at every engine speed, and what a day leaves in the batteries."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from mavrik.core import network as net
from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Battery, Circuit
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.document import Document, Label
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating import AtState, Engine, State, solved_together
from mavrik.core.planning.charging import fed_as_a_mean
from mavrik.core.planning.in_use import able_a, circuit_in_use, output_known_to, output_scale
from mavrik.core.planning.use import DAY_H, Scene, UseRequest, check_use
from mavrik.core.procedures.bench.drain import USABLE_SHARE
from mavrik.core.protection.documents import COMMON, Finding, Severity, amperes, by_severity

CHARGE_LEVELS = 4
"""At so many charges down to the least that starts an engine a day is looked at: a battery that sinks takes more."""

SINKS = 0.03
"""So much less charge than it lives at is worth saying. Our choice, no source."""

BALANCED_A = 0.5
"""What no clamp tells from nothing."""


@dataclass(frozen=True)
class Flow:
    """Amperes of one scene, the unit and the batteries at one temperature each."""

    can_a: Annotated[float, Field(description="The most the alternators can give [A]")]
    made_a: Annotated[float, Field(description="What they do give, charging included [A]")]
    used_a: Annotated[float, Field(description="What everything but the charging batteries takes of them [A]")]
    battery_a: Annotated[float, Field(description="Into the batteries, or out of them where negative [A]")]
    surplus_a: Annotated[
        float, Field(description="What they can give over what is used; negative: the batteries give the rest [A]")
    ]
    volts: Annotated[float | None, Field(description="At the first battery's posts [V]; null where it collapses")]
    heat_w: Annotated[float | None, Field(description="Made in leads and contacts [W]; null where it collapses")]


@dataclass(frozen=True)
class SceneBalance:
    """One scene, cold and hot."""

    label: str
    engine_rpm: float
    hours_a_day: float
    cold: Flow
    hot: Flow
    repays_min: Annotated[
        float | None, Field(description="Minutes of it that put one start back, at the worse temperature; null: never")
    ]


@dataclass(frozen=True)
class SpeedBalance:
    """One engine speed of the histogram."""

    engine_rpm: float
    share: Annotated[float, Field(description="Of the engine's hours")]
    cold_can_a: float
    hot_can_a: float
    used_a: Annotated[float, Field(description="At the hot end, where the voltage lets more flow or less [A]")]


@dataclass(frozen=True)
class BatteryDay:
    """What a day leaves in one battery [Ah], at the worse of the two temperatures unless it says otherwise."""

    label: str
    put_back_ah: Annotated[float, Field(description="That comes out again")]
    taken_ah: float
    cranks_ah: float
    asleep_ah: float
    net_ah: float
    cold_net_ah: Annotated[float, Field(description="With cold batteries and alternators")]
    hot_net_ah: Annotated[float, Field(description="With warm batteries and hot alternators")]
    days: Annotated[float | None, Field(description="Until it no longer starts the engine; null: it does not come to that")]
    settles_at: Annotated[float | None, Field(description="Charge at which its days come out even; null: it gains, or goes flat")]
    flat_only: Annotated[Literal["cold", "hot"] | None, Field(description="At which end of the temperatures alone it goes flat")]


class UseView(Document):
    """What a use comes to."""

    headline: Label
    keeps_up: bool
    cold_c: float = Field(description="Of the alternators in the cold column [degC]")
    hot_c: float
    idle: str | None = Field(description="The scene of the slowest engine that turns; null where none does")
    idle_surplus_a: float | None = Field(description="Of it, hot [A]")
    idle_band_a: float | None = Field(None, description="What nineteen of twenty such units stay within of that, either way [A]")
    idle_known_by: Literal["shape", "points", "fitted", "read"] | None = Field(
        None, description="What the first unit's output is known by"
    )
    headroom_a: float | None = Field(
        description="For the next accessory: the least surplus of all scenes with the engine on, hot [A]"
    )
    headroom_scene: str | None
    scenes: tuple[SceneBalance, ...]
    speeds: tuple[SpeedBalance, ...]
    driving: str | None = Field(description="Whose consumers are on at those speeds")
    short_share: float | None = Field(description="Of the engine's hours, in which a hot unit gives less than is used")
    mean_surplus_a: float | None = Field(description="Over the engine's hours, hot [A]")
    crank_ah: float = Field(description="One start [Ah]")
    day: tuple[BatteryDay, ...]
    scale: float | None = Field(description="Of the unit's table, by what was read; null where nothing was")
    findings: tuple[Finding, ...]


def balance(circuit: Circuit, request: UseRequest) -> UseView:
    """What a vehicle makes and uses, scene by scene and speed by speed, and what a day leaves in its batteries.

    circuit: the document; request: consumers, scenes, hours by speed, starts, temperatures
    Every scene is solved on the network, the alternators at the hot and the cold end of their table, the batteries at the charge they
    live at. What is used is what is made less what charges the batteries that the alternators reach through metal; a DC-DC charger
    counts with what it takes. A consumer that draws at times counts with its mean.
    Raises UseProblemError, at its field, for what contradicts itself; CircuitError for a circuit that cannot be computed.
    Source: the network solved; ampere-hours put back by the batteries' charge efficiency, see the source table; days to a non-start
    as for a parasitic drain.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> seen = balance(front_battery(12), usual_use(front_battery(12), [("Work lamps", 60.0)]))
    >>> seen.idle, seen.idle_surplus_a < -10
    ('Idle at night in rain', True)
    """
    if problems := check_circuit(circuit):
        raise CircuitError(problems)
    check_use(circuit, request)
    scale = output_scale(circuit, request)
    model = _Model(circuit, request, scale)
    driving = _driving(request)
    model.learn([*((s, None) for s in request.scenes), *((s, None) for s in model.at_speeds(driving))])
    crank = cranking_currents(model.circuit, request)
    crank_ah = sum(crank.values()) * request.crank_s / 3600
    scenes = tuple(model.scene(s, crank_ah) for s in request.scenes)
    speeds = tuple(model.speeds(driving))
    day = tuple(model.day(b, scenes, crank) for b in circuit.batteries)
    turning = [s for s in scenes if s.engine_rpm > 0]
    idle = min(turning, key=lambda s: s.engine_rpm, default=None)
    least = min(turning, key=lambda s: s.hot.surplus_a, default=None)
    short = sum(s.share for s in speeds if s.hot_can_a < s.used_a - BALANCED_A) if speeds else None
    mean = sum(s.share * (s.hot_can_a - s.used_a) for s in speeds) if speeds else None
    findings = _findings(scenes, day, short, crank_ah, request, scale)
    table = source_table()
    keeps_up = not any(f.severity is not Severity.NOTE for f in findings)
    band = model.output_band_a(idle.engine_rpm) if idle else None
    return UseView(
        headline=_headline(idle, band, day, keeps_up, [f.code for f in findings]), keeps_up=keeps_up, cold_c=table.reference_c, hot_c=table.hot_c,
        idle=idle.label if idle else None, idle_surplus_a=idle.hot.surplus_a if idle else None,
        idle_band_a=band, idle_known_by=_known_by(circuit, scale) if idle else None,
        headroom_a=least.hot.surplus_a if least else None, headroom_scene=least.label if least else None,
        scenes=scenes, speeds=speeds, driving=driving.label if driving and speeds else None, short_share=short, mean_surplus_a=mean,
        crank_ah=crank_ah, day=day, scale=scale, findings=by_severity(findings),
    )  # fmt: skip


def _known_by(circuit: Circuit, scale: float | None) -> Literal["shape", "points", "fitted", "read"]:
    if scale is not None:
        return "read"
    basis, curve = circuit.alternator.curve_basis, circuit.alternator.curve
    return "shape" if not curve else "points" if basis is None else basis.how


def _driving(request: UseRequest) -> Scene | None:
    if request.driving is not None:
        return next(s for s in request.scenes if s.label == request.driving)
    amps = {c.label: c.current_a * c.duty for c in request.consumers}
    turning = [s for s in request.scenes if s.engine_rpm > 0]
    slowest = min((s.engine_rpm for s in turning), default=0.0)
    road = [s for s in turning if s.engine_rpm > slowest] or turning
    return max(road, key=lambda s: sum(amps[n] for n in s.on), default=None)


_End: TypeAlias = tuple[Flow, dict[str, float]]
Ends: TypeAlias = tuple[_End, _End]
_Key: TypeAlias = tuple[float, bool, tuple[str, ...], float]


class _Model:
    """A circuit with the consumers of a use, solved for its scenes."""

    def __init__(self, circuit: Circuit, request: UseRequest, scale: float | None) -> None:
        self.request, self.table = request, source_table()
        self.used = circuit_in_use(circuit, request, scale)
        self.circuit = self.used.circuit
        self.ends = (
            (self.table.reference_c, self._at(request.coldest_c)),
            (self.table.hot_c, self._at(request.warmest_c)),
        )
        """The cold and the hot end: temperature of the alternators, and the circuit with its batteries."""
        self._known: dict[_Key, Ends] = {}
        self._reached: dict[frozenset[str], set[str]] = {}
        self._branches = [(b.id, b.from_node, b.to_node) for b in self.circuit.branches]

    def _at(self, battery_c: float) -> Circuit:
        batteries = tuple(b.model_copy(update={"temperature_c": battery_c}) for b in self.circuit.batteries)
        return self.circuit.model_copy(update={"batteries": batteries})

    def flows(self, scene: Scene, charge: float | None = None) -> Ends:
        """Cold and hot: the flow, and what goes into each battery [A]; at the charge they live at, or another."""
        key = self._key(scene, charge)
        if key not in self._known:
            self.learn([(scene, charge)])
        return self._known[key]

    def _key(self, scene: Scene, charge: float | None) -> _Key:
        """Of a scene that counts which makes it another: neither its name nor how long it lasts."""
        return (
            scene.engine_rpm,
            scene.plugged_in,
            tuple(sorted(scene.on)),
            self.request.state_of_charge if charge is None else charge,
        )

    def learn(self, points: Iterable[tuple[Scene, float | None]]) -> None:
        """Solve the scenes at these charges, all that are not known yet in one go."""
        new = {key: scene for scene, charge in points if (key := self._key(scene, charge)) not in self._known}
        cases = [self._case(end, scene, key[-1]) for key, scene in new.items() for end in self.ends]
        answers = iter(zip(cases, solved_together(cases), strict=True))
        for key, scene in new.items():
            (cold, at_cold), (hot, at_hot) = next(answers), next(answers)
            self._known[key] = self._flow(*cold, scene, at_cold), self._flow(*hot, scene, at_hot)

    def _case(self, end: tuple[float, Circuit], scene: Scene, charge: float) -> AtState:
        alternator_c, warm = end
        circuit = fed_as_a_mean(warm, scene, self.request.sun_h)
        return circuit, State(
            engine_rpm=scene.engine_rpm, alternator_c=alternator_c, chargers_on=bool(circuit.chargers),
            converters_on=scene.engine_rpm > 0, loads_on=self.used.on(frozenset(scene.on)),
            state_of_charge={b.id: charge for b in circuit.batteries},
        )  # fmt: skip

    def _flow(self, circuit: Circuit, state: State, scene: Scene, solution: net.Solution | None) -> _End:
        can = sum(able_a(a, state.engine_rpm, state.alternator_c) for a in circuit.alternators if a.field != "open")
        if solution is None:
            # It collapses: what is asked for at the nominal voltage says by how much.
            loads_on = {self.used.load_of[n] for n in scene.on}
            used = sum(x.current_a for x in circuit.loads if x.id in loads_on)
            return Flow(can, can, used, can - used, can - used, None, None), {circuit.battery.id: can - used}
        made = sum(solution.current_a[a.id] for a in circuit.alternators)
        into = {b.id: solution.current_a[b.id] for b in circuit.batteries}
        metal = self._metal(solution.open_ids)
        # Chargers on the same metal carry consumers, too.
        charged = sum(solution.current_a[c.id] for c in circuit.chargers if c.positive_node in metal)
        used = made + charged - sum(into[b.id] for b in circuit.batteries if b.positive_node in metal)
        volts = solution.between(circuit.battery.positive_node, circuit.battery.negative_node)
        amps, node_v = solution.current_a, solution.node_v
        heat = sum(abs((node_v[a] - node_v[b]) * amps[i]) for i, a, b in self._branches if i in amps)
        return Flow(can, made, used, sum(into.values()), can - used, volts, heat), into

    def _metal(self, open_ids: frozenset[str]) -> set[str]:
        """Nodes that the alternators reach through what is closed."""
        if open_ids not in self._reached:
            graph = graph_of(b for b in self.circuit.branches if b.id not in open_ids)
            self._reached[open_ids] = set().union(*(reach(graph, a.stud_node) for a in self.circuit.alternators))
        return self._reached[open_ids]

    def output_band_a(self, engine_rpm: float) -> float:
        """What the hot alternators together may give more or less than their tables say at an engine speed [A], 95 of 100."""
        read, units = self.request.read is not None, (a for a in self.circuit.alternators if a.field != "open")
        each = [able_a(a, engine_rpm, self.table.hot_c) * output_known_to(a, engine_rpm, read) for a in units]
        return COVERAGE * float(np.hypot.reduce(each, initial=0.0))

    def scene(self, scene: Scene, crank_ah: float) -> SceneBalance:
        """One scene."""
        (cold, _), (hot, _) = flows = self.flows(scene)
        first = self.circuit.battery
        back = min(into.get(first.id, 0.0) for _, into in flows) * self.table.charge_efficiency[first.chemistry.value]
        repays = crank_ah / back * 60 if back > BALANCED_A and scene.engine_rpm > 0 else None
        return SceneBalance(scene.label, scene.engine_rpm, scene.hours_a_day, cold, hot, repays)

    def at_speeds(self, driving: Scene | None) -> list[Scene]:
        """Every speed of the histogram as a scene, with the consumers of one scene on."""
        on = driving.on if driving else ()
        return [Scene(label="Driving", engine_rpm=s.engine_rpm, on=on) for s in self.request.speeds]

    def speeds(self, driving: Scene | None) -> Iterable[SpeedBalance]:
        """What it makes and uses at each of them."""
        total = sum(s.hours for s in self.request.speeds)
        for s, scene in zip(self.request.speeds, self.at_speeds(driving), strict=True):
            (cold, _), (hot, _) = self.flows(scene)
            yield SpeedBalance(s.engine_rpm, s.hours / total, cold.can_a, hot.can_a, hot.used_a)

    def day(self, battery: Battery, scenes: Iterable[SceneBalance], crank: Mapping[str, float]) -> BatteryDay:
        """What a day leaves in a battery, at the worse of the two temperatures."""
        request, efficiency = self.request, self.table.charge_efficiency[battery.chemistry.value]
        cranks = crank.get(battery.id, 0.0) * request.crank_s / 3600 * request.starts_a_day
        running = sum(s.hours_a_day for s in request.scenes if s.engine_rpm > 0)
        asleep = request.asleep_a * (DAY_H - running) if battery.id == self.circuit.battery.id else 0.0
        steady = cranks + asleep

        def day_at(charge: float, end: int) -> tuple[float, float]:
            """What comes back and what is taken while the battery is so charged [Ah]."""
            into = [(self.flows(s, charge)[end][1].get(battery.id, 0.0), s.hours_a_day) for s in request.scenes if s.hours_a_day]
            return sum(max(a, 0.0) * h for a, h in into) * efficiency, sum(max(-a, 0.0) * h for a, h in into)

        begun, least = request.state_of_charge, 1 - USABLE_SHARE
        levels = np.linspace(begun, least, CHARGE_LEVELS) if begun > least else np.array([begun])

        def nets_at(end: int) -> NDArray[np.float64]:
            """What a day leaves at each charge; at the first alone where it gains there, for then it never comes to the others."""
            leaves = []
            for k, charge in enumerate(levels):
                if k == 1:
                    self.learn((s, float(c)) for c in levels[1:] for s in request.scenes if s.hours_a_day)
                back, taken_ah = day_at(float(charge), end)
                leaves.append(back - taken_ah - steady)
                if leaves[0] >= -LEAST_AH:
                    break
            return np.array(leaves)

        nets = [nets_at(end) for end in (0, 1)]
        capacity = battery.capacity_ah * battery.parallel
        courses = [_course(levels, net_ah, capacity) for net_ah in nets]
        worse = min((0, 1), key=lambda end: (courses[end][0] is None, courses[end][0] or 0.0, nets[end][0]))
        back, taken_ah = day_at(begun, worse)
        days, settles = courses[worse]
        return BatteryDay(
            battery.label, back, taken_ah, cranks, asleep, float(nets[worse][0]), float(nets[0][0]), float(nets[1][0]), days, settles,
            None if days is None or courses[1 - worse][0] is not None else ENDS[worse],
        )  # fmt: skip


ENDS: tuple[Literal["cold", "hot"], Literal["cold", "hot"]] = ("cold", "hot")


def _course(levels: NDArray[np.float64], nets: NDArray[np.float64], capacity_ah: float) -> tuple[float | None, float | None]:
    """Days until a battery no longer starts the engine, or the charge at which its days are even; both None where it gains.

    levels: of charge, falling; nets: what a day leaves at each [Ah]
    A battery that sinks takes more while the engine runs: what is missing at first is not missing for ever.
    """
    if nets[0] >= -LEAST_AH:
        return None, None
    even = np.flatnonzero(nets >= 0)
    if len(even):
        k = int(even[0])
        way = nets[k - 1] / (nets[k - 1] - nets[k])
        return None, float(levels[k - 1] + way * (levels[k] - levels[k - 1]))
    if len(levels) == 1:
        return 0.0, None
    return float(np.trapezoid(capacity_ah / -nets, -levels)), None


def cranking_currents(circuit: Circuit, request: UseRequest) -> dict[str, float]:
    """What each battery gives while cranking, by id [A]; nothing where nobody says what the starter takes.

    circuit: as it is used; request: the starter's current, where it was entered
    """
    first = circuit.battery.id
    if request.crank_a is not None:
        return {first: request.crank_a}
    if not any(x.cranking for x in circuit.loads):
        return {}
    still = {x.id: False for x in circuit.loads if not x.cranking}
    state = State(engine_rpm=0, cranking=True, chargers_on=False, converters_on=False, loads_on=still)
    try:
        current_a = Engine(circuit, state, checked=True).settle().solution.current_a
    except net.NoOperatingPointError:
        return {first: sum(x.current_a for x in circuit.loads if x.cranking)}
    return {b.id: max(-current_a[b.id], 0.0) for b in circuit.batteries}


LEAST_AH = 0.01
"""A day that leaves less than this behind is even."""


WHERE_FLAT = {None: "", "cold": ", when it is cold", "hot": ", when it is hot"}


def _headline(
    idle: SceneBalance | None, band: float | None, day: Iterable[BatteryDay], keeps_up: bool, codes: Iterable[str]
) -> str:
    flat = min((d for d in day if d.days is not None), key=lambda d: d.days or 0.0, default=None)
    if flat is not None:
        days = flat.days or 0.0
        when = f"in {days:.0f} days" if days >= 1.5 else "after a day" if days >= 0.75 else "within a day"
        return f"Flat {when} as it is used{WHERE_FLAT[flat.flat_only]}"
    sinks = min((d.settles_at for d in day if d.settles_at is not None), default=None)
    if sinks is not None and any(c.startswith("sinks:") for c in codes):
        return f"Sinks to about {sinks:.0%} charge as it is used"
    if idle is None:
        return "No scene with the engine on"
    surplus = idle.hot.surplus_a
    if surplus < -BALANCED_A:
        return f"Keeps up over the day, short by {amperes(-surplus)} at a hot idle"
    if not keeps_up:
        return "Keeps up over the day, not in every scene"
    # Where a unit like this may as well be short, that is said with it.
    unsure = f" (± {amperes(band)})" if band is not None and surplus - band < -BALANCED_A else ""
    return f"Keeps up, with {amperes(max(surplus, 0.0))}{unsure} to spare at a hot idle"


def _findings(
    scenes: Iterable[SceneBalance],
    day: Iterable[BatteryDay],
    short: float | None,
    crank_ah: float,
    request: UseRequest,
    scale: float | None,
) -> list[Finding]:
    findings: list[Finding] = []

    def say(code: str, severity: Severity, title: str, why: str, rule: str, source: str = COMMON) -> None:
        findings.append(Finding(code, severity, None, title, why, rule, source))

    for s in scenes:
        flow = s.hot
        if flow.volts is None:
            say("collapses", Severity.DANGER, f"{s.label}: the voltage collapses", f"{amperes(flow.used_a)} are asked for and neither unit nor batteries can give them.", "What is on is covered")  # fmt: skip
        elif s.engine_rpm > 0 and flow.surplus_a < -BALANCED_A:
            why = f"A hot unit gives {amperes(flow.can_a)} at {s.engine_rpm:.0f} /min and {amperes(flow.used_a)} are used: the batteries give the rest, {flow.volts:.1f} V at the post."  # fmt: skip
            say(f"short:{s.label}", Severity.WARNING, f"{s.label}: short by {amperes(-flow.surplus_a)}", why, "What is on is covered while the engine turns")  # fmt: skip
    for d in day:
        if d.days is not None:
            why = f"{d.put_back_ah:.1f} Ah come back; consumers take {d.taken_ah:.1f}, starting {d.cranks_ah:.1f} and what never sleeps {d.asleep_ah:.1f}."  # fmt: skip
            say(f"flat:{d.label}", Severity.WARNING, f"{d.label}: {-d.net_ah:.1f} Ah a day are missing", why, "A day puts back what it takes", "The network solved; charge efficiency, see the source table")  # fmt: skip
        elif d.settles_at is not None and d.settles_at < request.state_of_charge - SINKS:
            why = f"{-d.net_ah:.1f} Ah a day are missing at {request.state_of_charge:.0%}; lower down it takes more while the engine runs. Lead that lives there sulphates, and starts badly in the cold."  # fmt: skip
            say(f"sinks:{d.label}", Severity.WARNING, f"{d.label}: sinks to about {d.settles_at:.0%} charge", why, "A day puts back what it takes", "The network solved; charge efficiency, see the source table")  # fmt: skip
    if short:
        say("short_hours", Severity.WARNING, f"{short:.0%} of the engine's hours are short", "At these speeds a hot unit gives less than is used: use decides, not cruising.", "Weighed by how the engine is used")  # fmt: skip
    if request.starts_a_day and crank_ah and not any(s.repays_min is not None for s in scenes):
        say("never_repaid", Severity.WARNING, "What starting takes is never put back", f"Each start takes {crank_ah * 1000:.0f} mAh, and in no scene does the battery gain.", "Every start is paid back before the next")  # fmt: skip
    if scale is not None:
        say("scaled", Severity.NOTE, f"The unit gives {scale:.0%} of its table", "By what was read with everything on; all outputs here are scaled so.", "What was measured counts")  # fmt: skip
    return findings
