"""Things that can be done to a vehicle, a file a kind: what there is to do in a situation, and what it makes of the circuit."""

from __future__ import annotations

from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.registry import parts_of

CHANGE_KINDS: tuple[ChangeKind, ...] = parts_of(__name__, ChangeKind, lambda k: k.order)
"""All kinds, in the order in which changes are made."""


def changes_in(situation: Situation) -> tuple[Change, ...]:
    """Every single change that a situation offers, in the order in which they are made.

    situation: the vehicle, its use, what there is to be had
    """
    return tuple(change for kind in CHANGE_KINDS for change in kind.find(situation))


def kind_of(change_id: str) -> ChangeKind:
    """The kind of a change by its id. Raises KeyError for one that there is none of."""
    return {k.name: k for k in CHANGE_KINDS}[change_id.partition(":")[0]]


__all__ = ["CHANGE_KINDS", "Change", "ChangeKind", "Scheme", "Situation", "changes_in", "kind_of"]
