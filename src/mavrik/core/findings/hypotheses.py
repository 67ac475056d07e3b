"""Every fault of the catalogue, put into a circuit as changes of its values."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache, cached_property
from itertools import combinations
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.circuit import Alternator, AnyBranch, Chemistry, Circuit, ConductorBranch
from mavrik.core.circuit.joined import behind, beside_others
from mavrik.core.operating.bench_states import BenchState


class What(StrEnum):
    """Which value of the network a change is of; each is an unknown of the fit too, `OPEN`, `OFF` and `SLOW` aside."""

    MORE_OHM = "more_ohm"
    OPEN = "open"
    SHORTED = "shorted"
    """A diode, or a way of an isolator, that conducts both ways."""
    OFF = "off"
    """A DC-DC charger that does not run."""
    SLOW = "slow"
    """The engine, where a test asks for speed."""
    EMF = "emf"
    CHARGE = "charge"
    """Of all batteries that metal joins to one: they rest at one voltage."""
    UNLEVEL = "unlevel"
    """How far a battery still is above those that metal, or a shorted way, joins it to, asleep: one feeds the other until they are level."""
    OHM_SHARE = "ohm_share"
    TAKES_SHARE = "takes_share"
    """Of its resistance while it is charged: how slowly it takes a charge."""
    DRAIN_A = "drain_a"
    CHARGED = "charged"
    """How far a battery was charged while an output was read; the other states know nothing of it."""
    SET_POINT = "set_point"
    LIMIT_SHARE = "limit_share"
    IDLE_SHARE = "idle_share"
    """Of its output at idle, beside its share at any speed."""
    FORWARD = "forward"
    """What a diode, or a way of an isolator, loses more than the forward voltage of its document."""
    SLIP = "slip"
    """What of its speed the belt loses where the unit is hardest to turn."""
    ANOTHERS_A = "anothers_a"
    """What another alternator gives while the output of the first is read."""
    MORE_LOAD_A = "more_load_a"
    """What runs with the engine and is on no list."""
    CONSUMERS_A = "consumers_a"
    """All consumers on, of a circuit whose document lists next to none."""
    KEY_ON_A = "key_on_a"
    """Ignition and exciter with the key on and the engine still."""
    LISTED_SHARE = "listed_share"
    STARTER_SHARE = "starter_share"


SHARES = frozenset({What.OHM_SHARE, What.TAKES_SHARE, What.LIMIT_SHARE, What.IDLE_SHARE, What.LISTED_SHARE, What.STARTER_SHARE})
"""Changes that multiply: as an unknown each is the natural logarithm of its amount."""

STUCK = frozenset({What.OPEN, What.SHORTED, What.OFF})
"""Changes that are there or not, however much else there is."""

OF_A_UNIT = frozenset({What.LIMIT_SHARE, What.SLIP, What.SET_POINT, What.SLOW})
"""What decides whether a unit has output to spare."""

AS_LOGARITHM = frozenset({What.MORE_OHM, What.DRAIN_A})
"""Changes that a fault has some of, however much: then an unknown by its logarithm; a sound part has about none."""


class Unnoted(StrEnum):
    """What nobody notes of a test and goes one way or the other: no fault, but what a fault is weighed with."""

    LISTED_ALONE = "listed_alone"
    """Where a test asks for consumers nothing is on but what the document lists, however little that is."""
    LINKS_CLOSED = "links_closed"
    """Voltage links had closed before and are held by less than closes them."""


@dataclass(frozen=True)
class Change:
    """One value that a fault changes."""

    what: What
    element: str
    amount: float = 0.0
    spread: float = 0.0
    """Standard deviation of the amount among vehicles that have the fault; of its natural logarithm for what is a share or a logarithm."""
    states: frozenset[BenchState] | None = None
    """Of the bench, where it is there; None: in all of them."""
    elsewhere: float = 0.0
    """What share of it there is in the others."""
    always: float = 0.0
    """What there is beside it in all of them: what the part differs by when it is sound."""

    def share_in(self, state: BenchState) -> float:
        """What share of it there is in a state of the bench."""
        return 1.0 if self.states is None or state in self.states else self.elsewhere


@dataclass(frozen=True)
class Hypothesis:
    """A cause at one magnitude."""

    causes: tuple[str, ...]
    """`kind:element`; two for two faults at once."""
    weight: float
    changes: tuple[Change, ...] = ()
    indications: Mapping[tuple[str, str], float] = field(default_factory=dict)
    """What no network says, by (sign, alternator)."""
    noticed: Mapping[str, float] = field(default_factory=dict)
    """How likely who drives it has noticed that, by what is asked; what is not in it: as likely as with nothing broken."""
    unnoted: frozenset[Unnoted] = frozenset()
    """What nobody notes of a test and is not as usual."""

    @property
    def element(self) -> str:
        """What the first of its causes is of."""
        return self.causes[0].split(":", 1)[1]

    @cached_property
    def stuck(self) -> tuple[Change, ...]:
        """What is open with it, does not run, or does not block."""
        return tuple(c for c in self.changes if c.what in STUCK)

    @cached_property
    def at_times(self) -> tuple[Change, ...]:
        """What is not there, or not all of it, in some states."""
        return tuple(c for c in self.changes if c.states is not None)

    @cached_property
    def slow(self) -> bool:
        """Whether the engine idles where a test asks for speed."""
        return any(c.what is What.SLOW for c in self.changes)


def of_a_unit(h: Hypothesis) -> bool:
    """Whether a set of causes changes whether a unit has output to spare.

    >>> of_a_unit(Hypothesis(("drain:battery",), 1.0, (Change(What.DRAIN_A, "battery", 0.6),)))
    False
    """
    return any(c.what in OF_A_UNIT for c in h.changes)


ElementKind = Literal[
    "vehicle", "branch", "contact", "conductor", "link", "way", "converter", "unit", "wound_unit", "magnet_unit", "sensed_unit", "battery",
    "lead_battery", "joined_battery", "main_battery",
]  # fmt: skip
"""Names of `ELEMENTS`."""


class FaultWords(BaseModel):
    """How something broken is called, and what to do about it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    title: str
    advice: str


