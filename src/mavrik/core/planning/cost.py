"""What a change of a circuit costs: the parts that are new in it, and the hours they take."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.circuit import (
    Alternator,
    AnyBranch,
    Battery,
    BreakerBranch,
    Circuit,
    ConductorBranch,
    ContactBranch,
    Converter,
    FuseBranch,
)
from mavrik.core.operating.devices import battery_units


@dataclass(frozen=True)
class Cost:
    """Parts, and the hours to fit them."""

    parts: float
    hours: float

    def __add__(self, other: Cost) -> Cost:
        return Cost(self.parts + other.parts, self.hours + other.hours)

    def total(self, prices: PriceList) -> float:
        """With the hours paid, to the cent."""
        return round(self.parts + self.hours * prices.labour_per_h, 2)


NOTHING = Cost(0.0, 0.0)


def cable_price_per_m(area_mm2: float, prices: PriceList) -> float:
    """A metre of cable, by its copper [mm2]."""
    return prices.cable_per_m + prices.cable_per_m_mm2 * area_mm2


def lug_price(area_mm2: float, prices: PriceList) -> float:
    """A lug, by the conductor that it is made for [mm2]."""
    return prices.lug + prices.lug_per_mm2 * area_mm2


def fuse_price(fuse: FuseBranch, prices: PriceList) -> float:
    """A fuse with its holder, by its family; 0 for one that the list does not name."""
    return prices.fuse.get(fuse.family, 0.0)


def contact_price(part: ContactBranch | BreakerBranch, prices: PriceList) -> float:
    """A switch, link or relay, by its rating; 0 where none is known."""
    return prices.contact_per_a * (part.rating_a or 0.0)


def battery_price(battery: Battery, prices: PriceList) -> float:
    """One unit of a battery, by chemistry and ampere-hours; 0 for a chemistry that the list does not name."""
    return prices.battery_per_ah.get(battery.chemistry.value, 0.0) * battery.capacity_ah


def converter_price(charger: Converter, prices: PriceList) -> float:
    """A DC-DC charger, by what it gives out."""
    return prices.converter_per_a * charger.limit_a


def lead_cost(lead: ConductorBranch, prices: PriceList) -> Cost:
    """A lead made new: cable, a lug at either end of every run, cutting, crimping and laying.

    lead: as it will be; prices: the workshop's

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> cable = front_battery(12).branch("charge_cable")
    >>> round(lead_cost(cable, usual_prices()).parts, 2), cable.length_m, cable.size
    (10.29, 1.2, '25 mm2')
    """
    area = lead.conductor.area_mm2
    cable, lugs = lead.length_m * cable_price_per_m(area, prices), 2 * lug_price(area, prices)
    return Cost(lead.parallel * (cable + lugs), lead.parallel * (prices.lead_h + prices.lead_h_per_m * lead.length_m))


def fuse_cost(fuse: FuseBranch, prices: PriceList) -> Cost:
    """A fuse with its holder."""
    return Cost(fuse_price(fuse, prices), prices.fuse_h)


def _new_part(part: AnyBranch, prices: PriceList) -> Cost:
    if isinstance(part, ConductorBranch):
        return lead_cost(part, prices)
    if isinstance(part, FuseBranch):
        return fuse_cost(part, prices)
    if isinstance(part, ContactBranch | BreakerBranch):
        return Cost(contact_price(part, prices), prices.contact_h)
    return Cost(0.0, prices.clean_h)


CONDITION = ("measured_mohm", "from_end", "to_end", "condition", "label")
"""What cleaning, reading and naming change of a part; all else takes a new one."""


def is_same_part(old: AnyBranch, new: AnyBranch) -> bool:
    """Whether a branch is still the same piece of metal, cleaned or renamed at most.

    old, new: a branch before and after
    """

    def metal(part: AnyBranch) -> dict[str, object]:
        return {n: v for n, v in part if n not in CONDITION}

    return type(old) is type(new) and metal(old) == metal(new)


def branch_costs(before: Circuit, after: Circuit, prices: PriceList) -> Iterator[tuple[AnyBranch, Cost]]:
    """Every branch that is new, another one or cleaned, and what it costs.

    before, after: circuits; prices: the workshop's
    """
    known = {b.id: b for b in before.branches}
    for part in after.branches:
        old = known.get(part.id)
        if old is None or not is_same_part(old, part):
            yield part, _new_part(part, prices)
        elif old.model_copy(update={"label": part.label}) != part:
            yield part, Cost(0.0, prices.clean_h)


def circuit_cost(before: Circuit, after: Circuit, prices: PriceList) -> Cost:
    """What turns one circuit into another, its alternators apart: those have a price of their own.

    before, after: circuits, the same parts under the same ids; prices: the workshop's
    A part whose measured resistance or ends alone differ was cleaned. Batteries are paid by their ampere-hours; a set point by the hour.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> circuit_cost(front_battery(12), front_battery(12), usual_prices())
    Cost(parts=0.0, hours=0.0)
    """
    total = sum((cost for _, cost in branch_costs(before, after, prices)), NOTHING)
    known = {b.id: b for b in before.batteries}
    for battery in after.batteries:
        if known.get(battery.id) != battery:
            total += _battery_cost(after, battery, prices)
    had = {c.id for c in before.converters}
    for converter in after.converters:
        if converter.id not in had:
            total += Cost(converter_price(converter, prices), prices.converter_h)
    old_units = {a.id: a for a in before.alternators}
    reset = [
        a
        for a in after.alternators
        if a.id in old_units and old_units[a.id].set_point_v != a.set_point_v and same_unit(old_units[a.id], a)
    ]
    return total + Cost(0.0, prices.set_point_h * len(reset))


def same_unit(old: Alternator, new: Alternator) -> bool:
    """Whether an alternator is still the same one, set or turned otherwise at most."""
    return (old.rated_a, old.curve, old.label) == (new.rated_a, new.curve, new.label)


def _battery_cost(circuit: Circuit, battery: Battery, prices: PriceList) -> Cost:
    units = battery_units(circuit, battery) * battery.parallel
    return Cost(battery_price(battery, prices) * units, prices.battery_h * units)
