"""That somebody else has looked the work over: what it was of, and whether that is still what is there."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from datetime import datetime

from mavrik.core.document import Document
from mavrik.core.fabrication.cards import LeadCard
from mavrik.core.fabrication.documents import Signature


class SignatureView(Document):
    """A signature as it is shown."""

    by: str
    at: datetime
    stands: bool
    """Whether the work is still what it was signed for."""


def mark_of(cards: Sequence[LeadCard], done: Iterable[str]) -> str:
    """A mark of what was built: it changes with every lead, lug and step, and not with the words that a program has for them.

    cards: of the leads that are made; done: ids of the steps that are done

    >>> mark_of((), ["safe"]) == mark_of((), ["safe"]), mark_of((), ["safe"]) == mark_of((), [])
    (True, False)
    """
    facts = [
        (
            card.branch_id, card.size, card.runs, round(card.cut_mm or 0.0),
            *((end.lug, end.stud, end.palm.value, end.school.value, end.contact, end.tube) for end in card.ends),
        )
        for card in cards
    ]  # fmt: skip
    return hashlib.sha256(repr((sorted(facts), sorted(done))).encode()).hexdigest()


def signature_view(signed: Signature | None, cards: Sequence[LeadCard], done: Iterable[str]) -> SignatureView | None:
    """A signature, and whether it stands; None where nobody has signed.

    signed: of the book; cards, done: as for `mark_of`
    """
    if signed is None:
        return None
    return SignatureView(by=signed.by, at=signed.at, stands=signed.mark == mark_of(cards, done))
