"""What nobody knows of a vehicle before it is read: the unknowns of the one model, and what each is expected to be.

A vehicle differs from its document in every resistance, in how charged its batteries are and how slowly they take a charge, in what
its units give and hold, in what hangs on it. A fault is an expectation of its own for the one or two unknowns that it changes.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from mavrik.core.catalogue.sources import charging_resistance_ohm
from mavrik.core.circuit import AnyBranch, Battery, Circuit, ConductorBranch
from mavrik.core.circuit.branches.conductors import TerminationKind
from mavrik.core.circuit.joined import behind, beside_others, joined_batteries
from mavrik.core.findings.changes import AS_LOGARITHM, SHARES, Change, What
from mavrik.core.findings.faults import ELEMENTS, carrying, fault_table, ways_of
from mavrik.core.findings.hypotheses import Hypothesis, Unnoted
from mavrik.core.measuring.limits import LimitProfileName, Scope, limit_for, most_excess_ohm
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.devices import inner_ohm

Floats = NDArray[np.float64]

LEAST_SHARE = 1e-3
"""A share below this is nothing: a unit without field gives none."""

CCA_DROP_V, CCA_PER_AH, WARM_SHARE = 5.4, 7.5, 0.42
"""A 12 V battery gives its cold cranking current at 7.2 V, 5.4 V below 12.6 (SAE J537), about so many amperes an ampere-hour, and
warm it has about this share of that resistance. The last two common practice, no source."""

PER_AH_SPREAD = 0.3
"""Standard deviation of the natural logarithm of those amperes among makes: six to ten in most. Common practice, no source."""

BLANK_MOHM = float(Battery.model_fields["internal_mohm"].default)
"""What a document has where nobody entered it."""

LISTED_SHARE_WIDTH = 0.03
"""Where only what a document lists was on, so much at most of what consumers usually take is on beside it. Our choice, no source."""

UNREAD_CHARGED_V = 4.0
"""Standard deviation, of 12 V, of what a battery that nobody read at rest, or that a load bank hangs on, stands at while an output is
read, at least: what is taken there of that is anything from nothing to all. Our choice, no source."""

UNREAD_CHARGED_SHARE = 0.5
"""Of the rated output, what may be taken there beside: the bank's, or a hungry battery's. As a full one its resistance makes tens of volts
of that. Our choice, no source."""

LEVELLED_V = 0.1
"""Standard deviation, of 12 V, of how far a battery rests from one that metal joins it to and that alone was read: a selector may have been
turned since. Our choice, no source."""

FORWARD_V = 0.015
"""Standard deviation of what two isolators with transistors lose by themselves, beside the share that silicon differs by: they hold some
tens of millivolts, each make its own. Common practice, rough, no source."""

MAGNET_IDLE_SPREAD = 0.7
"""Standard deviation of the natural logarithm of what a permanent-magnet stator without a curve of its own gives at idle: the usual curve is steep there, and such stators
begin to charge anywhere between 600 and 1000 /min. Common practice, rough, no source."""

PER_UNIT = (What.SET_POINT, What.LIMIT_SHARE, What.IDLE_SHARE, What.SLIP, What.SLIP_UNLOADED)
PER_BATTERY = (What.EMF, What.OHM_SHARE, What.TAKES_SHARE, What.DRAIN_A)
IN_VOLTS = frozenset({What.EMF, What.CHARGE, What.UNLEVEL, What.CHARGED, What.SET_POINT})
OF_THE_RATING = frozenset({What.ANOTHERS_A, What.MORE_LOAD_A, What.CONSUMERS_A})


@dataclass(frozen=True)
class Unknowns:
    """The unknowns of a circuit in one row; the branches' resistances come first."""

    names: tuple[tuple[What, str], ...]
    branch_ids: tuple[str, ...]
    sound_ohm: Floats
    """Of the branches."""
    centre: Floats
    """What each is expected to be with nothing broken."""
    width: Floats
    """Standard deviation of that."""
    group_of: tuple[tuple[str, str], ...]
    """Each battery with the first of those that metal joins it to."""
    alike: Mapping[What, Sequence[Sequence[str]]]
    """As `alike_batteries` gives them; what each group has in common is the unknown of its first."""

    @classmethod
    def of(cls, circuit: Circuit, at_rest: Collection[str] = (), levelled: Collection[str] = ()) -> Unknowns:
        """Those of a circuit, its batteries as charged as is known.

        at_rest: batteries of which a reading at rest says what they stand at while an output is read
        levelled: batteries of which only one that metal joins them to was read at rest
        """
        table, metal = fault_table(), carrying(circuit)
        groups = joined_batteries(circuit)
        names = [(What.MORE_OHM, b.id) for b in metal]
        names += [(what, b.id) for what in PER_BATTERY for b in circuit.batteries]
        names += [(What.CHARGE, i) for i in dict.fromkeys(groups.values())]
        ways = ways_of(circuit)
        tied = {*beside_others(circuit), *(behind(circuit, b.id) for b in ways)}
        names += [(What.UNLEVEL, b.id) for b in circuit.batteries if b.id in tied]
        if len(circuit.batteries) > 1:
            names += [(What.CHARGED, b.id) for b in circuit.batteries]
        alike = alike_batteries(circuit)
        names += [(what, group[0]) for what, groups in alike.items() for group in groups]
        names += [(What.FORWARD, b.id) for b in ways]
        names += [(what, a.id) for what in PER_UNIT for a in circuit.alternators]
        names += [(What.ANOTHERS_A, a.id) for a in circuit.alternators[1:]]
        main = circuit.battery.id
        names += [(w, main) for w in (What.MORE_LOAD_A, What.CONSUMERS_A, What.KEY_ON_A, What.LISTED_SHARE, What.STARTER_SHARE)]
        volts, rated = circuit.system_voltage_v / 12, circuit.alternator.rated_a
        scale = dict.fromkeys(IN_VOLTS, volts) | dict.fromkeys(OF_THE_RATING, rated)
        n = len(metal)
        known = np.array([table.tolerances[str(what)] for what, _ in names[n:]])
        by = np.array([scale.get(what, 1.0) for what, _ in names[n:]])
        sound = np.array([tolerance_ohm(b, rated, circuit.system_voltage_v) for b in metal]).reshape(n, 2)
        vehicle = _Vehicle(circuit, alike, at_rest, levelled)
        for k, (what, element) in enumerate(names[n:]):
            if what in OWN_TOLERANCE:
                known[k] = OWN_TOLERANCE[what](vehicle, element)
        return cls(
            tuple(names),
            tuple(b.id for b in metal),
            np.array([b.sound_resistance_ohm(20.0) for b in metal]),
            np.concatenate((sound[:, 0], known[:, 0] * by)),
            np.concatenate((sound[:, 1], known[:, 1] * by)),
            tuple(groups.items()),
            alike,
        )

    def __len__(self) -> int:
        return len(self.names)

    def at(self, what: What, element: str) -> int | None:
        """Where one is in the row; None for one that the circuit does not have."""
        return self.place.get((what, element))

    @cached_property
    def place(self) -> dict[tuple[What, str], int]:
        """Where each is in the row."""
        return {name: k for k, name in enumerate(self.names)}

    @cached_property
    def asleep_a(self) -> dict[str, float]:
        """What sleeping modules take, by battery [A]; of those that metal joins each gives its part."""
        first = dict(self.group_of)
        joined = list(first.values())
        return {battery: fault_table().modules_asleep_a / joined.count(group) for battery, group in first.items()}

    def rows(self, suspects: Sequence[Hypothesis]) -> Floats:
        """Hypotheses at their middle magnitudes, all else as the document has it: (suspects, unknowns)."""
        rows, place = np.zeros((len(suspects), len(self))), self.place
        for row, h in zip(rows, suspects, strict=True):
            for c in h.changes:
                if (k := place.get((c.what, c.element))) is not None:
                    row[k] += as_unknown(c)
        return rows

    def priors(self, suspects: Sequence[Hypothesis]) -> tuple[Floats, Floats, NDArray[np.bool_]]:
        """What each unknown is expected to be with each hypothesis: middle, standard deviation, and which are by their logarithm.

        Two causes of one value add up, and so do the squares of what they are spread by.
        """
        count, place = len(suspects), self.place
        centre, width = np.tile(self.centre, (count, 1)), np.tile(self.width, (count, 1))
        by_logarithm = np.zeros((count, len(self)), dtype=bool)
        consumers = [k for k, (what, _) in enumerate(self.names) if what is What.CONSUMERS_A]
        for row, h in enumerate(suspects):
            if Unnoted.LISTED_ALONE in h.unnoted:
                centre[row, consumers], width[row, consumers] = 0.0, LISTED_SHARE_WIDTH * self.centre[consumers]
            for c in h.changes:
                k = place.get((c.what, c.element))
                if k is None:
                    continue
                if c.what in AS_LOGARITHM:
                    centre[row, k], width[row, k], by_logarithm[row, k] = np.log(c.amount), c.spread, True
                else:
                    centre[row, k] += as_unknown(c)
                    width[row, k] = np.hypot(width[row, k], c.spread)
        return centre, width, by_logarithm


