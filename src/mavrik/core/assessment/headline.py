"""The one line to read first."""

from __future__ import annotations

from mavrik.core.assessment.documents import BranchAssessment, BranchVerdict, Headline, SideAssessment, SumCheck
from mavrik.core.parts import Finding, Severity

RANK = {
    BranchVerdict.FAIL: 0,
    BranchVerdict.CHECK_PROBES: 1,
    BranchVerdict.EXCESS: 2,
    BranchVerdict.CLOSE: 3,
    BranchVerdict.PASS: 4,
    BranchVerdict.NOT_MEASURED: 5,
}


def headline(
    branches: tuple[BranchAssessment, ...],
    sides: tuple[SideAssessment, ...],
    checks: tuple[SumCheck, ...],
    findings: tuple[Finding, ...],
) -> Headline:
    """The worst thing first: readings that contradict each other, then a bad branch, a bad side, a danger, what is missing."""
    for check in checks:
        if not check.agrees:
            return Headline(
                verdict=BranchVerdict.CHECK_PROBES,
                text=check.message,
                next_step="Read the side whole and part by part again.",
                branch_id=None,
            )

    def worst(b: BranchAssessment) -> tuple[int, float]:
        return RANK[b.verdict], -(b.excess_heat_w or 0)

    seen = [b for b in branches if b.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED)]
    bad = min(seen, key=worst) if seen else None
    if bad is not None:
        return Headline(verdict=bad.verdict, text=f"{bad.label}: {bad.reason}", next_step=bad.next_step, branch_id=bad.branch_id)
    poor = min((s for s in sides), key=lambda s: RANK[s.verdict])
    if poor.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED):
        return Headline(
            verdict=poor.verdict, text=poor.reason, next_step="Measure the branches of this side one by one.", branch_id=None
        )
    missing = [b for b in branches if b.on_ring and b.verdict is BranchVerdict.NOT_MEASURED]
    grave = next((f for f in findings if f.severity is Severity.DANGER), None)
    if grave is not None:
        return Headline(
            verdict=BranchVerdict.FAIL,
            text=f"{grave.title}. {grave.why}",
            next_step="Propose a cable and fuse.",
            branch_id=grave.branch_id,
        )
    if (
        missing
        and len(missing) == sum(b.on_ring for b in branches)
        and all(s.verdict is BranchVerdict.NOT_MEASURED for s in sides)
    ):
        return Headline(
            verdict=BranchVerdict.NOT_MEASURED,
            text="No drop test yet.",
            next_step="Run the charging voltage-drop test.",
            branch_id=missing[0].branch_id,
        )
    if missing:
        names = ", ".join(b.label for b in missing)
        return Headline(
            verdict=BranchVerdict.PASS,
            text="What was measured is within its limits.",
            next_step=f"Still to read: {names}.",
            branch_id=missing[0].branch_id,
        )
    return Headline(
        verdict=BranchVerdict.PASS,
        text="Every branch and both sides are within their limits.",
        next_step="Nothing to mend in this circuit.",
        branch_id=None,
    )
