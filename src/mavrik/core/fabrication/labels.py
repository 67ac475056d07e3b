"""What stands on the label of a lead."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.fabrication.cards import LeadCard
from mavrik.core.protection.case import Case


class LeadLabel(Document):
    """A label to wrap round a lead; one for each end."""

    branch_id: str
    name: str
    at: str = Field(description="The point this end goes to")
    other: str = Field(description="The point the other end goes to")
    size: str
    fuse: str = Field(description="Fuse or breaker in its line, with its rating; empty: none")


def lead_labels(planned: Circuit, cards: Sequence[LeadCard]) -> tuple[LeadLabel, ...]:
    """Two labels for each run of each lead that is made, one an end.

    planned: the circuit they are of; cards: of the leads, those that cannot be made left out
    A fuse is in the line of the conductors that it has to protect, see `mavrik.core.protection.case.Case.protected`; of several the smallest.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.cards import lead_cards
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> car = front_battery(12)
    >>> [(x.at, x.fuse) for x in lead_labels(car, lead_cards(car, car, BuildBook(anew=("charge_cable",))))]
    [('Alternator stud', 'Charge fuse 125 A'), ('Fuse stud', 'Charge fuse 125 A')]
    """
    case = Case(planned)
    fuses: dict[str, tuple[float, str]] = {}
    for part in case.protectors.values():
        rating = part.rating_a or 0.0
        for lead in case.protected(part):
            if lead.id not in fuses or rating < fuses[lead.id][0]:
                fuses[lead.id] = (rating, f"{part.label} {rating:g} A" if rating else part.label)
    labels = []
    for card in (c for c in cards if not c.problem):
        first, second = (end.at for end in card.ends)
        fuse = fuses.get(card.branch_id, (0.0, ""))[1]
        for at, other in ((first, second), (second, first)) * card.runs:
            labels.append(LeadLabel(branch_id=card.branch_id, name=card.label, at=at, other=other, size=card.size, fuse=fuse))
    return tuple(labels)
