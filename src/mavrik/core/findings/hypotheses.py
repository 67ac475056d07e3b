"""Every fault of the catalogue, put into a circuit as changes of its values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.circuit import Alternator, AnyBranch, Circuit


class What(StrEnum):
    """Which value of the network a change is of; each is an unknown of the fit too, `OPEN` aside."""

    MORE_OHM = "more_ohm"
    OPEN = "open"
    EMF = "emf"
    CHARGE = "charge"
    """Of all batteries that metal joins to one: they rest at one voltage."""
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

AS_LOGARITHM = frozenset({What.MORE_OHM, What.DRAIN_A})
"""Changes that a fault has some of, however much: then an unknown by its logarithm; a sound part has about none."""


@dataclass(frozen=True)
class Change:
    """One value that a fault changes."""

    what: What
    element: str
    amount: float = 0.0
    spread: float = 0.0
    """Standard deviation of the amount among vehicles that have the fault; of its natural logarithm for what is a share or a logarithm."""


@dataclass(frozen=True)
class Hypothesis:
    """A cause at one magnitude."""

    causes: tuple[str, ...]
    """`kind:element`; two for two faults at once."""
    weight: float
    changes: tuple[Change, ...] = ()
    indications: Mapping[tuple[str, str], float] = field(default_factory=dict)
    """What no network says, by (sign, alternator)."""


class FaultTable(Table):
    """The file ``faults.json``."""

    weights: dict[str, float]
    looks_bad_factor: float
    also_share: dict[str, float]
    """How much likelier a further fault is beside one than on its own, of a contact and of anything else."""
    magnitudes: dict[str, tuple[float, float]]
    """Middle and spread of each fault's amount: see `Change`; volts of a 12 V system, shares of the rating for loads."""
    modules_asleep_a: float
    ripple_vpp: dict[str, float]
    scatter: dict[str, float]
    misread_share: float
    sound_share: float
    """Of its resistance: a route measured along a loom, and cable made to a maximum resistance, are known to about this (coverage 2)."""
    joint_ohm: dict[str, tuple[float, float]]
    """What a sound end has beyond its document, and its standard deviation, by how it is joined [ohm]."""
    sound_contact_share: float
    """Of its resistance: a fuse, a switch and a joint differ by this from one to the next (coverage 2)."""
    tolerances: dict[str, tuple[float, float]]
    """Middle and standard deviation of what a sound vehicle differs by from its document, by unknown."""
    probably: float
    """What is at least so likely is called so; what is between it and its complement is undecided."""
    misread_range: dict[str, float]
    words: dict[str, tuple[str, str]]


def fault_table() -> FaultTable:
    """The catalogue, from the data file that says where its figures come from."""
    return load_table("faults", FaultTable)


NOTHING = "none:"
"""The cause of a circuit with nothing broken."""


def metal_of(circuit: Circuit) -> list[AnyBranch]:
    """Branches that may have too much resistance: closed metal and contacts, not what voltage opens and closes.

    circuit: the document
    """
    return [b for b in circuit.branches if b.conducts and not b.by_voltage]


def hypotheses(circuit: Circuit) -> list[Hypothesis]:
    """All single faults of a circuit, each at its middle magnitude, and the circuit with nothing broken first.

    circuit: the document; an end that looks corroded, loose or burnt makes its branch more suspect
    Source: the catalogue's data file.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = hypotheses(front_battery(12))
    >>> found[0].causes, len({h.causes for h in found}) > 15
    (('none:',), True)
    """
    table = fault_table()
    found = [Hypothesis((NOTHING,), table.weights["none"])]
    metal = metal_of(circuit)
    looks = {b.id: table.looks_bad_factor if b.looks_bad else 1.0 for b in metal}
    for b in metal:
        share = table.weights["resistance"] * looks[b.id] / sum(looks.values())
        found.append(Hypothesis((f"resistance:{b.id}",), share, (_change("resistance", What.MORE_OHM, b.id),)))
    may_open = [b for b in metal if b.protects or b.settable]
    for b in may_open:
        found.append(Hypothesis((f"open:{b.id}",), table.weights["open"] / len(may_open), (Change(What.OPEN, b.id),)))
    for a in circuit.alternators:
        found += _of_unit(circuit, a)
    for battery in circuit.batteries:
        found += _of_battery(circuit, battery.id)
    main, rated = circuit.battery.id, circuit.alternator.rated_a
    found.append(
        Hypothesis((f"unlisted_load:{main}",), table.weights["unlisted_load"], (_change("unlisted_load", What.MORE_LOAD_A, main, rated),))
    )  # fmt: skip
    return found


