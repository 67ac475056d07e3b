"""Every fault of the catalogue, put into a circuit as changes of its values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from mavrik.core.circuit import (
    BreakerBranch,
    Circuit,
    ConductorBranch,
    ContactBranch,
    DiodeBranch,
    FuseBranch,
    LinkBranch,
    RelayBranch,
    SwitchBranch,
    TerminationCondition,
)
from mavrik.core.procedures.states import IDLE_RPM
from mavrik.core.sources import source_table
from mavrik.core.tables import Table, load_table


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
    signs: Mapping[tuple[str, str], float] = field(default_factory=dict)
    """What no network says, by (sign, alternator)."""


class FaultTable(Table):
    """The file ``faults.json``."""

    weights: dict[str, float]
    looks_bad_factor: float
    resistance_mohm: tuple[float, ...]
    weak_battery_ohm_share: tuple[float, ...]
    drain_a: tuple[float, ...]
    dead_cell_v: float
    regulator_low_v: tuple[float, ...]
    regulator_high_v: tuple[float, ...]
    under_rated_share: tuple[float, ...]
    shorted_diode_drain_a: float
    modules_asleep_a: float
    ripple_vpp: dict[str, float]
    slipping_shaft_share: float
    """What of its speed the shaft has left."""
    scatter: dict[str, float]
    misread_share: float
    misread_range: dict[str, float]
    words: dict[str, tuple[str, str]]


def fault_table() -> FaultTable:
    """The catalogue, from the data file that says where its figures come from."""
    return load_table("faults", FaultTable)


NOTHING = "none:"
"""The cause of a circuit with nothing broken."""

BAD_LOOKS = (TerminationCondition.CORRODED, TerminationCondition.LOOSE, TerminationCondition.HEAT_DAMAGED)


def _spread(
    kind: str, element: str, weight: float, made: Iterable[tuple[tuple[Change, ...], Mapping[tuple[str, str], float]]]
) -> list[Hypothesis]:
    rows = list(made)
    return [Hypothesis((f"{kind}:{element}",), weight / len(rows), changes, signs) for changes, signs in rows]


def hypotheses(circuit: Circuit) -> list[Hypothesis]:
    """All single faults of a circuit at a grid of magnitudes, and the circuit with nothing broken first.

    circuit: the document; an end that looks corroded, loose or burnt makes its branch more suspect
    Source: the catalogue's data file.

    >>> from mavrik.core.layouts import front_battery
    >>> found = hypotheses(front_battery(12))
    >>> found[0].causes, len({h.causes for h in found}) > 15
    (('none:',), True)
    """
    table = fault_table()
    weight, scale = table.weights, circuit.system_voltage_v / 12
    found = [Hypothesis((NOTHING,), weight["none"])]
    metal = [
        b
        for b in circuit.branches
        if b.conducts
        and isinstance(b, ConductorBranch | ContactBranch | FuseBranch)
        and not isinstance(b, DiodeBranch | LinkBranch)
    ]
    looks = {
        b.id: table.looks_bad_factor
        if isinstance(b, ConductorBranch) and (b.from_end.condition in BAD_LOOKS or b.to_end.condition in BAD_LOOKS)
        else 1.0
        for b in metal
    }
    for b in metal:
        share = weight["resistance"] * looks[b.id] / sum(looks.values())
        found += _spread(
            "resistance", b.id, share, (((Change(What.MORE_OHM, b.id, m / 1000),), {}) for m in table.resistance_mohm)
        )
    may_open = [b for b in metal if isinstance(b, FuseBranch | BreakerBranch | RelayBranch | SwitchBranch)]
    for b in may_open:
        found += _spread("open", b.id, weight["open"] / len(may_open), [((Change(What.OPEN, b.id),), {})])
    shares = source_table().fault_output_share
    units = len(circuit.alternators)
    for a in circuit.alternators:

        def one(
            kind: str, *changes: Change, signs: Mapping[tuple[str, str], float] | None = None, a_id: str = a.id
        ) -> list[Hypothesis]:
            return _spread(kind, a_id, weight[kind] / units, [(changes, signs or {})])

        def many(kind: str, what: What, amounts: Iterable[float], a_id: str = a.id) -> list[Hypothesis]:
            return _spread(kind, a_id, weight[kind] / units, [((Change(what, a_id, m),), {}) for m in amounts])

        found += one("field_open", Change(What.LIMIT_SHARE, a.id, 0.0), signs={("lamp", a.id): 0.0})
        for kind in ("diode_open", "phase_lost", "worn_brushes", "belt_slips"):
            ripple = table.ripple_vpp.get(kind)
            signs = {("ripple", a.id): ripple * scale} if ripple else {}
            if kind == "belt_slips":
                signs |= {("belt", a.id): 0.0, ("shaft", a.id): IDLE_RPM * a.pulley_ratio * table.slipping_shaft_share}
            found += one(kind, Change(What.LIMIT_SHARE, a.id, shares[kind]), signs=signs)
        found += one(
            "diode_shorted", Change(What.LIMIT_SHARE, a.id, shares["diode_shorted"]),
            Change(What.DRAIN_A, circuit.battery.id, table.shorted_diode_drain_a), signs={("ripple", a.id): table.ripple_vpp["diode_shorted"] * scale},
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


def both(first: Hypothesis, second: Hypothesis, of_none: float) -> Hypothesis:
    """Two faults at once: as likely as each beside nothing broken.

    first, second: of different causes
    of_none: weight of nothing broken
    """
    return Hypothesis(
        (*first.causes, *second.causes),
        first.weight * second.weight / of_none,
        first.changes + second.changes,
        {**first.signs, **second.signs},
    )