class FaultChange(BaseModel):
    """One value that a kind of fault changes."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    what: What
    middle: float = 0.0
    spread: float = 0.0
    scale: Literal["", "system", "rated"] = ""
    """What the amount is a multiple of: of a 12 V system, or of the first alternator's rating."""
    at: Literal["element", "main_battery", "behind"] = "element"
    """What it is of: the element, the main battery, or the battery that a way leads to."""


class Fault(FaultWords):
    """All that is known of one kind of fault: a row of the catalogue."""

    of: ElementKind
    weight: float
    """How often it is met, over all elements of its kind."""
    changes: tuple[FaultChange, ...] = ()
    signs: dict[str, float] = {}
    """What is looked at and no network says: lamp, belt and continuity as 1 or 0, ripple of a 12 V system, the plate's amperes over the rating;
    and what of the voltage is there at the end of the sense wire."""
    noticed: dict[str, Annotated[float, Field(gt=0, lt=1)]] = {}
    """How likely who drives the vehicle has noticed that, by what is asked."""
    signs_show: Annotated[float, Field(gt=0, le=1)] = 1.0
    """How often they are seen; otherwise all looks as usual: the probe was at the wrong end of the wire, or what is broken touched just then."""
    when: tuple[tuple[BenchState, ...], ...] = ()
    """States it is there in, where it comes and goes: one of these ways or another."""
    elsewhere: float = 0.0
    looks_like: str = ""
    """Kind of fault that looks like it: tried only where that one is likely on the same element."""
    looks_like_any: str = ""
    """The same where that one is likely on any element: what is open anywhere along a way."""
    alone: bool = False
    """Never one of several: what was wrong with a test explains too much beside anything else."""
    looks_bad_factor: Annotated[float | None, Field(gt=0)] = None
    """The table's, where it is another for this kind."""
    amount: What | None = None
    """Of which change it is said how much there is."""
    part: str = ""
    """What is taken out or mended for it, one of the table's `parts`; empty: nothing that another kind of fault has in common with it."""
    on: dict[ElementKind, FaultWords] = {}
    """What is said instead where it is of one of these."""

    def words(self, circuit: Circuit, element: str) -> FaultWords:
        """What is said of it on one element of a circuit."""
        return next((words for kind, words in self.on.items() if element in ELEMENTS[kind](circuit)), self)


