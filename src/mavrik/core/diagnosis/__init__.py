"""From readings to causes: every fault of the catalogue put into the job's own circuit, solved, and compared."""

from mavrik.core.diagnosis.hypotheses import NOTHING, Change, Hypothesis, What, fault_table, hypotheses
from mavrik.core.diagnosis.predictions import BenchModel
from mavrik.core.diagnosis.rank import Cause, Diagnosis, Evidence, NextTest, diagnose

__all__ = [
    "NOTHING",
    "BenchModel",
    "Cause",
    "Change",
    "Diagnosis",
    "Evidence",
    "Hypothesis",
    "NextTest",
    "What",
    "diagnose",
    "fault_table",
    "hypotheses",
]
