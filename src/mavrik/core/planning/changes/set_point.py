"""The regulator set to what suits the batteries that it charges."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.set_point import needs_acknowledging, set_point

LEAST_V = 0.1
"""Nearer than that nobody sets one. Our choice, no source."""


def _find(situation: Situation) -> Iterator[Change]:
    unit = situation.unit
    seen = set_point(situation.as_found)
    set_point_v = seen.proposed_v
    if (
        set_point_v is None
        or abs(set_point_v - unit.set_point_v) < LEAST_V
        or needs_acknowledging(situation.as_found, set_point_v)
    ):
        return

    def apply(scheme: Scheme) -> Scheme:
        return scheme.with_alternator(unit.id, set_point_v=set_point_v)

    why = f"{unit.set_point_v:g} V now; {seen.least_v:.1f} to {seen.most_v:.1f} V suit what it charges."
    yield Change(
        f"set_point:{unit.id}", "set_point", f"Regulator at {set_point_v:.1f} V", why, apply,
        ("Only a regulator that can be set, or another one; a computer-commanded one is told by its computer.",),
    )  # fmt: skip


SET_POINT = ChangeKind(60, "set_point", "Another set point", _find)
