"""Two versions of a circuit side by side, at the same current."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.drawing.pictures import Pictures, draw
from mavrik.core.findings import Findings, judge
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.procedures import Limits


@dataclass(frozen=True)
class ComparedBranch:
    """A branch before and after, at the same current."""

    branch_id: str
    label: str
    side: str
    before: str | None
    after: str | None
    drop_before_v: float | None
    drop_after_v: float | None
    allowed_before_a: float | None
    allowed_after_a: float | None
    change: str


class Comparison(Document):
    """Two versions of a circuit, branch by branch, both at the current of the second."""

    current_a: float
    branches: tuple[ComparedBranch, ...]
    feed_before_v: float
    feed_after_v: float
    return_before_v: float
    return_after_v: float
    limit_v: float
    before: Findings
    after: Findings
    pictures_before: Pictures
    pictures_after: Pictures


def compare(before: Circuit, after: Circuit, profile: LimitProfileName) -> Comparison:
    """Set a proposal beside what was found, at the proposal's current.

    before: the circuit as found, judged as if the new alternator were fitted to it
    after: the proposed circuit
    profile: limit profile
    Returns both judged without a test, sound and warmed up, and each branch with its change.
    """
    current = after.alternator.rated_a
    refitted = before.model_copy(
        update={"alternators": (before.alternator.model_copy(update={"rated_a": current}), *before.alternators[1:])}
    )
    first, second = judge(refitted, (), Limits(profile), ahead=False), judge(after, (), Limits(profile), ahead=False)
    old = {b.branch_id: b for b in first.branches}
    new = {b.branch_id: b for b in second.branches}
    rows = []
    for branch_id in (*new, *(b for b in old if b not in new)):
        a, b = old.get(branch_id), new.get(branch_id)
        known = b or a
        assert known is not None
        if a is None:
            change = "added"
        elif b is None:
            change = "removed"
        else:
            change = "kept" if before.branch(branch_id) == after.branch(branch_id) else "changed"
        rows.append(
            ComparedBranch(
                branch_id=branch_id,
                label=known.label,
                side=known.side,
                before=a.part if a else None,
                after=b.part if b else None,
                drop_before_v=abs(a.rated_drop_v) if a else None,
                drop_after_v=abs(b.rated_drop_v) if b else None,
                allowed_before_a=a.ampacity.allowed_a if a and a.ampacity else None,
                allowed_after_a=b.ampacity.allowed_a if b and b.ampacity else None,
                change=change,
            )
        )
    sides_before = {s.name: s for s in first.sides}
    sides_after = {s.name: s for s in second.sides}
    return Comparison(
        current_a=current,
        branches=tuple(rows),
        feed_before_v=sides_before["feed"].rated_drop_v,
        feed_after_v=sides_after["feed"].rated_drop_v,
        return_before_v=sides_before["return"].rated_drop_v,
        return_after_v=sides_after["return"].rated_drop_v,
        limit_v=sides_after["feed"].limit_v,
        before=first,
        after=second,
        pictures_before=draw(refitted, first),
        pictures_after=draw(after, second),
    )
