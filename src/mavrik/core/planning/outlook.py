"""A use as found and as planned: the circuit with its drive as it turns, beside what the plans make of it."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Document
from mavrik.core.planning.balance import UseView, balance
from mavrik.core.planning.drive import DriveRequest, drive_in, unit_in
from mavrik.core.planning.targets import Accepted
from mavrik.core.planning.use import UseProblemError, UseRequest, idling_faster, use_without

LEAST_RATIO, MOST_RATIO = 0.2, 10.0
"""Between which a circuit takes a pulley ratio."""

MOST_WORDS = 180


class UseAnswer(Document):
    """What a use comes to, as found and as it is planned."""

    now: UseView
    planned: UseView | None = Field(description="null where no plan changes unit, leads or drive")
    planned_by: str = Field(description="What is planned, in words")


def on_this_circuit(circuit: Circuit, request: UseRequest) -> UseRequest:
    """A use on a circuit that has changed since: a consumer whose load is gone comes on top, one whose battery is gone hangs on the first.

    circuit: as it is now; request: as it was kept
    """
    loads = {x.id for x in circuit.loads if not x.cranking}
    batteries = {b.id for b in circuit.batteries}
    consumers = tuple(
        c.model_copy(
            update={
                "load_id": c.load_id if c.load_id in loads else None,
                "battery_id": c.battery_id if c.battery_id in batteries else None,
            }
        )
        for c in request.consumers
    )
    return request.model_copy(update={"consumers": consumers})


@dataclass(frozen=True)
class BeforeAndAfter:
    """A circuit as it turns, and what the plans make of it."""

    as_found: Circuit
    planned: Circuit | None
    """None where no plan changes unit, leads or drive."""
    words: str
    new_unit: bool
    accepted: Accepted | None = None

    def use_planned(self, request: UseRequest) -> UseRequest:
        """A use on what is planned: without what is given up; what was read of the unit's output counts only where that stays."""
        assert self.planned is not None
        if self.accepted is not None:
            request = use_without(request, self.accepted.without)
            request = idling_faster(request) if self.accepted.faster_idle else request
        return on_this_circuit(self.planned, request.model_copy(update={"read": None if self.new_unit else request.read}))


def before_and_after(
    as_found: Circuit, proposed: Circuit | None, drive: DriveRequest | None, accepted: Accepted | None = None
) -> BeforeAndAfter:
    """Both, the alternator turning as the drive says: as found by tachometer or diameters, as planned with its new pulley.

    as_found, proposed: circuits, the second where one is planned; drive: what is known and wished of the pulley
    accepted: the changes that the plan is made of, where it came from comparing them
    """
    words = []
    new_unit = proposed is not None and (
        (proposed.alternator.rated_a, proposed.alternator.curve) != (as_found.alternator.rated_a, as_found.alternator.curve)
    )
    if accepted is not None:
        words.append(", ".join(accepted.labels)[:MOST_WORDS])
    elif proposed is not None:
        words.append(f"a unit of {proposed.alternator.rated_a:g} A" if new_unit else "other leads")
    if accepted is None and drive is not None and drive.new_mm is not None:
        words.append(f"a pulley of {drive.new_mm:g} mm")
    planned = turned(proposed or as_found, drive, new=True) if words else None
    return BeforeAndAfter(turned(as_found, drive, new=False), planned, " and ".join(words), new_unit, accepted)


def outlook(
    as_found: Circuit, proposed: Circuit | None, drive: DriveRequest | None, request: UseRequest, accepted: Accepted | None = None
) -> UseAnswer:
    """Whether a vehicle keeps up, as found and as it is planned.

    as_found, proposed, drive, accepted: as for `before_and_after`; request: the use
    Raises as `balance`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> seen = outlook(front_battery(12), None, DriveRequest(alternator_id="alternator", crank_mm=150, now_mm=60, new_mm=50), usual_use(front_battery(12)))
    >>> seen.planned_by, seen.planned.idle_surplus_a > seen.now.idle_surplus_a
    ('a pulley of 50 mm', True)
    """
    both = before_and_after(as_found, proposed, drive, accepted)
    now = balance(both.as_found, request)
    if both.planned is None:
        return UseAnswer(now=now, planned=None, planned_by="")
    return UseAnswer(now=now, planned=balance(both.planned, both.use_planned(request)), planned_by=both.words)


def outlook_or_none(
    as_found: Circuit, proposed: Circuit | None, drive: DriveRequest | None, request: UseRequest, accepted: Accepted | None = None
) -> UseAnswer | None:
    """As `outlook`; None where it does not add up, as what a file brings may not."""
    try:
        return outlook(as_found, proposed, drive, on_this_circuit(as_found, request), accepted)
    except (UseProblemError, CircuitError):
        return None


def turned(circuit: Circuit, drive: DriveRequest | None, new: bool) -> Circuit:
    """The circuit with its alternator driven as the kept drive says: by what was read or measured, or by the new pulley."""
    view = drive_in(circuit, drive) if drive is not None else None
    if drive is None or view is None:
        return circuit
    ratio = view.ratio_new if new and view.ratio_new is not None else view.ratio_now
    if not LEAST_RATIO < ratio <= MOST_RATIO:
        return circuit
    unit = unit_in(circuit, drive)
    units = tuple(a.model_copy(update={"pulley_ratio": ratio}) if a is unit else a for a in circuit.alternators)
    return circuit.model_copy(update={"alternators": units})
