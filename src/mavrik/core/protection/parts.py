"""Judging the parts fitted, before any reading: all checks that need no short circuit, and what they call out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch
from mavrik.core.protection.ampacities import AmpacityCheck, check_ampacity
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks import Subject, answers, subject_of
from mavrik.core.protection.documents import Finding, FuseFinding, Outcome, ProtectionCheck, by_severity
from mavrik.core.protection.placing import misplaced
from mavrik.core.protection.short_circuit import Protector, interrupting_rating
from mavrik.core.protection.sources import unfused


@dataclass(frozen=True)
class PartsReport:
    """What the parts of one circuit allow and what is called out of them."""

    ampacity: dict[str, AmpacityCheck]
    fuses: dict[str, FuseFinding]
    findings: tuple[Finding, ...]


def _fuse(case: Case, branch: Protector, checks: Sequence[ProtectionCheck]) -> FuseFinding:
    table, wrong = fuse_table(), {c.name for c in checks if c.outcome is Outcome.BAD}
    cables = [b.ampacity().current_a for b in case.protected(branch)]
    return FuseFinding(
        branch.rating_a or None,
        table.families[branch.family].label if isinstance(branch, FuseBranch) else table.breaker.label,
        interrupting_rating(branch, case.circuit.system_voltage_v)[0],
        case.continuous_a[branch.id],
        min(cables, default=None),
        "load" not in wrong,
        "cable" not in wrong,
        " ".join(c.words for c in checks if c.name in ("load", "cable")),
    )


def judge_parts(circuit: Circuit) -> PartsReport:
    """Every part of a circuit against what it has to carry.

    circuit: the document
    Returns ampacities and fuses by branch and the findings, dangers first. The same checks, and those that take a short circuit
    to be solved, make the review of the protection.
    """
    case = Case(circuit)
    fuses: dict[str, FuseFinding] = {}
    findings = [*unfused(circuit), *misplaced(circuit)]
    for branch in circuit.branches:
        of_branch = answers(case, branch, with_shorts=False)
        findings += [f for a in of_branch if (f := a.finding(branch.id)) is not None]
        if subject_of(branch) is Subject.PROTECTOR:
            assert isinstance(branch, Protector)
            fuses[branch.id] = _fuse(case, branch, [a.check for a in of_branch])
    ampacities = {b.id: check_ampacity(b, case.continuous_a[b.id]) for b in circuit.branches if isinstance(b, ConductorBranch)}
    return PartsReport(ampacities, fuses, by_severity(findings))
