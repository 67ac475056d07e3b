"""One vehicle in the yard: what its parts really are, what is wrong with it, and what a probe would find in each state."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tests.reference.strangers.metal import drawn_ohm
from tests.reference.strangers.spice import OPEN_OHM, Deck, UnsolvedError

RUNNING = ("idle", "idle_loaded", "fast", "fast_loaded", "full_output", "at_output")
LOADED = ("idle_loaded", "fast_loaded", "full_output", "at_output")
BENT = ("diode", "mosfet")
MOST_TURNS = 60
STARVED = "starved"
STARVED_V = 3.0
"""Below this a consumer that has lost its supply takes what it gets: nothing pulls its own supply below its return."""

UNLOADED = "unloaded"
UNLOADED_V, UNLOADED_OHM = 80.0, 1e3
"""What a 12 V unit whose cable is off comes to at full field while its sense wire asks for more: the open-circuit volts of a load dump begin
at 79 V (ISO 16750-2, from memory). It gives next to nothing there."""

LOOKS_OHM = 2e4
"""What a voltage link that is open takes to look at either of its sides: a few tenths of a milliampere, as an electronic one does."""

DROOP_V = 0.05
"""Of a charger between giving nothing and all it can."""

OCV_BY_CHARGE = ((0.0, 11.89), (0.25, 12.06), (0.5, 12.24), (0.75, 12.45), (1.0, 12.65))
"""BCI, flooded, from memory."""

LITHIUM = ((0.0, 12.0), (0.1, 12.9), (0.5, 13.15), (0.9, 13.3), (1.0, 13.5))


@dataclass
class Unit:
    """An alternator as it is."""

    stud: str
    case: str
    sense: tuple[str, str]
    most_a: float
    """At high speed, as warm as it is that day."""
    begins_rpm: float
    bends_rpm: float
    set_v: float
    droop_v: float
    ratio: float
    magnet: bool
    slip: float = 0.0
    """What of its speed a belt loses when the unit gives all it can."""

    def shaft(self, engine_rpm: float, loaded: bool) -> float:
        """Speed of its shaft."""
        return engine_rpm * self.ratio * (1 - (self.slip if loaded else 0.25 * self.slip))

    def limit(self, engine_rpm: float, loaded: bool) -> float:
        """What it can give."""
        shaft = self.shaft(engine_rpm, loaded)
        if self.magnet:
            return self.most_a * (1 - math.exp(-shaft / 1800))
        return max(self.most_a * (1 - math.exp(-(shaft - self.begins_rpm) / self.bends_rpm)), 0.0)


@dataclass
class Bank:
    """A battery as it is."""

    plus: str
    minus: str
    open_v: float
    inner_ohm: float
    takes_ohm: float
    """More of it when it is charged."""


@dataclass
class Truth:
    """What is wrong, in the product's words for causes, and how it shows beside volts and amperes."""

    causes: tuple[str, ...]
    more_ohm: dict[str, float] = field(default_factory=dict)
    leaks_a: dict[str, float] = field(default_factory=dict)
    ripple_vpp: dict[str, float] = field(default_factory=dict)
    lamp: dict[str, bool] = field(default_factory=dict)
    belt_good: dict[str, bool] = field(default_factory=dict)
    plate_a: dict[str, float] = field(default_factory=dict)
    clear: dict[str, bool] = field(default_factory=dict)
    """Whether no winding touches ground."""
    only_in: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """States that what a branch has too much is there in."""
    never: set[str] = field(default_factory=set)
    """Links that do not close, chargers that do not run."""
    unlevel_v: dict[str, float] = field(default_factory=dict)
    """How far a battery still lies above those beside it when all is asleep."""
    slow: bool = False
    """Whether the engine idled where a test asks for speed."""
    sense_drop_v: dict[str, float] = field(default_factory=dict)
    """Lost along the sense wire of a unit that runs."""
    shorted: set[str] = field(default_factory=set)
    """Ways of an isolator that conduct both ways."""
    sense_open: set[str] = field(default_factory=set)
    """Units at the end of whose sense wire there is nothing."""


