"""What an assessment says: of a branch, of a side, of the sums, and the one line to read first."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from pydantic import Field

from mavrik.core.circuit import Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.parts import AmpacityCheck, Finding, FuseCheck
from mavrik.core.topology import Side


class BranchVerdict(StrEnum):
    """What is said of a branch."""

    PASS = "pass"
    EXCESS = "excess"
    FAIL = "fail"
    CLOSE = "too_close_to_call"
    CHECK_PROBES = "check_probes"
    NOT_MEASURED = "not_measured"


VERDICT_WORDS: dict[BranchVerdict, str] = {
    BranchVerdict.PASS: "pass",
    BranchVerdict.EXCESS: "excess",
    BranchVerdict.FAIL: "FAIL",
    BranchVerdict.CLOSE: "too close to call",
    BranchVerdict.CHECK_PROBES: "check probes",
    BranchVerdict.NOT_MEASURED: "not read",
}
"""One word for one thing, on paper as on the screen."""


@dataclass(frozen=True)
class BranchAssessment:
    """One branch: what it should lose, what it loses, what it may lose."""

    branch_id: str
    label: str
    kind: str
    part: Annotated[str, Field(description="Size or rating in words")]
    side: Side
    on_ring: bool
    from_node: str
    to_node: str
    length_m: float | None
    temperature_c: Annotated[float, Field(description="Conductor temperature the resistance is for [degC]")]
    resistance_ohm: Annotated[float, Field(description="Resistance in sound condition [ohm]")]
    current_a: Annotated[float, Field(description="Current during the test, along from_node to to_node [A]")]
    current_basis: Annotated[str, Field(description="output, model_split or clamp")]
    predicted_drop_v: float
    predicted_heat_w: float
    measured_drop_v: float | None
    measured_uncertainty_v: Annotated[float | None, Field(description="Expanded, coverage 2 [V]")]
    measured_resistance_ohm: float | None
    excess_resistance_ohm: Annotated[float | None, Field(description="Measured less sound resistance [ohm]")]
    excess_uncertainty_ohm: float | None
    heat_w: Annotated[float | None, Field(description="Heat from the measured drop at the test current [W]")]
    excess_heat_w: float | None
    limit_v: float
    limit_rule: str
    limit_source: str
    judged_current_a: Annotated[float, Field(description="Alternator output the limit is for [A]")]
    judged_drop_v: Annotated[float | None, Field(description="Measured drop scaled to judged_current_a [V]")]
    judged_uncertainty_v: float | None
    rated_drop_v: Annotated[float, Field(description="Predicted drop at rated output, warmed up [V]")]
    verdict: BranchVerdict
    reason: str
    next_step: str
    ampacity: AmpacityCheck | None
    fuse: FuseCheck | None


@dataclass(frozen=True)
class SideAssessment:
    """A side, or the whole circuit."""

    name: Annotated[str, Field(description="feed, return or whole")]
    predicted_drop_v: float
    rated_drop_v: float
    measured_drop_v: float | None
    basis: Annotated[str, Field(description="reading, parts, voltages, sides or none")]
    measured_uncertainty_v: float | None
    judged_drop_v: float | None
    judged_uncertainty_v: float | None
    limit_v: float
    limit_rule: str
    limit_source: str
    verdict: BranchVerdict
    reason: str


@dataclass(frozen=True)
class SumCheck:
    """The parts against the whole: do they agree within what the meter can explain?"""

    name: str
    parts_v: float
    whole_v: float
    difference_v: float
    allowance_v: float
    agrees: bool
    message: str


@dataclass(frozen=True)
class Headline:
    """The one line to read first, and what to do next."""

    verdict: BranchVerdict
    text: str
    next_step: str
    branch_id: str | None


class Assessment(Document):
    """Everything said about one circuit and one test."""

    limit_profile: LimitProfileName
    limit_label: str
    output_current_a: Annotated[float, Field(description="Alternator output the prediction is for [A]")]
    rated_current_a: float
    measured: Annotated[bool, Field(description="Whether a test was given")]
    stud_voltage_v: float
    battery_voltage_v: float
    branches: Annotated[tuple[BranchAssessment, ...], Field(description="Ring order first, then the branches off the ring")]
    sides: tuple[SideAssessment, ...]
    checks: tuple[SumCheck, ...]
    findings: tuple[Finding, ...]
    node_voltages_v: Annotated[dict[str, float], Field(description="Predicted, against the alternator case [V]")]
    headline: Headline
