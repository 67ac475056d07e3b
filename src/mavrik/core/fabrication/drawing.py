"""Where everything is along a lead, for a drawing to scale."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.document import Document
from mavrik.core.fabrication.cards import EndCard, LeadCard

SCALES = (1, 2, 5, 10, 20, 50, 100, 200, 500)
"""One to so many: those of ISO 5455, from memory."""
LABEL_BEHIND_MM, LABEL_MM = 30.0, 37.0
"""A label begins so far behind the sleeve, where it can be read with the nut on; and is so wide. Our choice; the sheets of labels."""


class Span(Document):
    """A stretch along a lead, from the middle of its stud or post [mm]."""

    what: str
    from_mm: float
    to_mm: float


class EndDrawing(Document):
    """One end, at full size."""

    at: str
    spans: tuple[Span, ...] = Field(description="Palm, neck, barrel, bare, sleeve, label; what there is of them")


class LeadDrawing(Document):
    """A lead, straight."""

    scale: int = Field(description="One to so many, so that it goes into the room there is")
    finished_mm: float
    insulation: Span = Field(description="Where its insulation is")
    ends: tuple[EndDrawing, EndDrawing]


def lead_drawing(card: LeadCard, room_mm: float) -> LeadDrawing:
    """A lead as it is drawn.

    card: of a lead that can be made; room_mm: how long the drawing may be on paper
    Raises ValueError for a lead that cannot be made, or no room.
    Source: the card's own figures.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.cards import lead_cards
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> car = front_battery(12)
    >>> drawn = lead_drawing(lead_cards(car, car, BuildBook(anew=("charge_cable",)))[0], 170)
    >>> drawn.scale, [s.what for s in drawn.ends[0].spans]
    (10, ['palm', 'neck', 'barrel', 'bare', 'sleeve', 'label'])
    """
    if card.finished_mm is None or len(card.ends) != 2:
        raise ValueError(f"{card.label} cannot be made as it is asked: there is nothing to draw.")
    scale = next((n for n in SCALES if card.finished_mm / n <= room_mm), None)
    if scale is None:
        raise ValueError("There is no room to draw it.")
    first, second = card.ends
    return LeadDrawing(
        scale=scale, finished_mm=card.finished_mm, ends=_labelled(card.finished_mm, _end(first), _end(second)),
        insulation=Span(
            what="insulation", from_mm=first.reach_mm + first.strip_mm, to_mm=card.finished_mm - second.reach_mm - second.strip_mm
        ),
    )  # fmt: skip


def _end(end: EndCard) -> EndDrawing:
    half = (end.palm_mm or 2 * end.reach_mm) / 2
    sleeve_to = end.reach_mm + end.sleeve_mm
    spans = [
        ("palm" if end.palm_mm else "clamp", -half, half),
        ("neck", half, end.reach_mm),
        ("barrel", end.reach_mm, end.reach_mm + end.barrel_mm),
        ("bare", end.reach_mm, end.reach_mm + end.strip_mm),
        ("sleeve", end.reach_mm, sleeve_to),
        ("label", sleeve_to + LABEL_BEHIND_MM, sleeve_to + LABEL_BEHIND_MM + LABEL_MM),
    ]
    return EndDrawing(at=end.at, spans=tuple(Span(what=w, from_mm=a, to_mm=b) for w, a, b in spans if b > a))


def _labelled(finished_mm: float, first: EndDrawing, second: EndDrawing) -> tuple[EndDrawing, EndDrawing]:
    """Both labels where both have room, on a short lead one or none."""

    def without(end: EndDrawing) -> EndDrawing:
        return end.model_copy(update={"spans": tuple(s for s in end.spans if s.what != "label")})

    ends = {e: {s.what: s.to_mm for s in one.spans} for e, one in enumerate((first, second))}
    if ends[0]["label"] + ends[1]["label"] <= finished_mm:
        return first, second
    return (first if ends[0]["label"] + ends[1]["sleeve"] <= finished_mm else without(first)), without(second)