LEAST_OF_A_FAULT = 1 / 3
"""A fault is at least this share of what it usually is: brushes that leave a unit all of its output are not worn. Our choice, no source."""


def least_of(unknowns: Unknowns, suspects: Sequence[Hypothesis]) -> tuple[Floats, Floats]:
    """Where the unknowns of each hypothesis begin to be a fault's: that value, and which side is the fault's: 1 above, -1 below, 0 where
    there is no such thing (suspects, unknowns)."""
    at, side = np.zeros((len(suspects), len(unknowns))), np.zeros((len(suspects), len(unknowns)))
    for row, h in enumerate(suspects):
        for c in h.changes:
            k = unknowns.place.get((c.what, c.element))
            if k is not None and c.spread and c.what not in AS_LOGARITHM and not c.goes_with:
                at[row, k] = unknowns.centre[k] + LEAST_OF_A_FAULT * as_unknown(c)
                side[row, k] = np.sign(as_unknown(c))
    return at, side


def as_unknown(change: Change) -> float:
    """A change's amount as its unknown has it: a share by its logarithm."""
    return float(np.log(max(change.amount, LEAST_SHARE))) if change.what in SHARES else change.amount


def alike_batteries(circuit: Circuit) -> dict[What, list[list[str]]]:
    """Batteries of one vehicle that differ less from each other than from their documents, by what they have in common: how slowly those of
    lead take a charge, and what those of one make have inside.

    circuit: the document
    """
    lead = ELEMENTS["lead_battery"](circuit)
    makes: dict[tuple[object, ...], list[str]] = {}
    for b in circuit.batteries:
        if inner_share(b)[2]:
            makes.setdefault((b.chemistry, b.capacity_ah, b.cca_a, b.internal_mohm, b.series), []).append(b.id)
    return {
        What.TAKES_ALIKE: [lead] if len(lead) > 1 else [],
        What.OHM_ALIKE: [group for group in makes.values() if len(group) > 1],
    }


