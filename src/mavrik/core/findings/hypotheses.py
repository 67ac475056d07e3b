"""Every fault of the catalogue, put into a circuit as changes of its values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from mavrik.core.catalogue.sources import source_table
from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.circuit import AnyBranch, Circuit
from mavrik.core.operating.bench_states import IDLE_RPM


class What(StrEnum):
    """Which value of the network a change is of."""

    MORE_OHM = "more_ohm"
    OPEN = "open"
    LIMIT_SHARE = "limit_share"
    SET_POINT = "set_point"
    EMF = "emf"
    OHM_SHARE = "ohm_share"
    DRAIN_A = "drain_a"


@dataclass(frozen=True)
class Change:
    """One value that a fault changes."""

    what: What
    element: str
    amount: float = 0.0


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
    resistance_mohm: tuple[float, ...]
    weak_battery_ohm_share: tuple[float, ...]
    drain_a: tuple[float, ...]
    dead_cell_v: float
    regulator_low_v: tuple[float, ...]
    regulator_high_v: tuple[float, ...]
    under_rated_share: tuple[float, ...]
    shorted_diode_drain_a: tuple[float, ...]
    """Backwards through it at rest; how much depends on the diode."""
    modules_asleep_a: float
    ripple_vpp: dict[str, float]
    slipping_shaft_share: float
    """What of its speed the shaft has left."""
    scatter: dict[str, float]
    misread_share: float
    sound_share: float
    """Of its resistance: a route measured along a loom, and cable made to a maximum resistance, are known to about this (coverage 2)."""
    sound_joint_ohm: float
    """Two sound lugs differ by this much from one pair to the next (coverage 2) [ohm]."""
    too_much_ohm: float
    """Middle of what a bad contact has too much [ohm]."""
    too_much_spread: float
    """How widely that is spread: standard deviation of its natural logarithm."""
    probably: float
    """What is at least so likely is called so; what is between it and its complement is undecided."""
    misread_range: dict[str, float]
    words: dict[str, tuple[str, str]]


def fault_table() -> FaultTable:
    """The catalogue, from the data file that says where its figures come from."""
    return load_table("faults", FaultTable)


NOTHING = "none:"
"""The cause of a circuit with nothing broken."""


def _spread(
    kind: str, element: str, weight: float, made: Iterable[tuple[tuple[Change, ...], Mapping[tuple[str, str], float]]]
) -> list[Hypothesis]:
    rows = list(made)
    return [Hypothesis((f"{kind}:{element}",), weight / len(rows), changes, indications) for changes, indications in rows]


def metal_of(circuit: Circuit) -> list[AnyBranch]:
    """Branches that may have too much resistance: closed metal and contacts, not what voltage opens and closes.

    circuit: the document
    """
    return [b for b in circuit.branches if b.conducts and not b.by_voltage]


def hypotheses(circuit: Circuit) -> list[Hypothesis]:
    """All single faults of a circuit at a grid of magnitudes, and the circuit with nothing broken first.

    circuit: the document; an end that looks corroded, loose or burnt makes its branch more suspect
    Source: the catalogue's data file.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = hypotheses(front_battery(12))
    >>> found[0].causes, len({h.causes for h in found}) > 15
    (('none:',), True)
    """
    table = fault_table()
    weight, scale = table.weights, circuit.system_voltage_v / 12
    found = [Hypothesis((NOTHING,), weight["none"])]
    metal = metal_of(circuit)
    looks = {b.id: table.looks_bad_factor if b.looks_bad else 1.0 for b in metal}
    for b in metal:
        share = weight["resistance"] * looks[b.id] / sum(looks.values())
        found += _spread(
            "resistance", b.id, share, (((Change(What.MORE_OHM, b.id, m / 1000),), {}) for m in table.resistance_mohm)
        )
    may_open = [b for b in metal if b.protects or b.settable]
    for b in may_open:
        found += _spread("open", b.id, weight["open"] / len(may_open), [((Change(What.OPEN, b.id),), {})])
    shares = source_table().fault_output_share
    units = len(circuit.alternators)
    for a in circuit.alternators:

        def one(
            kind: str, *changes: Change, indications: Mapping[tuple[str, str], float] | None = None, a_id: str = a.id
        ) -> list[Hypothesis]:
            return _spread(kind, a_id, weight[kind] / units, [(changes, indications or {})])

        def many(kind: str, what: What, amounts: Iterable[float], a_id: str = a.id) -> list[Hypothesis]:
            return _spread(kind, a_id, weight[kind] / units, [((Change(what, a_id, m),), {}) for m in amounts])

        found += one("field_open", Change(What.LIMIT_SHARE, a.id, 0.0), indications={("lamp", a.id): 0.0})
        for kind in ("diode_open", "phase_lost", "worn_brushes", "belt_slips"):
            ripple = table.ripple_vpp.get(kind)
            indications = {("ripple", a.id): ripple * scale} if ripple else {}
            if kind == "belt_slips":
                indications |= {("belt", a.id): 0.0, ("shaft", a.id): IDLE_RPM * a.pulley_ratio * table.slipping_shaft_share}
            found += one(kind, Change(What.LIMIT_SHARE, a.id, shares[kind]), indications=indications)
        found += _spread(
            "diode_shorted", a.id, weight["diode_shorted"] / units,
            [
                ((Change(What.LIMIT_SHARE, a.id, shares["diode_shorted"]), Change(What.DRAIN_A, circuit.battery.id, amps)), {("ripple", a.id): table.ripple_vpp["diode_shorted"] * scale})
                for amps in table.shorted_diode_drain_a
            ],
        )  # fmt: skip
        found += many("regulator_low", What.SET_POINT, (-v * scale for v in table.regulator_low_v))
        found += many("regulator_high", What.SET_POINT, (v * scale for v in table.regulator_high_v))
        found += _spread(
            "under_rated", a.id, weight["under_rated"] / units,
            [((Change(What.LIMIT_SHARE, a.id, m),), {("plate", a.id): m * a.rated_a}) for m in table.under_rated_share],
        )  # fmt: skip
        if a.sense_positive_node and a.sense_positive_node != a.stud_node:
            found += one("sense_open", Change(What.SET_POINT, a.id, 2.5 * scale))
    count = len(circuit.batteries)
    for battery in circuit.batteries:
        found += _spread(
            "weak_battery",
            battery.id,
            weight["weak_battery"] / count,
            (((Change(What.OHM_SHARE, battery.id, m),), {}) for m in table.weak_battery_ohm_share),
        )
        found += _spread(
            "dead_cell",
            battery.id,
            weight["dead_cell"] / count,
            [((Change(What.EMF, battery.id, -table.dead_cell_v), Change(What.OHM_SHARE, battery.id, 2.0)), {})],
        )
        found += _spread(
            "drain", battery.id, weight["drain"] / count, (((Change(What.DRAIN_A, battery.id, m),), {}) for m in table.drain_a)
        )
    return found


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