class FaultTable(Table):
    """The file ``faults.json``."""

    parts: dict[str, FaultWords]
    """What is mended alike, whichever of several kinds of fault it is."""
    faults: dict[str, Fault]
    noticed: dict[str, Annotated[float, Field(gt=0, lt=1)]]
    """By what is asked of who drives the vehicle: how likely he has noticed it with nothing broken."""
    usual_ripple_vpp: float
    """Of a sound rectifier in a 12 V system [V]."""
    looks_bad_factor: float
    """How many times likelier a fault is of a branch of which an end was seen to be corroded, loose or burnt."""
    also_share: dict[str, float]
    """How much likelier a further fault is beside one than on its own, of a contact and of anything else."""
    modules_asleep_a: float
    scatter: dict[str, float]
    misread_share: float
    sound_share: float
    """Of its resistance: a route measured along a loom, and cable made to a maximum resistance, are known to about this (coverage 2)."""
    joint_ohm: dict[str, tuple[float, float, float]]
    """What a sound end has beyond its document, and its standard deviation as it is made by the book and as it is found in the field, by how
    it is joined [ohm]."""
    sound_contact_share: float
    """Of its resistance: a fuse, a switch and a joint differ by this from one to the next (coverage 2)."""
    tolerances: dict[str, tuple[float, float]]
    """Middle and standard deviation of what a sound vehicle differs by from its document, by unknown."""
    probably: float
    """What is at least so likely is called so; what is between it and its complement is undecided."""
    misread_range: dict[str, float]


def fault_table() -> FaultTable:
    """The catalogue, from the data file that says where its figures come from."""
    return load_table("faults", FaultTable)


UNKNOWN_KIND, UNLISTED_KIND = "unknown", "unlisted_load"
MENDS_NOTHING = frozenset({UNLISTED_KIND, "unlevel"})
"""Kinds that send nobody to mend anything, and hold beside whatever is broken."""

OF_THE_TEST = frozenset({"slow_engine", "glow_plugs"})
"""Kinds that are a test's, and no part's fault."""

NOTHING = "none:"
"""The cause of a circuit with nothing broken."""


def carrying(circuit: Circuit) -> list[AnyBranch]:
    """Branches that may have too much resistance: all that conduct, the contacts of a link and the ways of an isolator among them.

    circuit: the document
    """
    return [b for b in circuit.branches if b.conducts]


def ways_of(circuit: Circuit) -> list[AnyBranch]:
    """Diodes and ways of an isolator: what voltage works and nobody sets.

    circuit: the document
    """
    return [b for b in carrying(circuit) if b.by_voltage and not b.settable]


def _links(circuit: Circuit) -> list[str]:
    """Contacts that voltage works."""
    return [b.id for b in circuit.branches if b.by_voltage and b.settable]


def _contacts(circuit: Circuit) -> list[str]:
    """What may be open by itself: fuses, switches and relays, and ways of an isolator; a link that stays open is a kind of its own."""
    by_hand = [b.id for b in carrying(circuit) if (b.protects or b.settable) and not b.by_voltage]
    return by_hand + [b.id for b in ways_of(circuit)]


def _units(circuit: Circuit, fits: Callable[[Alternator], bool]) -> list[str]:
    return [a.id for a in circuit.alternators if fits(a)]