NEARLY_ALL = 4.0
"""So many standard deviations of a sound one are within what may be lost."""


def tolerance_ohm(branch: AnyBranch, rated_a: float, system_voltage_v: float) -> tuple[float, float]:
    """What a sound branch has beyond its document's resistance, and the standard deviation of that [ohm].

    branch: cable and strap by length and make, and by how its ends are joined; a contact by what two of a kind differ
    rated_a, system_voltage_v: of the circuit. Joints of the field differ by more than those made by the book. As much as that is nothing
    that anybody would mend where neither a ground's limit is missed by it nor a joint gets hot; where it is, it is too much.
    Source: the catalogue's data file; the limit and the watts are common practice.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> cable = front_battery(12).branch("charge_cable")
    >>> [round(tolerance_ohm(cable, a, 12)[1] * 1000, 2) for a in (60, 300)]
    [0.26, 0.22]
    """
    table = fault_table()
    sound = branch.sound_resistance_ohm(20.0)
    if isinstance(branch, ConductorBranch):
        kinds = ["post_clamp" if e.kind is TerminationKind.POST_CLAMP else "lug" for e in (branch.from_end, branch.to_end)]
        share, beside = table.sound_share, branch.parallel
    else:
        kinds, share, beside = ["contact"], table.sound_contact_share, 1
    more, by_the_book, field = np.array([table.joint_ohm[k] for k in kinds]).T
    lost = limit_for(LimitProfileName.COMMON, Scope.GROUND, system_voltage_v).volts / rated_a - sound
    room = min(lost, most_excess_ohm(rated_a)) / NEARLY_ALL
    narrow, wide = np.linalg.norm(by_the_book), np.linalg.norm(field)
    return float(more.sum()) / beside, float(np.hypot(share * sound / COVERAGE, np.clip(room, narrow, wide)))


@dataclass(frozen=True)
class _Vehicle:
    """What some tolerances depend on."""

    circuit: Circuit
    alike: Mapping[What, Sequence[Sequence[str]]]
    at_rest: Collection[str]
    levelled: Collection[str]

    def battery(self, element: str) -> Battery:
        return next(b for b in self.circuit.batteries if b.id == element)

    def has_like(self, what: What, battery: str) -> bool:
        """Whether there are others that have something in common with a battery."""
        return any(battery in group for group in self.alike[what])


