"""The catalogue of faults: what each kind of them changes, what it can be of, and how it is called."""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import cache
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.circuit import Alternator, AnyBranch, Chemistry, Circuit, ConductorBranch
from mavrik.core.circuit.joined import beside_others
from mavrik.core.findings.changes import What
from mavrik.core.operating.bench_states import BenchState

ElementKind = Literal[
    "vehicle", "branch", "contact", "conductor", "link", "way", "converter", "unit", "wound_unit", "magnet_unit", "sensed_unit", "battery",
    "lead_battery", "joined_battery", "main_battery",
]  # fmt: skip
"""Names of `ELEMENTS`."""


class OnceRead(BaseModel):
    """What to do about something broken once the test is made that would be advised first."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    points: tuple[str, ...]
    """Of its element, without its id; any of them."""
    advice: str


class FaultWords(BaseModel):
    """How something broken is called, and what to do about it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    title: str
    advice: str
    once_read: OnceRead | None = None

    def then(self, element: str, read: Collection[str]) -> str:
        """What to do about it on an element. read: ids of the points that were read"""
        later = self.once_read
        return later.advice if later and any(f"{point}:{element}" in read for point in later.points) else self.advice


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
    goes_with: bool = False
    """Whether it only goes with what is wrong, and may be missing."""


class Fault(FaultWords):
    """All that is known of one kind of fault: a row of the catalogue."""

    of: ElementKind
    weight: float
    """How often it is met, over all elements of its kind."""
    changes: tuple[FaultChange, ...] = ()
    signs: dict[str, float] = {}
    """What is looked at and no network says: lamp, belt, continuity and equal phases as 1 or 0, a tenth beyond where nobody mistakes it, ripple
    of a 12 V system, the plate's amperes over the rating; and what of the voltage is there at the end of the sense wire, and of its speed
    at the shaft."""
    noticed: dict[str, Annotated[float, Field(gt=0, lt=1)]] = {}
    """How likely who drives the vehicle has noticed that, by what is asked."""
    signs_show: Annotated[float, Field(gt=0, le=1)] = 1.0
    """How often they are seen; otherwise all looks as usual: the probe was at the wrong end of the wire, or what is broken touched just then."""
    when: tuple[tuple[BenchState, ...], ...] = ()
    """States it is there in, where it comes and goes: one of these ways or another."""
    elsewhere: float = 0.0
    looks_like: str = ""
    """Kind of fault that looks like it: tried only where that one is likely on the same element, unless it `shows_itself`."""
    shows_itself: bool = False
    """Whether some reading may show it where what it looks like is unlikely."""
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
    """Middle and standard deviation of what a sound vehicle differs by from its document, by unknown; of how slowly a battery takes a charge,
    with what it has in common with others."""
    probably: float
    """What is at least so likely is called so; what is between it and its complement is undecided."""
    misread_nothing: dict[str, float]
    """Of slips of a quantity, how many read nothing: a tachometer has lost its mark."""
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


BAD = (What.MORE_OHM, What.OPEN, What.SHORTED)
"""What may be wrong with a branch."""


@cache
def kinds_that_change(what: What) -> frozenset[str]:
    """Kinds of fault that change a value.

    what: which
    """
    return frozenset(kind for kind, f in fault_table().faults.items() if any(c.what is what for c in f.changes))


def bad_by(cause: str, branch_id: str) -> What | None:
    """What a cause says is wrong with a branch: it has too much resistance, always or at times, is open or not there, or does not block.
    None where it is of something else.

    >>> bad_by("intermittent:feed", "feed"), bad_by("missing:strap", "strap"), bad_by("way_shorted:way", "way")
    (<What.MORE_OHM: 'more_ohm'>, <What.OPEN: 'open'>, <What.SHORTED: 'shorted'>)
    >>> bad_by("drain:battery", "strap"), bad_by("open:strap", "feed")
    (None, None)
    """
    kind, element = cause.split(":", 1)
    if element != branch_id:
        return None
    return next((what for what in BAD if kind in kinds_that_change(what)), None)
