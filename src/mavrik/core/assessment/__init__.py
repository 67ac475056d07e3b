"""Measured against predicted and against the limit: which branch is bad, by how many milliohms and watts.

`assess` is the one thing to call; `documents` is what it returns. One file a judgement: a branch, a side, the headline.
"""

from mavrik.core.assessment.assess import assess, operating_state
from mavrik.core.assessment.branch import part_in_words
from mavrik.core.assessment.documents import (
    Assessment,
    BranchAssessment,
    BranchVerdict,
    Headline,
    SideAssessment,
    SumCheck,
)

__all__ = [
    "Assessment",
    "BranchAssessment",
    "BranchVerdict",
    "Headline",
    "SideAssessment",
    "SumCheck",
    "assess",
    "operating_state",
    "part_in_words",
]
