"""What the contacts of a disconnect make of heat, by what was measured of them where it was."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import Field

from mavrik.core.document import Document
from mavrik.core.isolation.case import Case

ROOM_C = 20.0


class ContactHeat(Document):
    """One contact, closed, with all that it carries for good."""

    branch_id: str
    label: str
    carries_a: float = Field(description="For good [A]")
    rating_a: float | None = Field(description="Continuous [A]; null: not known")
    resistance_ohm: float
    measured: bool = Field(description="Whether that was read on the vehicle; otherwise as its circuit says")
    heat_w: float


def contact_heat(case: Case, read_ohm: Mapping[str, float]) -> tuple[ContactHeat, ...]:
    """The heat that each contact makes of what it carries for good.

    case: circuit and switching; read_ohm: what was read closed, by branch id [ohm]
    Source: Joule's law.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> made = topology_of("negative").build(build_layout("front_battery", 12))
    >>> (found,) = contact_heat(Case(made.circuit, made.switching), {"isolator": 0.002})
    >>> found.measured, abs(found.heat_w - found.carries_a**2 * 0.002) < 1e-9
    (True, True)
    """
    heats = []
    for contact in case.contacts:
        amps, read = case.continuous_a[contact.id], read_ohm.get(contact.id)
        ohm = read if read is not None else contact.resistance_ohm(ROOM_C)
        heats.append(
            ContactHeat(
                branch_id=contact.id, label=contact.label, carries_a=amps, rating_a=contact.rating_a, resistance_ohm=ohm,
                measured=read is not None, heat_w=amps * amps * ohm,
            )
        )  # fmt: skip
    return tuple(heats)