ELEMENTS: dict[str, Callable[[Circuit], list[str]]] = {
    "vehicle": lambda c: [""],
    "branch": lambda c: [b.id for b in carrying(c)],
    "contact": _contacts,
    "conductor": lambda c: [b.id for b in carrying(c) if isinstance(b, ConductorBranch)],
    "link": _links,
    "way": lambda c: [b.id for b in ways_of(c)],
    "converter": lambda c: [x.id for x in c.converters],
    "unit": lambda c: _units(c, lambda a: True),
    "wound_unit": lambda c: _units(c, lambda a: a.kind != "permanent_magnet"),
    "magnet_unit": lambda c: _units(c, lambda a: a.kind == "permanent_magnet"),
    "sensed_unit": lambda c: _units(c, lambda a: bool(a.sense_positive_node) and a.sense_positive_node != a.stud_node),
    "battery": lambda c: [b.id for b in c.batteries],
    "lead_battery": lambda c: [b.id for b in c.batteries if b.chemistry is not Chemistry.LIFEPO4],
    "joined_battery": beside_others,
    "main_battery": lambda c: [c.battery.id],
}
"""What of a circuit a kind of fault can be of."""


def hypotheses(circuit: Circuit, looked_for: bool = False) -> list[Hypothesis]:
    """All single faults of a circuit, each at its middle magnitude, and the circuit with nothing broken first.

    circuit: the document; an end that looks corroded, loose or burnt makes its branch more suspect
    looked_for: whether signs were that do not always show; then a fault with such comes twice, with and without
    Source: the catalogue's data file.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = hypotheses(front_battery(12))
    >>> found[0].causes, len({h.causes for h in found}) > 15
    (('none:',), True)
    """
    suspects = []
    for kind, fault in fault_table().faults.items():
        if kind == UNKNOWN_KIND:
            continue
        elements = ELEMENTS[fault.of](circuit)
        share = _shares(circuit, elements, fault.looks_bad_factor or fault_table().looks_bad_factor)
        for element in elements:
            cause = (f"{kind}:{element}",)
            for states in fault.when or (None,):
                changes = tuple(_change(circuit, c, element, states, fault.elsewhere) for c in fault.changes)
                weight = fault.weight * share[element] / max(len(fault.when), 1)
                shows = fault.signs_show if looked_for else 1.0
                signs = _indications(circuit, fault, element)
                suspects.append(Hypothesis(cause, weight * shows, changes, signs, fault.noticed))
                if shows < 1:
                    suspects.append(Hypothesis(cause, weight * (1 - shows), changes, {}, fault.noticed))
    return suspects


def _shares(circuit: Circuit, elements: Sequence[str], factor: float) -> dict[str, float]:
    """How a kind's weight is shared by the elements that may have it: an end that looks bad makes its branch so much more suspect."""
    bad = {b.id for b in circuit.branches if b.looks_bad}
    looks = {e: factor if e in bad else 1.0 for e in elements}
    return {e: k / sum(looks.values()) for e, k in looks.items()}


def _change(circuit: Circuit, change: FaultChange, element: str, states: Sequence[BenchState] | None, elsewhere: float) -> Change:
    """A change of the catalogue on one element, at its middle magnitude."""
    scale = {"": 1.0, "system": circuit.system_voltage_v / 12, "rated": circuit.alternator.rated_a}[change.scale]
    relative = change.what in SHARES or change.what in AS_LOGARITHM
    return Change(
        change.what,
        {"element": lambda: element, "main_battery": lambda: circuit.battery.id, "behind": lambda: behind(circuit, element)}[
            change.at
        ](),
        change.middle * scale,
        change.spread if relative else change.spread * scale,
        None if states is None else frozenset(states),
        elsewhere,
    )


def _indications(circuit: Circuit, fault: Fault, element: str) -> dict[tuple[str, str], float]:
    rated = next((a.rated_a for a in circuit.alternators if a.id == element), 1.0)
    scale = {"ripple": circuit.system_voltage_v / 12, "plate": rated}
    return {(sign, element): value * scale.get(sign, 1.0) for sign, value in fault.signs.items()}


@cache
def _kinds(what: What) -> frozenset[str]:
    return frozenset(kind for kind, f in fault_table().faults.items() if any(c.what is what for c in f.changes))