def _takes_share(vehicle: _Vehicle, battery: str) -> tuple[float, float]:
    """By itself where others are like it, otherwise all that it may differ by."""
    tolerances = fault_table().tolerances
    middle, whole = tolerances[What.TAKES_SHARE]
    common = tolerances[What.TAKES_ALIKE][1] if vehicle.has_like(What.TAKES_ALIKE, battery) else 0.0
    return middle, float(np.sqrt(whole**2 - common**2))


def _ohm_share(vehicle: _Vehicle, battery: str) -> tuple[float, float]:
    """By itself where others are like it, otherwise all that it may differ by."""
    middle, own, of_its_make = inner_share(vehicle.battery(battery))
    return middle, own if vehicle.has_like(What.OHM_ALIKE, battery) else float(np.hypot(own, of_its_make))


def _ohm_alike(vehicle: _Vehicle, battery: str) -> tuple[float, float]:
    """What those of one make have in common."""
    return 0.0, inner_share(vehicle.battery(battery))[2]


def _forward(vehicle: _Vehicle, way: str) -> tuple[float, float]:
    """A share of what it loses, and what two with transistors differ by."""
    middle, share = fault_table().tolerances[What.FORWARD]
    return middle, float(np.hypot(share * vehicle.circuit.branch(way).threshold_v, FORWARD_V))


def _charged(vehicle: _Vehicle, battery: str) -> tuple[float, float]:
    """Of one that nobody read at rest anything."""
    middle, width = fault_table().tolerances[What.CHARGED]
    if battery in vehicle.at_rest:
        return middle, width
    b = vehicle.battery(battery)
    ohm = charging_resistance_ohm(b.chemistry.value, b.state_of_charge, b.capacity_ah, b.temperature_c, inner_ohm(b))
    return middle, max(UNREAD_CHARGED_V, UNREAD_CHARGED_SHARE * vehicle.circuit.alternator.rated_a * ohm)


def _emf(vehicle: _Vehicle, battery: str) -> tuple[float, float]:
    """Of one that nobody read, but another by its side: that metal brought them to one voltage is what the drawing says."""
    middle, width = fault_table().tolerances[What.EMF]
    return middle, LEVELLED_V if battery in vehicle.levelled else width


def _idle_share(vehicle: _Vehicle, unit: str) -> tuple[float, float]:
    """Of a permanent-magnet stator without a curve of its own next to nothing is known there."""
    middle, width = fault_table().tolerances[What.IDLE_SHARE]
    of = next(a for a in vehicle.circuit.alternators if a.id == unit)
    return middle, MAGNET_IDLE_SPREAD if of.kind == "permanent_magnet" and not of.curve else width


OWN_TOLERANCE: Mapping[What, Callable[[_Vehicle, str], tuple[float, float]]] = {
    What.EMF: _emf,
    What.TAKES_SHARE: _takes_share,
    What.OHM_SHARE: _ohm_share,
    What.OHM_ALIKE: _ohm_alike,
    What.FORWARD: _forward,
    What.CHARGED: _charged,
    What.IDLE_SHARE: _idle_share,
}
"""Middle and standard deviation of what is known of one element by more than the catalogue's row, by unknown."""


def inner_share(battery: Battery) -> tuple[float, float, float]:
    """What a sound battery's internal resistance is of its document's, how widely two of one make differ, and how widely makes do: all as
    natural logarithms.

    battery: of the document; where nobody entered its resistance, what its cold cranking current or its capacity lets expect has a say
    Source: SAE J537 for what the cold cranking current means; the rest common practice, no source.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> tuple(round(x, 1) for x in inner_share(front_battery(12).battery))
    (-0.3, 0.2, 0.2)
    """
    table = fault_table()
    known = table.tolerances["ohm_share"][1]
    if battery.internal_mohm != BLANK_MOHM:
        return 0.0, known, 0.0
    amps = battery.cca_a or CCA_PER_AH * battery.capacity_ah
    off = float(np.log(WARM_SHARE * CCA_DROP_V / amps / (battery.internal_mohm / 1000)))
    return off / 2, known, float(np.hypot(0.0 if battery.cca_a else PER_AH_SPREAD, 0.4 * off))
