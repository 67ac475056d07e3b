"""What the readings say: the one judgement, and all that it is made of."""

from mavrik.core.findings.documents import GRAVITY, VERDICT_WORDS, BranchFinding, BranchVerdict, Findings
from mavrik.core.findings.judge import judge

__all__ = ["GRAVITY", "VERDICT_WORDS", "BranchFinding", "BranchVerdict", "Findings", "judge"]
