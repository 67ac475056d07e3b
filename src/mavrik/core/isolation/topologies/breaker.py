"""A breaker at the battery, worked by hand as a switch."""

from __future__ import annotations

from mavrik.core.circuit import BreakerBranch, Circuit
from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.isolation.documents import Control
from mavrik.core.isolation.topologies.base import Isolated, Topology, behind_contacts, contact_maker, contacts_of, usual_switching

RATING_A = 200.0
"""The largest that surface-mounted ones with a lever are commonly made for. Common practice, no source."""
BREAKER_MOHM = 0.5
"""Its bimetal and its contact. Common practice, rough, no source."""


_breaker = contact_maker(BreakerBranch, RATING_A, contact_mohm=BREAKER_MOHM)


def _build(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _breaker)
    control = Control(id="lever", label="Breaker's lever", place=ControlPlace.BATTERY)
    done = switching.model_copy(update={"controls": (control,), "contacts": contacts_of(made, behind, "lever")})
    trips = (
        "It trips on what its own curve says, cranking included: see its maker's sheet, and test it by its button once a year."
    )
    return Isolated(made, done, (*moves, trips), assumed)


BREAKER = Topology(
    22, "breaker", "A breaker as the switch",
    "A breaker with a lever in the positive, which protects the lead behind it as well: for small systems, few carry a starter.",
    _build,
)  # fmt: skip
