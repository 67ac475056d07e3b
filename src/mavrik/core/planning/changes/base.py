"""What a change is: one thing that can be done to a vehicle, alone or with others."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.units import Unit, UnitList
from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.circuit.editing import with_parts
from mavrik.core.planning.cost import NOTHING, Cost
from mavrik.core.planning.drive import DriveRequest, DriveView, drive_in, unit_in
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import UseRequest


@dataclass(frozen=True)
class Situation:
    """A vehicle as it was found, how it is used, and what a workshop may do about it."""

    as_found: Circuit
    """With the resistances that fit its readings, its alternator turning as its drive says."""
    use: UseRequest
    drive: DriveRequest | None
    target: SizingTarget
    """Series, fuse family, insulation and limits by which leads are sized."""
    units: UnitList
    prices: PriceList

    @cached_property
    def drive_view(self) -> DriveView | None:
        """What is known of the drive; None where nothing is, or it contradicts itself."""
        return drive_in(self.as_found, self.drive) if self.drive is not None else None

    @cached_property
    def unit(self) -> Alternator:
        """The alternator that is looked at: the drive's, otherwise the first."""
        return unit_in(self.as_found, self.drive) if self.drive else self.as_found.alternator

    def ratio_with(self, pulley_mm: float) -> float | None:
        """Shaft speed over engine speed with another pulley; None where the one that is fitted is not known."""
        if self.drive is None or self.drive.now_mm is None or self.drive_view is None:
            return None
        return self.drive_view.ratio_now * self.drive.now_mm / pulley_mm


@dataclass(frozen=True)
class Scheme:
    """A vehicle with changes made to it, before its leads are sized."""

    circuit: Circuit
    use: UseRequest
    extra: Cost = NOTHING
    """Of what a circuit does not show: the unit itself, its pulley, hours."""
    unit: Unit | None = None
    """The new one."""
    pulley_mm: float | None = None
    """Of a new pulley, or of the one that a new unit comes with."""
    sizes_leads: bool = False
    """Whether its leads are to be sized for what the alternator gives."""
    without: tuple[str, ...] = field(default=())
    """Consumers that are done without."""
    faster_idle: bool = False

    def paying(self, cost: Cost) -> Scheme:
        """With a further cost."""
        return replace(self, extra=self.extra + cost)

    def with_circuit(self, circuit: Circuit) -> Scheme:
        """On another circuit."""
        return replace(self, circuit=circuit)

    def with_alternator(self, unit_id: str, **changes: object) -> Scheme:
        """With one alternator's fields changed."""
        units = tuple(a.model_copy(update=changes) if a.id == unit_id else a for a in self.circuit.alternators)
        return self.with_circuit(with_parts(self.circuit, alternators=units))


@dataclass(frozen=True)
class Change:
    """One thing that can be done, and what it asks."""

    id: str
    """Of its kind and what it is done to: `lead:charge_cable`."""
    group: str
    """Of one group a plan takes one at most."""
    label: str
    why: str
    apply: Callable[[Scheme], Scheme]
    asks: tuple[str, ...] = ()
    """What to look at before it is done."""


@dataclass(frozen=True)
class ChangeKind:
    """A kind of change; a file of this package each, found by itself."""

    order: int
    """Changes are made in this order: what is cleaned first is not renewed after."""
    name: str
    label: str
    find: Callable[[Situation], Iterable[Change]]
    concedes: bool = False
    """It costs next to no money because the owner gives something up: taken into a plan only where that was allowed."""