def _change(kind: str, what: What, element: str, scale: float = 1.0, of: str = "") -> Change:
    """A change at the magnitude that the catalogue has for a kind of fault.

    scale: of the amount; of: name of the magnitude, where a kind has several
    """
    middle, spread = fault_table().magnitudes[of or kind]
    relative = what in SHARES or what in AS_LOGARITHM
    return Change(what, element, middle * scale, spread if relative else spread * scale)


def _of_unit(circuit: Circuit, a: Alternator) -> list[Hypothesis]:
    """What can be wrong with an alternator, its regulator and its belt."""
    table, scale, units = fault_table(), circuit.system_voltage_v / 12, len(circuit.alternators)
    found = []

    def add(kind: str, *changes: Change, indications: Mapping[tuple[str, str], float] | None = None) -> None:
        ripple = table.ripple_vpp.get(kind)
        signs = {**(indications or {}), **({("ripple", a.id): ripple * scale} if ripple else {})}
        found.append(Hypothesis((f"{kind}:{a.id}",), table.weights[kind] / units, changes, signs))

    add("field_open", Change(What.LIMIT_SHARE, a.id, 0.0), indications={("lamp", a.id): 0.0})
    for kind in ("diode_open", "phase_lost", "worn_brushes"):
        add(kind, _change(kind, What.LIMIT_SHARE, a.id))
    add("belt_slips", _change("belt_slips", What.SLIP, a.id), indications={("belt", a.id): 0.0})
    leak = _change("diode_shorted", What.DRAIN_A, circuit.battery.id, of="diode_shorted_drain")
    add("diode_shorted", _change("diode_shorted", What.LIMIT_SHARE, a.id), leak)
    add("regulator_low", _change("regulator_low", What.SET_POINT, a.id, scale))
    add("regulator_high", _change("regulator_high", What.SET_POINT, a.id, scale))
    under = _change("under_rated", What.LIMIT_SHARE, a.id)
    add("under_rated", under, indications={("plate", a.id): under.amount * a.rated_a})
    if a.sense_positive_node and a.sense_positive_node != a.stud_node:
        add("sense_open", _change("sense_open", What.SET_POINT, a.id, scale))
    return found


def _of_battery(circuit: Circuit, battery: str) -> list[Hypothesis]:
    """What can be wrong with a battery or drain it; battery: its id."""
    weights, count = fault_table().weights, len(circuit.batteries)
    cell = (_change("dead_cell", What.EMF, battery), _change("dead_cell", What.OHM_SHARE, battery, of="dead_cell_ohm"))
    of_kind = {
        "weak_battery": (_change("weak_battery", What.OHM_SHARE, battery),),
        "dead_cell": cell,
        "drain": (_change("drain", What.DRAIN_A, battery),),
    }
    return [Hypothesis((f"{kind}:{battery}",), weights[kind] / count, changes) for kind, changes in of_kind.items()]


def also_share(causes: Sequence[str]) -> float:
    """How much likelier a set of causes is than chance would bring them together: what corrodes one end corrodes others.

    causes: of the set
    """
    share = fault_table().also_share
    contacts = sum(c.startswith("resistance:") for c in causes)
    together = max(contacts - 1, 0)
    return share["resistance"] ** together * share["other"] ** (len(causes) - 1 - together)


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
    )
