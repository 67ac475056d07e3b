"""Is a fuse made for the voltage it has to break?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import AnyBranch, FuseBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    if not isinstance(branch, FuseBranch):
        return []
    most = max(a.set_point_v for a in case.circuit.alternators)
    rated = fuse_table().families[branch.family].voltage_v
    good = rated >= most
    words = f"Made for {rated:g} V; the alternator charges at up to {most:g} V" + ("." if good else ": it would go on arcing.")
    check = ProtectionCheck(
        "voltage", Outcome.GOOD if good else Outcome.BAD, words, "Rated voltage above the charging voltage", "ISO 8820"
    )
    return [Answer(check, "fuse_voltage", f"{branch.label}: not rated for this voltage")]


VOLTAGE = Check(30, "voltage", Subject.PROTECTOR, _ask)
