"""Guided changes of a circuit, a file a change: what each asks, what it draws, what else it asks to be done."""

from __future__ import annotations

from collections.abc import Sequence

from mavrik.core.circuit import Circuit
from mavrik.core.planning.guided.base import Answer, Answers, Changed, Guide, GuideProblemError, Question, checked
from mavrik.core.registry import parts_of

GUIDES: tuple[Guide, ...] = parts_of(__name__, Guide, lambda g: g.order)


def guide_of(circuit: Circuit, name: str, guides: Sequence[Guide] = GUIDES) -> Guide:
    """The guide of a name. Raises GuideProblemError where there is none, or it has no place in this circuit."""
    guide = next((g for g in guides if g.name == name), None)
    if guide is None:
        raise GuideProblemError("guide", f"There is no guided change '{name}'.")
    if reason := guide.not_here(circuit):
        raise GuideProblemError("guide", reason)
    return guide


def guided(circuit: Circuit, name: str, answers: Answers, guides: Sequence[Guide] = GUIDES) -> Changed:
    """A circuit changed as a guide does, by its answers; those left out are as usual.

    circuit: the document; name: of a guide; answers: by name of the question; guides: those of the workshop
    Raises GuideProblemError for a guide that there is none of or that has no place here, and for an answer that cannot be, at its
    question.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> made = guided(front_battery(12), "rear_battery", {"feed_m": 4.5, "ground": "direct"})
    >>> [b.label for b in made.circuit.branches if "ground" in b.id]
    ['Battery to engine']
    """
    guide = guide_of(circuit, name, guides)
    return guide.build(circuit, checked(guide, circuit, answers))


__all__ = ["GUIDES", "Answer", "Answers", "Changed", "Guide", "GuideProblemError", "Question", "guide_of", "guided"]
