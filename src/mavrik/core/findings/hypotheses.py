"""Every fault of the catalogue, put into a circuit as changes of its values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from itertools import combinations

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.joined import behind
from mavrik.core.findings.changes import AS_LOGARITHM, OF_A_UNIT, SHARES, STUCK, Change, What
from mavrik.core.findings.faults import ELEMENTS, UNKNOWN_KIND, Fault, FaultChange, fault_table, kinds_that_change
from mavrik.core.operating.bench_states import BenchState


class Unnoted(StrEnum):
    """What nobody notes of a test and goes one way or the other: no fault, but what a fault is weighed with."""

    LISTED_ALONE = "listed_alone"
    """Where a test asks for consumers nothing is on but what the document lists, however little that is."""
    LINKS_CLOSED = "links_closed"
    """Voltage links had closed before and are held by less than closes them."""


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
        _changed(circuit, change, element),
        change.middle * scale,
        change.spread if relative else change.spread * scale,
        None if states is None else frozenset(states),
        elsewhere,
        goes_with=change.goes_with,
    )


def _changed(circuit: Circuit, change: FaultChange, element: str) -> str:
    """Whose value a fault of an element changes."""
    if change.at == "main_battery":
        return circuit.battery.id
    return behind(circuit, element) if change.at == "behind" else element


def _indications(circuit: Circuit, fault: Fault, element: str) -> dict[tuple[str, str], float]:
    rated = next((a.rated_a for a in circuit.alternators if a.id == element), 1.0)
    scale = {"ripple": circuit.system_voltage_v / 12, "plate": rated}
    return {(sign, element): value * scale.get(sign, 1.0) for sign, value in fault.signs.items()}


def also_share(causes: Sequence[str]) -> float:
    """How much likelier a set of causes is than chance would bring them together: what corrodes one end corrodes others.

    causes: of the set
    """
    share = fault_table().also_share
    contacts = sum(c.split(":", 1)[0] in kinds_that_change(What.MORE_OHM) for c in causes)
    together = max(contacts - 1, 0)
    return share["resistance"] ** together * share["other"] ** (len(causes) - 1 - together)


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
