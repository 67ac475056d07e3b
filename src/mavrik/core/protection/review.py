"""Every fuse and breaker of a circuit asked everything that is asked of one: load, cable, breaking, time, and its neighbours."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from pydantic import Field

from mavrik.core import network as net
from mavrik.core.catalogue.fuses import fuse_table, seconds_in_words
from mavrik.core.circuit import BreakerBranch, Circuit, ConductorBranch, ContactBranch, FuseBranch, as_sound
from mavrik.core.circuit.graph import Graph, around, graph_of, least_path
from mavrik.core.circuit.ring import find_ring
from mavrik.core.document import Document
from mavrik.core.operating import DeadShort, Engine, State
from mavrik.core.operating.prediction import at_rated_output, predict
from mavrik.core.protection.parts import series_run
from mavrik.core.protection.short_circuit import FaultSolver, Protector, interrupting_a, opens_at, protectors
from mavrik.core.thermal.heat import short_circuit_final_c, withstand_factor

SHORT_MOHM = 0.1
"""A wrench across two studs."""

CRANK_S = 15.0
"""A long cranking; the next one waits until everything has cooled. Common practice, no source."""

WORKING_C = 90.0
"""What a cable may be at when a short circuit comes, at most."""

CURVES = "ISO 8820 and makers' curves, from memory, see the fuse table"

CARRIED_SHARE = 0.1
"""A fuse that carries less of a fault than this is not in its way."""

SOLVED_TO = 1e-6
"""A solved current is exact to about this share of itself: a fuse that fits to the last digit fits."""


CONTACT_RULE = "Continuous rating above what it carries for good, short-duty rating above what it carries for seconds"
COMMON = "Common practice of the trade"


class Outcome(StrEnum):
    """What a check says, the best first."""

    GOOD = "good"
    WATCH = "watch"
    BAD = "bad"


@dataclass(frozen=True)
class ProtectionCheck:
    """One thing asked of one fuse or breaker."""

    name: Annotated[str, Field(description="load, cable, voltage, breaking, withstand, cranking, inrush or order")]
    outcome: Outcome
    words: str
    rule: str
    source: str


@dataclass(frozen=True)
class ProtectorReview:
    """A fuse or breaker and everything asked of it."""

    branch_id: str
    label: str
    part: str
    outcome: Outcome
    prospective_a: Annotated[float, Field(description="With a dead short right behind it, from the stronger side [A]")]
    interrupting_a: float
    opens: Annotated[str, Field(description="How soon at that current, in words")]
    checks: tuple[ProtectionCheck, ...]


@dataclass(frozen=True)
class ContactReview:
    """A switch, relay, connector or other contact with a known rating, and what was asked of it."""

    branch_id: str
    label: str
    outcome: Outcome
    current_a: Annotated[float, Field(description="The most it carries for good [A]")]
    heat_w: Annotated[float, Field(description="What its resistance makes of that current [W]")]
    checks: tuple[ProtectionCheck, ...]


class ProtectionReview(Document):
    """All fuses and breakers of a circuit, then its rated contacts, those with something wrong first."""

    protectors: tuple[ProtectorReview, ...]
    contacts: tuple[ContactReview, ...]


@dataclass(frozen=True)
class _Behind:
    """A dead short right behind a fuse or breaker, on the side where it sees more."""

    solver: FaultSolver
    found: net.Solution
    current_a: float


def _behind(circuit: Circuit, branch: Protector, graph: Graph) -> _Behind | None:
    """The short lies between the far side and the negative post of the battery nearest to the near side; engine off."""
    worst: _Behind | None = None
    off = State(engine_rpm=0, chargers_on=False)
    for node, other in ((branch.from_node, branch.to_node), (branch.to_node, branch.from_node)):
        ways = [(way, b) for b in circuit.batteries if (way := least_path(graph, other, b.positive_node)) is not None]
        if not ways:
            continue
        _, battery = min(ways, key=lambda w: sum(x.sound_resistance_ohm(20.0) for _, x in w[0]))
        if node == battery.negative_node:
            continue
        solver = FaultSolver(circuit, off, DeadShort(from_node=node, to_node=battery.negative_node, resistance_mohm=SHORT_MOHM))
        if branch.id not in solver.protectors:
            return None
        found = solver.solve(frozenset())
        amps = abs(found.current_a[branch.id])
        if worst is None or amps > worst.current_a:
            worst = _Behind(solver, found, amps)
    return worst


def prospective_a(circuit: Circuit, branch: Protector) -> float:
    """Current a fuse or breaker would see with a dead short right behind it, from the stronger side [A].

    circuit, branch: the document and a fuse or breaker of it; one that is open sees nothing
    The engine is off: it is the batteries' own short-circuit current that has to be broken.
    Raises CircuitError for a circuit that cannot be computed.
    Source: the network solved with a short of 0.1 mohm to the negative post of the nearest battery.
    """
    behind = _behind(circuit, branch, graph_of(circuit.branches))
    return behind.current_a if behind else 0.0


def _part(branch: Protector) -> str:
    table = fuse_table()
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A, {table.families[branch.family].label}"
    rating = f"{branch.rating_a:g} A, " if branch.rating_a else ""
    return f"{rating}{table.breaker.label}, {'resets itself' if branch.reset == 'self' else 'reset by hand'}"


def _protected(circuit: Circuit, branch: Protector, graph: Graph) -> list[ConductorBranch]:
    """The conductors a fuse or breaker has to protect: in its own run, and on a side that no battery feeds."""
    found = {b.id: b for b in series_run(circuit, branch.id) if isinstance(b, ConductorBranch)}
    posts = {b.positive_node for b in circuit.batteries}
    for start in (branch.from_node, branch.to_node):
        seen, todo, side = {start}, [start], {}
        while todo:
            for other, way in around(graph, todo.pop()):
                if isinstance(way, FuseBranch | BreakerBranch):
                    continue
                if isinstance(way, ConductorBranch):
                    side[way.id] = way
                if other not in seen:
                    seen.add(other)
                    todo.append(other)
        if not seen & posts:
            found |= side
    return list(found.values())


def _continuous_a(circuit: Circuit) -> dict[str, float]:
    """The most each branch carries for good: at rated output, with the engine off, and at 2000 /min, everything on [A]."""
    most = dict.fromkeys((b.id for b in circuit.branches), 0.0)
    if find_ring(circuit).closes:
        most = {i: abs(a) for i, a in predict(circuit, at_rated_output(circuit)).current_a.items()}
    everything = {x.id: True for x in circuit.loads if not x.cranking}
    for rpm in (0.0, 2000.0):
        try:
            found = Engine(circuit, State(engine_rpm=rpm, chargers_on=False, loads_on=everything)).settle().solution.current_a
        except net.NoOperatingPointError:
            continue
        most = {i: max(a, abs(found.get(i, 0.0))) for i, a in most.items()}
    return most


def _load_and_cable(circuit: Circuit, branch: Protector, rated_a: float, graph: Graph) -> list[ProtectionCheck]:
    if not branch.rating_a:
        return [
            ProtectionCheck(
                "load",
                Outcome.WATCH,
                "Its rating is not known: read it off and enter it.",
                "A known rating",
                "Common practice of the trade",
            )
        ]
    share = fuse_table().continuous_share
    rating, checks = branch.rating_a, []
    if rating < rated_a * (1 - SOLVED_TO):
        outcome, words = (
            Outcome.BAD,
            f"{rating:g} A is below the {rated_a:.0f} A it has to carry: it opens in use.",
        )
    elif rating * share < rated_a * (1 - SOLVED_TO):
        outcome = Outcome.WATCH
        words = f"{rated_a:.0f} A at its most is more than {share:.0%} of {rating:g} A: it ages early under continuous duty."
    else:
        outcome, words = Outcome.GOOD, f"{rated_a:.0f} A at its most is within {share:.0%} of {rating:g} A."
    checks.append(
        ProtectionCheck(
            "load", outcome, words, f"Continuous current within {share:.0%} of the rating", "Common practice of the trade"
        )
    )
    cables = _protected(circuit, branch, graph)
    if cables:
        weakest = min(cables, key=lambda b: b.ampacity().current_a)
        allowed = weakest.ampacity()
        good = rating <= allowed.current_a
        words = (
            f"{rating:g} A {'is below' if good else 'is above'} the {allowed.current_a:.0f} A that {weakest.label} may carry"
            + ("." if good else ": the cable burns before the fuse opens.")
        )
        checks.append(ProtectionCheck("cable", Outcome.GOOD if good else Outcome.BAD, words, allowed.reason, allowed.table_label))
    return checks


def _voltage(circuit: Circuit, branch: Protector) -> list[ProtectionCheck]:
    if not isinstance(branch, FuseBranch):
        return []
    most = max(a.set_point_v for a in circuit.alternators)
    rated = fuse_table().families[branch.family].voltage_v
    good = rated >= most
    words = f"Made for {rated:g} V; the alternator charges at up to {most:g} V" + ("." if good else ": it would go on arcing.")
    return [
        ProtectionCheck(
            "voltage", Outcome.GOOD if good else Outcome.BAD, words, "Rated voltage above the charging voltage", "ISO 8820"
        )
    ]


def _breaking(branch: Protector, behind: _Behind) -> ProtectionCheck:
    most = interrupting_a(branch)
    good = behind.current_a <= most
    words = f"A dead short behind it draws {behind.current_a:.0f} A from this bank; it can break {most:.0f} A"
    words += "." if good else ": it may burst or keep arcing. Fit a family with a higher interrupting rating."
    return ProtectionCheck(
        "breaking",
        Outcome.GOOD if good else Outcome.BAD,
        words,
        "Interrupting rating above the prospective short-circuit current",
        CURVES,
    )


def _withstand(circuit: Circuit, branch: Protector, behind: _Behind, graph: Graph) -> list[ProtectionCheck]:
    band = opens_at(branch, behind.current_a)
    checks = []
    for cable in _protected(circuit, branch, graph) if math.isfinite(band.most_s) else ():
        start, end = min(WORKING_C, float(cable.insulation_c)), short_circuit_final_c(cable.insulation_c)
        k = withstand_factor(cable.material, start, end)
        bears = (k * cable.conductor.area_mm2 * cable.parallel) ** 2
        sees = behind.current_a**2 * band.most_s
        checks.append((sees / bears, cable, k, start, end))
    if not checks:
        return []
    share, cable, k, start, end = max(checks, key=lambda c: c[0])
    good = share <= 1
    words = f"By the latest it lets {share:.0%} of the energy through that {cable.label} bears" + (
        "." if good else f": the insulation passes {end:.0f} °C before it opens."
    )
    return [
        ProtectionCheck(
            "withstand",
            Outcome.GOOD if good else Outcome.BAD,
            words,
            f"I²t within k²S², k = {k:.0f} from {start:g} to {end:g} °C",
            "IEC 60364-5-54",
        )
    ]


def _rides(branch: Protector, load: _ShortLoad) -> ProtectionCheck:
    amps = load.current_a[branch.id]
    band = opens_at(branch, amps)
    good = band.least_s > load.seconds
    words = f"{load.label} sends {amps:.0f} A through it for {load.seconds:g} s; at that it {'carries on' if math.isinf(band.least_s) else 'opens no sooner than ' + seconds_in_words(band.least_s)}"
    words += "." if good else ": it may open."
    return ProtectionCheck(load.name, Outcome.GOOD if good else Outcome.BAD, words, "Short loads are ridden through", CURVES)


@dataclass(frozen=True)
class _ShortLoad:
    """A load that lasts seconds, and the current it sends through every branch."""

    name: str
    label: str
    seconds: float
    current_a: Mapping[str, float]


def _short_loads(circuit: Circuit) -> list[_ShortLoad]:
    """Cranking and inrush."""
    short = []
    still = State(engine_rpm=0, chargers_on=False)
    cases: list[tuple[str, str, float, State, dict[str, float]]] = []
    starter = next((x for x in circuit.loads if x.cranking), None)
    if starter:
        cases.append(("cranking", starter.label, CRANK_S, still.model_copy(update={"cranking": True}), {}))
    for load in circuit.loads:
        if load.inrush_a is not None:
            only = {x.id: x.id == load.id for x in circuit.loads}
            cases.append(
                ("inrush", load.label, load.inrush_s, still.model_copy(update={"loads_on": only}), {load.id: load.inrush_a})
            )
    for name, label, seconds, state, inrush in cases:
        changed = circuit
        if inrush:
            loads = tuple(
                x.model_copy(update={"current_a": inrush.get(x.id, x.current_a), "law": "current"}) if x.id in inrush else x
                for x in circuit.loads
            )
            changed = circuit.model_copy(update={"loads": loads})
        try:
            solved = Engine(changed, state).settle().solution
        except net.NoOperatingPointError:
            continue
        short.append(_ShortLoad(name, label, seconds, {i: abs(a) for i, a in solved.current_a.items()}))
    return short


def _contact(branch: ContactBranch, most_a: float, short: list[_ShortLoad]) -> ContactReview | None:
    """A rated contact: for good below its continuous rating, for seconds below that for short duty."""
    if branch.rating_a is None:
        return None
    good = most_a <= branch.rating_a
    words = f"{most_a:.0f} A at its most, rated {branch.rating_a:g} A for good" + (
        "." if good else ": it heats, and heat ruins it."
    )
    checks = [ProtectionCheck("load", Outcome.GOOD if good else Outcome.BAD, words, CONTACT_RULE, COMMON)]
    for load in short:
        amps = load.current_a.get(branch.id, 0.0)
        if amps <= CARRIED_SHARE * branch.rating_a:
            continue
        what = f"{load.label} sends {amps:.0f} A through it for {load.seconds:g} s; "
        if amps <= branch.rating_a:
            outcome, words = Outcome.GOOD, what + "that is within its continuous rating."
        elif branch.intermittent_a is None:
            outcome, words = Outcome.WATCH, what + "what it bears for a short time is not known: read it off and enter it."
        elif amps <= branch.intermittent_a:
            outcome, words = Outcome.GOOD, what + f"rated {branch.intermittent_a:g} A for short duty."
        else:
            outcome, words = Outcome.BAD, what + f"rated only {branch.intermittent_a:g} A for short duty: it welds or melts."
        checks.append(ProtectionCheck(load.name, outcome, words, CONTACT_RULE, COMMON))
    heat = most_a**2 * branch.resistance_ohm(20.0)
    return ContactReview(branch.id, branch.label, _worst(checks), most_a, heat, tuple(checks))


def _worst(checks: Iterable[ProtectionCheck]) -> Outcome:
    return max((c.outcome for c in checks), key=list(Outcome).index, default=Outcome.GOOD)


def _order(branch: Protector, behind: _Behind) -> list[ProtectionCheck]:
    """Whether the nearest opens alone: others in the way of the fault should not."""
    own = opens_at(branch, behind.current_a)
    if not math.isfinite(own.most_s):
        return []
    cleared = behind.solver.solve(frozenset({branch.id}))
    checks = []
    for other in behind.solver.protectors.values():
        amps = abs(behind.found.current_a[other.id])
        after = abs(cleared.current_a[other.id])
        if other.id == branch.id or amps < CARRIED_SHARE * behind.current_a or after > CARRIED_SHARE * amps:
            continue
        band = opens_at(other, amps)
        good = band.least_s > own.most_s
        words = f"For a short behind it, it opens within {seconds_in_words(own.most_s)}; {other.label} further up {'never does' if math.isinf(band.least_s) else 'not before ' + seconds_in_words(band.least_s)}"
        words += ": only this one opens." if good else ": both may open, and more goes dark than has to."
        checks.append(
            ProtectionCheck(
                "order",
                Outcome.GOOD if good else Outcome.WATCH,
                words,
                "The fuse nearest to the fault opens first",
                "Common practice of the trade",
            )
        )
    return checks


def review_protection(circuit: Circuit) -> ProtectionReview:
    """Ask every fuse, breaker and rated contact of a circuit everything that is asked of one.

    circuit: the document
    Returns for each its prospective short-circuit current and checks: continuous load below and cable above its rating,
    voltage, interrupting rating against this bank's short circuit, let-through energy against what its cables bear,
    cranking and inrush ridden through, and whether it opens before those further up. Contacts: continuous and short duty.
    Short circuits are those of sound cables, for a fuse has to break the most that can come.
    Raises CircuitError for a circuit that cannot be computed.
    Source: network solution; opening bands, see `mavrik.core.catalogue.fuses`; adiabatic withstand, IEC 60364-5-54.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> review = review_protection(front_battery(12)).protectors[0]
    >>> review.label, [c.name for c in review.checks]
    ('Charge fuse', ['load', 'cable', 'voltage', 'breaking', 'withstand'])
    """
    circuit, as_found = as_sound(circuit), circuit
    most_a = _continuous_a(circuit)
    graph = graph_of(circuit.branches)
    found = protectors(circuit)
    short = _short_loads(circuit)
    reviews = []
    for branch in found:
        checks = _load_and_cable(circuit, branch, most_a.get(branch.id, 0.0), graph) + _voltage(circuit, branch)
        behind = _behind(circuit, branch, graph)
        if behind:
            checks += [_breaking(branch, behind), *_withstand(circuit, branch, behind, graph)]
        carried = CARRIED_SHARE * (branch.rating_a or math.inf)
        checks += [_rides(branch, s) for s in short if s.current_a.get(branch.id, 0.0) > carried]
        if behind:
            checks += _order(branch, behind)
        amps = behind.current_a if behind else 0.0
        reviews.append(
            ProtectorReview(
                branch.id,
                branch.label,
                _part(branch),
                _worst(checks),
                amps,
                interrupting_a(branch),
                opens_at(branch, amps).words,
                tuple(checks),
            )
        )
    contacts = [
        asked
        for b in as_found.branches
        if isinstance(b, ContactBranch) and not isinstance(b, BreakerBranch) and b.conducts
        if (asked := _contact(b, most_a.get(b.id, 0.0), short)) is not None
    ]
    order = list(Outcome)
    return ProtectionReview(
        protectors=tuple(sorted(reviews, key=lambda r: -order.index(r.outcome))),
        contacts=tuple(sorted(contacts, key=lambda r: -order.index(r.outcome))),
    )
