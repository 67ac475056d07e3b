"""Every fuse, breaker, rated contact and cable of a circuit asked everything that is asked of one."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import Circuit, ConductorBranch, ContactBranch, FuseBranch
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks import Subject, answers, subject_of
from mavrik.core.protection.documents import (
    ConductorReview,
    ContactReview,
    Outcome,
    ProtectionReview,
    ProtectorReview,
    by_severity,
    worst,
)
from mavrik.core.protection.short_circuit import Protector, interrupting_rating, opens_at, protectors
from mavrik.core.protection.sources import unfused


def _part(branch: Protector) -> str:
    table = fuse_table()
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A, {table.families[branch.family].label}"
    rating = f"{branch.rating_a:g} A, " if branch.rating_a else ""
    return f"{rating}{table.breaker.label}, {'resets itself' if branch.reset == 'self' else 'reset by hand'}"


def _protector(case: Case, branch: Protector) -> ProtectorReview:
    checks = tuple(a.check for a in answers(case, branch))
    behind = case.behind(branch)
    amps = behind.current_a if behind else 0.0
    return ProtectorReview(
        branch.id,
        branch.label,
        _part(branch),
        worst(checks),
        amps,
        interrupting_rating(branch, case.circuit.system_voltage_v)[0],
        opens_at(branch, amps).words,
        checks,
    )


def _contact(case: Case, branch: ContactBranch) -> ContactReview:
    checks, most = tuple(a.check for a in answers(case, branch)), case.continuous_a[branch.id]
    return ContactReview(branch.id, branch.label, worst(checks), most, most**2 * branch.resistance_ohm(20.0), checks)


def _conductor(case: Case, branch: ConductorBranch) -> ConductorReview:
    checks = tuple(a.check for a in answers(case, branch))
    most, allowed = case.continuous_a[branch.id], branch.ampacity().current_a
    return ConductorReview(branch.id, branch.label, branch.in_words, worst(checks), most, allowed, checks)


def review_protection(circuit: Circuit) -> ProtectionReview:
    """Ask every fuse, breaker, rated contact and cable of a circuit everything that is asked of one.

    circuit: the document
    Returns for each what `mavrik.core.protection.checks` has for it: load, cable, voltage, interrupting rating against this
    bank's short circuit, let-through energy against what its cables bear, cranking and inrush, and whether it opens before those
    further up. Short circuits are those of sound cables, for a fuse has to break the most that can come.
    Raises CircuitError for a circuit that cannot be computed.
    Source: network solution; opening bands, see `mavrik.core.catalogue.fuses`; adiabatic withstand, IEC 60364-5-54.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> review = review_protection(front_battery(12)).protectors[0]
    >>> review.label, [c.name for c in review.checks]
    ('Charge fuse', ['load', 'cable', 'voltage', 'breaking', 'withstand'])
    """
    if problems := check_circuit(circuit):
        raise CircuitError(problems)
    case, order = Case(circuit), list(Outcome)
    reviews = [_protector(case, branch) for branch in protectors(case.circuit)]
    contacts = [
        _contact(case, b)
        for b in case.as_found.branches
        if isinstance(b, ContactBranch) and subject_of(b) is Subject.CONTACT and b.conducts and b.rating_a is not None
    ]
    cables = [_conductor(case, b) for b in case.as_found.branches if isinstance(b, ConductorBranch)]
    return ProtectionReview(
        protectors=tuple(sorted(reviews, key=lambda r: -order.index(r.outcome))),
        contacts=tuple(sorted(contacts, key=lambda r: -order.index(r.outcome))),
        conductors=tuple(sorted(cables, key=lambda r: -order.index(r.outcome))),
        sources=by_severity(unfused(case.circuit)),
    )
