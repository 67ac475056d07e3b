"""One circuit version with everything said and drawn of it."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.assessment import Assessment, assess
from mavrik.core.circuit import Circuit, Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.loop import LoopLayout, lay_out
from mavrik.core.measurement import DropTest
from mavrik.core.probing import ProbePlan, plan_probes
from mavrik.core.staircase import Staircase, build_staircase
from mavrik.core.topology import find_ring


class Judged(Document):
    """Assessment, staircase, loop and probe plan of the same circuit and test."""

    assessment: Assessment
    staircase: Staircase
    loop: LoopLayout
    plan: ProbePlan


def judge(circuit: Circuit, test: DropTest | None, profile: LimitProfileName) -> Judged:
    """Assess a circuit, lay out both its pictures, and say where to probe.

    circuit, test, profile: as for `mavrik.core.assessment.assess`
    Raises CircuitError for a circuit that does not close.
    """
    ring = find_ring(circuit)
    assessment = assess(circuit, test, profile, ring)
    return Judged(
        assessment=assessment,
        staircase=build_staircase(circuit, ring, assessment),
        loop=lay_out(circuit, ring),
        plan=plan_probes(circuit, ring, assessment),
    )


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
    before: Judged
    after: Judged


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
    first, second = judge(refitted, None, profile), judge(after, None, profile)
    old = {b.branch_id: b for b in first.assessment.branches}
    new = {b.branch_id: b for b in second.assessment.branches}
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
            change = "kept" if a.part == b.part and a.ampacity == b.ampacity else "changed"
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
    sides_before = {s.name: s for s in first.assessment.sides}
    sides_after = {s.name: s for s in second.assessment.sides}
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
    )