def is_too_much(cause: str, branch_id: str) -> bool:
    """Whether a cause says that a branch has too much resistance, always or at times.

    >>> is_too_much("intermittent:feed", "feed"), is_too_much("open:feed", "feed")
    (True, False)
    """
    kind, element = cause.split(":", 1)
    return element == branch_id and kind in _kinds(What.MORE_OHM)


def is_open(cause: str, branch_id: str) -> bool:
    """Whether a cause says that a branch is open, or not there.

    >>> is_open("missing:strap", "strap"), is_open("resistance:strap", "strap")
    (True, False)
    """
    kind, element = cause.split(":", 1)
    return element == branch_id and kind in _kinds(What.OPEN)


def also_share(causes: Sequence[str]) -> float:
    """How much likelier a set of causes is than chance would bring them together: what corrodes one end corrodes others.

    causes: of the set
    """
    share = fault_table().also_share
    contacts = sum(c.split(":", 1)[0] in _kinds(What.MORE_OHM) for c in causes)
    together = max(contacts - 1, 0)
    return share["resistance"] ** together * share["other"] ** (len(causes) - 1 - together)


def is_shorted(cause: str, branch_id: str) -> bool:
    """Whether a cause says that a diode, or a way of an isolator, conducts both ways.

    >>> is_shorted("way_shorted:way", "way"), is_shorted("open:way", "way")
    (True, False)
    """
    kind, element = cause.split(":", 1)
    return element == branch_id and kind in _kinds(What.SHORTED)


def is_bad(cause: str, branch_id: str) -> bool:
    """Whether a cause says that a branch has too much resistance, is open or does not block.

    >>> is_bad("missing:strap", "strap"), is_bad("drain:battery", "strap")
    (True, False)
    """
    return is_too_much(cause, branch_id) or is_open(cause, branch_id) or is_shorted(cause, branch_id)


def contradictory(causes: Sequence[str]) -> bool:
    """Whether two of some causes change the same thing up and down, and nothing else shows either, as a regulator that is set low and high
    at once: that is no two faults, but one in between. Or whether a lead that is open or gone has too much resistance as well, or an
    isolator's way that is shorted is open.

    causes: of a set

    >>> [contradictory(("regulator_low:unit", other)) for other in ("regulator_high:unit", "regulator_high:unit_2", "sense_open:unit")]
    [True, False, False]
    >>> [contradictory(("missing:strap", other)) for other in ("resistance:strap", "resistance:lead")]
    [True, False]
    """

    def against(first: str, second: str) -> bool:
        (one, here), (other, there) = (c.split(":", 1) for c in (first, second))
        ups, downs = fault_table().faults[one], fault_table().faults[other]
        if here != there:
            return False
        ways = [{c.what for c in fault.changes} for fault in (ups, downs)]
        if any(What.OPEN in way for way in ways) and all(way & {What.OPEN, What.SHORTED, What.MORE_OHM} for way in ways):
            return True
        if ups.signs or downs.signs:
            return False
        return any(a.what is b.what and a.middle * b.middle < 0 for a in ups.changes for b in downs.changes)

    return any(against(*two) for two in combinations(causes, 2))


def _noticed_of_both(first: Mapping[str, float], second: Mapping[str, float]) -> dict[str, float]:
    """What is noticed of two faults: either is, or what would be with nothing broken."""
    usual = fault_table().noticed

    def missed(asked: str) -> float:
        # What both have in common counts once.
        return (1 - first.get(asked, usual[asked])) * (1 - second.get(asked, usual[asked])) / (1 - usual[asked])

    return {asked: 1 - missed(asked) for asked in first.keys() | second.keys()}


def both(first: Hypothesis, second: Hypothesis) -> Hypothesis:
    """Two faults at once.

    first, second: of different causes
    """
    causes = (*first.causes, *second.causes)
    return Hypothesis(
        causes,
        first.weight * second.weight * also_share(causes),
        first.changes + second.changes,
        {**first.indications, **second.indications},
        _noticed_of_both(first.noticed, second.noticed),
        first.unnoted | second.unnoted,
    )