class Stranger:
    """A vehicle, drawn as a document, and different from it in everything."""

    def __init__(self, document: dict[str, Any], rng: np.random.Generator) -> None:
        """document: the circuit as a technician draws it; rng: what this vehicle is made of."""
        self.document, self.rng = document, rng
        self.branches = {b["id"]: b for b in document["branches"]}
        self.volts = 24 if document["system_voltage_v"] == 24 else 12
        scale = self.volts / 12
        warm = rng.uniform(15, 75)
        self.ohm = {i: drawn_ohm(b, warm, rng) for i, b in self.branches.items()}
        self.units: dict[str, Unit] = {}
        for a in document["alternators"]:
            stud, case = a["stud_node"], a["case_node"]
            sense = (a.get("sense_positive_node") or stud, a.get("sense_negative_node") or case)
            self.units[a["id"]] = Unit(
                stud, case, sense, a["rated_a"] * rng.uniform(0.86, 1.08) * rng.uniform(0.85, 1.0), rng.uniform(950, 1350),
                rng.uniform(1300, 2200), a["set_point_v"] + rng.uniform(-0.18, 0.18) * scale, rng.uniform(0.03, 0.15) * scale,
                a["pulley_ratio"] * rng.uniform(0.97, 1.03), a["kind"] == "permanent_magnet",
            )  # fmt: skip
        self.charge = {b["id"]: float(rng.uniform(0.45, 1.0)) for b in document["batteries"]}
        groups = self._tied()
        # By numbers of its own, so that what else a case is made of stays as it was.
        unrated = np.random.default_rng(int(warm * 1e9))
        bent = np.random.default_rng([int(warm * 1e9), 1])
        # Silicon with some tens of amperes through it: 0.6 to 0.9 V, whatever is written on the box; transistors lose what they like.
        spread = {"diode": (0.85, 1.25), "mosfet": (0.3, 1.8)}
        self.forward_v = {
            i: b["forward_v"] * float(bent.uniform(*spread[b["kind"]])) for i, b in self.branches.items() if b["kind"] in BENT
        }
        self.banks: dict[str, Bank] = {}
        for b in document["batteries"]:
            level = self.charge[groups[b["id"]]]
            table = LITHIUM if b["chemistry"] == "lifepo4" else OCV_BY_CHARGE
            more = {"agm": 0.15, "gel": 0.12, "efb": 0.05}.get(b["chemistry"], 0.0)
            # One that nobody rates for cranking gives six to ten amperes of it for each ampere hour.
            inner = 5.4 / (b.get("cca_a") or unrated.uniform(6, 10) * b["capacity_ah"]) * rng.uniform(0.33, 0.55)
            series, strings = b.get("series") or self.volts // 12, b.get("parallel", 1)
            # Taken as a resistance that grows as it fills: exponential taper, see the closed form of charging at constant voltage.
            takes = rng.uniform(0.5, 1.4) * math.exp(3 * level) / b["capacity_ah"]
            if b["chemistry"] == "lifepo4":
                takes = rng.uniform(0.4, 1.2) / b["capacity_ah"] + (0.2 if level > 0.97 else 0.0)
                inner = unrated.uniform(0.2, 0.6) / b["capacity_ah"]
            self.banks[b["id"]] = Bank(
                b["positive_node"], b["negative_node"], (float(np.interp(level, *zip(*table, strict=True))) + more) * series,
                inner * series / strings, takes * series / strings,
            )  # fmt: skip
        self.load_share = {x["id"]: float(rng.uniform(0.85, 1.15)) for x in document["loads"]}
        self.asleep_a = float(rng.uniform(0.008, 0.045))
        rated = document["alternators"][0]["rated_a"]
        # Ignition, pump, engine computer: nobody lists them.
        self.unlisted_a = float(rng.choice([0.0, rng.uniform(0.01, 0.14)]) * rated)
        self.idle_rpm, self.fast_rpm = float(rng.uniform(680, 920)), float(rng.uniform(1900, 2150))
        self.bank_a = float(rng.uniform(20, 60))
        self.truth = Truth(
            ("none:",),
            ripple_vpp={i: float(rng.uniform(0.1, 0.35)) * scale for i in self.units},
            lamp=dict.fromkeys(self.units, True),
            belt_good=dict.fromkeys(self.units, True),
            clear=dict.fromkeys(self.units, True),
            plate_a={a["id"]: a["rated_a"] for a in document["alternators"]},
        )
        self._solved: dict[str, dict[str, float]] = {}

    def filled(self) -> None:
        """From here on as it stands after a night on the charger: nothing else of it is any different."""
        groups = self._tied()
        for b in self.document["batteries"]:
            bank, level = self.banks[b["id"]], self.charge[groups[b["id"]]]
            table = LITHIUM if b["chemistry"] == "lifepo4" else OCV_BY_CHARGE
            then, now = np.interp([1.0, level], *zip(*table, strict=True))
            bank.open_v += float(then - now) * (b.get("series") or self.volts // 12)
            if b["chemistry"] != "lifepo4":
                bank.takes_ohm *= math.exp(3 * (1 - level))
        self.charge = dict.fromkeys(self.charge, 1.0)
        self._solved.clear()

    @property
    def _unloaded_v(self) -> float:
        return UNLOADED_V * self.volts / 12

    def _tied(self) -> dict[str, str]:
        """Batteries that metal joins rest at one voltage: each one's first companion."""
        joined = {b["id"]: b["id"] for b in self.document["batteries"]}
        metal: dict[str, set[str]] = {}
        for b in self.branches.values():
            if b["kind"] not in ("diode", "mosfet", "voltage_link") and b.get("closed", True):
                metal.setdefault(b["from_node"], set()).add(b["to_node"])
                metal.setdefault(b["to_node"], set()).add(b["from_node"])
        for b in self.document["batteries"]:
            seen, todo = {b["positive_node"]}, [b["positive_node"]]
            while todo:
                for n in metal.get(todo.pop(), set()) - seen:
                    seen.add(n)
                    todo.append(n)
            joined[b["id"]] = next(o["id"] for o in self.document["batteries"] if o["positive_node"] in seen)
        return joined

    def at(self, state: str) -> dict[str, float]:
        """Volts of every node in a state: rest is each battery alone, and not asked here."""
        if state not in self._solved:
            self._solved[state] = self._solve(state)
        return self._solved[state]

    def _solve(self, state: str) -> dict[str, float]:
        links = {
            i: state in RUNNING and i not in self.truth.never for i, b in self.branches.items() if b["kind"] == "voltage_link"
        }
        main = self.document["batteries"][0]
        held = state == "full_output"
        voltages = self._at_rest(state, links, held)
        if held:
            # A bank takes; where it would have to give, the battery is below 12.0 V without one.
            bare = self._at_rest(state, links, False)
            if bare[main["positive_node"]] - bare[main["negative_node"]] < self.volts:
                voltages, held = bare, False
        for link, b in ((i, self.branches[i]) for i in links):
            if links[link] and voltages[b["from_node"]] - voltages[main["negative_node"]] < b["cut_out_v"]:
                links[link] = False
                voltages = self._at_rest(state, links, held)
        return voltages

    def _at_rest(self, state: str, links: dict[str, bool], hold: bool) -> dict[str, float]:
        """Everything bent is at one of its straight pieces, and the pieces are changed until they agree with what ngspice finds."""
        bent = [i for i, b in self.branches.items() if b["kind"] in BENT]
        at = dict.fromkeys(
            [*self.units, *self.banks, *bent, *(c["id"] for c in (*self.document["converters"], *self.document["loads"]))], "on"
        )
        across = {x["id"]: float(self.volts) for x in self.document["loads"]}
        across |= {f"{c['id']}:{side}": float(self.volts) for c in self.document["converters"] for side in ("in", "out")}
        for turn in range(MOST_TURNS):
            voltages = self._deck(state, links, hold, at, across).solve()
            if not self._changed(state, voltages, at, across, turn):
                return voltages
        raise UnsolvedError(f"{state} comes to no rest: {at}")

    def _changed(self, state: str, voltages: dict[str, float], at: dict[str, str], across: dict[str, float], turn: int) -> bool:
        def between(plus: str, minus: str) -> float:
            return voltages.get(plus, 0.0) - voltages.get(minus, 0.0)

        modes = dict(at)
        for i, unit in self.units.items():
            short = (unit.set_v - between(*unit.sense)) / unit.droop_v
            modes[i] = "limit" if short > 1 else "off" if short < -1e-5 else "on"
            if at[i] != "on" and modes[i] != at[i]:
                modes[i] = "on"
            if at[i] == UNLOADED:
                modes[i] = UNLOADED
        for i, bank in self.banks.items():
            above = between(bank.plus, bank.minus) - self._open_v(state, i)
            # One that nothing draws on lies on the corner, and rounding would turn it for ever.
            modes[i] = at[i] if abs(above) < 1e-6 else "on" if above > 0 else "off"
        for c in self.document["converters"]:
            short = (c["set_point_v"] - between(c["out_node"], c["ground_node"])) / DROOP_V
            modes[c["id"]] = "limit" if short > 1 else "off" if short < -1e-5 else "on"
            if at[c["id"]] != "on" and modes[c["id"]] != at[c["id"]]:
                modes[c["id"]] = "on"
            if at[c["id"]] == STARVED:
                modes[c["id"]] = STARVED
        for i, b in self.branches.items():
            if b["kind"] in BENT:
                modes[i] = "on" if between(b["from_node"], b["to_node"]) > self.forward_v[i] else "off"
        for x in self.document["loads"]:
            if between(x["from_node"], x["to_node"]) < STARVED_V:
                modes[x["id"]] = STARVED
        differ = [i for i in at if at[i] != modes[i]]
        # All at once at first; one by one where that goes round in a circle.
        for i in differ if turn < 8 else differ[:1]:
            at[i] = modes[i]
        moved = False
        now = {x["id"]: between(x["from_node"], x["to_node"]) for x in self.document["loads"]}
        for c in self.document["converters"]:
            now |= {
                f"{c['id']}:in": between(c["in_node"], c["ground_node"]),
                f"{c['id']}:out": between(c["out_node"], c["ground_node"]),
            }
        for name, volts in now.items():
            new = max(volts, 6.0)
            moved |= abs(new - across[name]) > 1e-4
            across[name] = 0.5 * (new + across[name]) if turn > 3 else new
        if differ or moved:
            return True
        # Only what really comes to be, not a turn on the way to it, pulls an input below where it stops: then it stays off.
        starved = [
            c["id"]
            for c in self.document["converters"]
            if at[c["id"]] != STARVED and between(c["in_node"], c["ground_node"]) < c["input_cut_off_v"]
        ]
        at |= dict.fromkeys(starved, STARVED)
        unloaded = [i for i, u in self.units.items() if at[i] != UNLOADED and between(u.stud, u.case) > self._unloaded_v]
        at |= dict.fromkeys(unloaded, UNLOADED)
        return bool(starved or unloaded)

    def _deck(self, state: str, links: dict[str, bool], hold: bool, at: dict[str, str], across: dict[str, float]) -> Deck:
        main = self.document["batteries"][0]
        deck = Deck(main["negative_node"])
        for i, b in self.branches.items():
            a, z = b["from_node"], b["to_node"]
            ohm = self._ohm_in(state, i)
            if i in self.truth.shorted:
                deck.resistor(a, z, ohm)
            elif b["kind"] in BENT:
                if at[i] == "on":
                    deck.current(a, z, f"({deck.between(a, z)}-{self.forward_v[i]})/{ohm:.9g}")
                else:
                    deck.resistor(a, z, 1e7)
            elif (b["kind"] == "voltage_link" and not links[i]) or not b.get("closed", True):
                deck.resistor(a, z, OPEN_OHM)
                for side in (a, z) if b["kind"] == "voltage_link" else ():
                    deck.resistor(side, main["negative_node"], LOOKS_OHM)
            else:
                deck.resistor(a, z, ohm)
        for i, bank in self.banks.items():
            ohm = bank.inner_ohm + (bank.takes_ohm if at[i] == "on" else 0.0)
            deck.current(bank.plus, bank.minus, f"({deck.between(bank.plus, bank.minus)}-{self._open_v(state, i):.9g})/{ohm:.9g}")
            if i in self.truth.leaks_a:
                deck.resistor(bank.plus, bank.minus, bank.open_v / self.truth.leaks_a[i])
        if state not in RUNNING and self.forward_v:
            # Behind an isolator: its own rectifier, and a meter, take what leaks back.
            for unit in self.units.values():
                deck.resistor(unit.stud, unit.case, LOOKS_OHM)
        if state in RUNNING:
            for i, unit in self.units.items():
                most = unit.limit(self._engine(state), state in LOADED)
                if at[i] == "limit":
                    deck.current(unit.case, unit.stud, f"{most:.9g}")
                elif at[i] == UNLOADED:
                    deck.current(
                        unit.case, unit.stud, f"({self._unloaded_v:.9g}-{deck.between(unit.stud, unit.case)})/{UNLOADED_OHM}"
                    )
                elif at[i] == "on" and most > 0:
                    deck.current(
                        unit.case, unit.stud, f"{most:.9g}*({unit.set_v:.9g}-{deck.between(*unit.sense)})/{unit.droop_v:.9g}"
                    )
        self._loads(deck, state, at, across)
        for c in self.document["converters"]:
            if state in RUNNING and at[c["id"]] not in ("off", STARVED) and c["id"] not in self.truth.never:
                into, out_v = f"{c['id']}:in", across[f"{c['id']}:out"]
                gives, now = f"{c['limit_a']}", c["limit_a"]
                if at[c["id"]] == "on":
                    short = f"({c['set_point_v']}-{deck.between(c['out_node'], c['ground_node'])})/{DROOP_V}"
                    gives, now = f"{gives}*{short}", min(max(now * (c["set_point_v"] - out_v) / DROOP_V, 0.0), now)
                deck.current(c["ground_node"], c["out_node"], gives)
                takes = now * out_v / (c["efficiency"] * across[into])
                deck.current(c["in_node"], c["ground_node"], f"{takes:.9g}")
        if hold:
            deck.held(main["positive_node"], main["negative_node"], float(self.volts))
        if state == "at_output":
            deck.resistor(main["positive_node"], main["negative_node"], 1.1 * self.volts / self.bank_a)
        return deck

    def _open_v(self, state: str, bank: str) -> float:
        return self.banks[bank].open_v + (self.truth.unlevel_v.get(bank, 0.0) if state == "asleep" else 0.0)

    def tied(self) -> list[str]:
        """Batteries that metal joins to another one."""
        groups = self._tied()
        return [i for i, first in groups.items() if list(groups.values()).count(first) > 1]

    def _ohm_in(self, state: str, branch: str) -> float:
        there = state in self.truth.only_in.get(branch, (state,))
        return self.ohm[branch] + (self.truth.more_ohm.get(branch, 0.0) if there else 0.0)

    def _engine(self, state: str) -> float:
        return self.idle_rpm if state.startswith("idle") or self.truth.slow else self.fast_rpm

    def _loads(self, deck: Deck, state: str, at: dict[str, str], across: dict[str, float]) -> None:
        main = self.document["batteries"][0]
        for x in self.document["loads"]:
            amps = x["current_a"] * self.load_share[x["id"]]
            if x["cranking"]:
                if state == "cranking":
                    deck.resistor(x["from_node"], x["to_node"], self.volts / amps)
            elif state in LOADED and x["on"]:
                if x["law"] == "resistance" or at[x["id"]] == STARVED:
                    deck.resistor(x["from_node"], x["to_node"], self.volts / amps)
                else:
                    drawn_a = amps * self.volts / across[x["id"]] if x["law"] == "power" else amps
                    deck.current(x["from_node"], x["to_node"], f"{drawn_a:.9g}")
        quiet = {"asleep": self.asleep_a, "key_on": 2.0 + self.unlisted_a / 3, "cranking": 4.0}.get(state, self.unlisted_a)
        if quiet > 0:
            deck.resistor(main["positive_node"], main["negative_node"], self.volts / quiet)

    def drop(self, state: str, a: str, b: str) -> float:
        """What a meter would read between two nodes."""
        volts = self.at(state)
        return volts.get(a, 0.0) - volts.get(b, 0.0)

    def amps(self, state: str, element: str) -> float:
        """What a clamp would read: out of an alternator, into a battery, through a branch the way it is drawn."""
        if element in self.units:
            unit = self.units[element]
            most = unit.limit(self._engine(state), state in LOADED) if state in RUNNING else 0.0
            short = (unit.set_v - self.drop(state, *unit.sense)) / unit.droop_v
            feeds = self.drop(state, unit.stud, unit.case) < 0.9 * self._unloaded_v
            return most * min(1.0, max(0.0, short)) if feeds else 0.0
        if element in self.banks:
            bank = self.banks[element]
            above = self.drop(state, bank.plus, bank.minus) - self._open_v(state, element)
            return above / (bank.inner_ohm + (bank.takes_ohm if above > 0 else 0.0))
        b = self.branches[element]
        if b["kind"] in ("diode", "mosfet", "voltage_link"):
            return math.nan
        return self.drop(state, b["from_node"], b["to_node"]) / self._ohm_in(state, element)
