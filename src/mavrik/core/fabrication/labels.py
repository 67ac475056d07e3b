"""What stands on the label of a lead, and the address behind its code."""

from __future__ import annotations

import re
from collections.abc import Sequence
from urllib.parse import quote, unquote

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.fabrication.cards import LeadCard
from mavrik.core.protection.case import Case

_PATH = re.compile(r"(?:^|/)lead/([^/?#]{1,60})/([a-z][a-z0-9_]{0,39})$")


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
    found = []
    for card in (c for c in cards if not c.problem):
        first, second = (end.at for end in card.ends)
        fuse = fuses.get(card.branch_id, (0.0, ""))[1]
        for at, other in ((first, second), (second, first)) * card.runs:
            found.append(LeadLabel(branch_id=card.branch_id, name=card.label, at=at, other=other, size=card.size, fuse=fuse))
    return tuple(found)


def lead_address(base: str, job_number: str, branch_id: str) -> str:
    """What the code on a label says: where the lead's page is.

    base: of the workshop's server, as a browser reaches it; empty: not known, the code is read by the program alone

    >>> lead_address("http://bench.example:8642/", "26-0003", "charge_cable")
    'http://bench.example:8642/lead/26-0003/charge_cable'
    """
    return f"{base.rstrip('/')}/lead/{quote(job_number, safe='')}/{branch_id}"


def lead_at(address: str) -> tuple[str, str] | None:
    """The job's number and the lead of a code; None for a code of something else.

    address: what was read, from whichever server it was printed

    >>> lead_at("http://bench.example:8642/lead/26-0003/charge_cable"), lead_at("http://bench.example/charge_cable")
    (('26-0003', 'charge_cable'), None)
    """
    found = _PATH.search(address.strip())
    return (unquote(found[1]), found[2]) if found else None
