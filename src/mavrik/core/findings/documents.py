"""What is found: of a branch, of a side, of the sums, of causes, and the one line to read first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Annotated

from pydantic import Field

from mavrik.core.circuit.ring import Side
from mavrik.core.document import Document
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.readings import Reading
from mavrik.core.procedures import Judgement, Repeat
from mavrik.core.protection.ampacities import AmpacityCheck
from mavrik.core.protection.documents import Finding, FuseFinding


class BranchVerdict(StrEnum):
    """What is said of a branch, a side, or the whole job."""

    PASS = "pass"
    EXCESS = "excess"
    FAIL = "fail"
    UNDECIDED = "undecided"
    CLOSE = "too_close_to_call"
    CHECK_PROBES = "check_probes"
    NOT_MEASURED = "not_measured"


VERDICT_WORDS: dict[BranchVerdict, str] = {
    BranchVerdict.PASS: "pass",
    BranchVerdict.EXCESS: "excess",
    BranchVerdict.FAIL: "FAIL",
    BranchVerdict.UNDECIDED: "undecided",
    BranchVerdict.CLOSE: "too close to call",
    BranchVerdict.CHECK_PROBES: "check probes",
    BranchVerdict.NOT_MEASURED: "not read",
}
"""One word for one thing, on paper as on the screen."""

GRAVITY = {
    BranchVerdict.FAIL: 0,
    BranchVerdict.CHECK_PROBES: 1,
    BranchVerdict.EXCESS: 2,
    BranchVerdict.UNDECIDED: 3,
    BranchVerdict.CLOSE: 4,
    BranchVerdict.PASS: 5,
    BranchVerdict.NOT_MEASURED: 6,
}
"""The gravest first."""


@dataclass(frozen=True)
class BranchFinding:
    """One branch: what it should lose, what it loses, what it may lose, and what it has too much."""

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
    current_a: Annotated[float, Field(description="Current during the drop test, along from_node to to_node [A]")]
    current_basis: Annotated[str, Field(description="output, clamp, fitted or model")]
    predicted_drop_v: float
    predicted_heat_w: float
    measured_drop_v: Annotated[float | None, Field(description="As read, red probe less black [V]")]
    measured_uncertainty_v: Annotated[float | None, Field(description="Expanded, coverage 2 [V]")]
    excess_ohm: Annotated[float | None, Field(description="What it has over a sound one, by all readings [ohm]; null: none says")]
    excess_low_ohm: Annotated[float | None, Field(description="Lower end of the 95 % interval [ohm]")]
    excess_high_ohm: Annotated[float | None, Field(description="Upper end [ohm]")]
    probability: Annotated[
        float | None, Field(description="That it has too much, is open or does not block; null: no reading says")
    ]
    over_limit_probability: Annotated[
        float | None,
        Field(
            description="That what it has over a sound one takes it over its limit; null: no reading says, or a sound one is over it"
        ),
    ]
    heat_w: Annotated[float | None, Field(description="Heat from the measured drop at the test current [W]; 0 of what is open")]
    excess_heat_w: float | None
    limit_v: float
    limit_rule: str
    limit_source: str
    judged_current_a: Annotated[float, Field(description="Alternator output the limit is for [A]")]
    judged_drop_v: Annotated[float | None, Field(description="Measured drop scaled to judged_current_a [V]")]
    judged_uncertainty_v: float | None
    rated_drop_v: Annotated[float, Field(description="Predicted drop at rated output, warmed up [V]")]
    sound_low_v: Annotated[
        float | None, Field(description="A sound one loses at least this in the test [V]; null: no test, or off the ring")
    ]
    sound_high_v: Annotated[float | None, Field(description="And at most this, 95 % of them")]
    verdict: BranchVerdict
    reason: str
    next_step: str
    ampacity: AmpacityCheck | None
    fuse: FuseFinding | None


@dataclass(frozen=True)
class SideFinding:
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
class Evidence:
    """One reading beside what a cause and what a sound circuit would let it be."""

    point: str
    label: str
    quantity: str
    value: float
    expected: Annotated[float, Field(description="With this cause")]
    sound: Annotated[float, Field(description="With nothing broken")]
    favours: Annotated[float, Field(description="Above 0 for the cause, below 0 against it: natural logarithm of the odds")]


@dataclass(frozen=True)
class Cause:
    """One cause with its probability and what speaks for and against it."""

    cause: Annotated[str, Field(description="kind:element")]
    kind: str
    element: str
    label: str
    advice: str
    probability: float
    magnitude: Annotated[str, Field(description="In words")]
    amount: Annotated[float | None, Field(description="In amount_unit; null where the cause has none")]
    amount_low: float | None
    amount_high: float | None
    amount_unit: str
    evidence: tuple[Evidence, ...]
    would_turn: Annotated[
        str, Field(description="The reading that would make it the likeliest, or no more so; empty: no single one")
    ] = ""
    assumes: Annotated[
        tuple[str, ...],
        Field(description="What nobody noted of a test and is otherwise than usual where this is the cause, a sentence each"),
    ] = ()


@dataclass(frozen=True)
class Undecided:
    """Branches of which one at least has too much, and the readings do not tell which; one by itself may have too much."""

    branch_ids: tuple[str, ...]
    words: str


@dataclass(frozen=True)
class DecidingPoint:
    """The one reading that would tell most about the cause next."""

    procedure: str
    point: str
    label: str
    why: str
    bits: Annotated[float, Field(description="Expected information about the cause [bit]")]


@dataclass(frozen=True)
class NextTest:
    """A procedure with readings not taken yet, and what they would tell."""

    procedure: str
    title: str
    why: str
    minutes: float
    bits: Annotated[float, Field(description="Expected information about the cause [bit]")]


class ActionKind(StrEnum):
    """What a next action is."""

    TEST = "test"
    READ = "read"
    CLAMP = "clamp"
    READ_AGAIN = "read_again"
    CHARGE = "charge"


@dataclass(frozen=True)
class NextAction:
    """One thing to do next, and what it would tell."""

    kind: ActionKind
    procedure: Annotated[str, Field(description="That holds the point; empty: none")]
    point: Annotated[str, Field(description="Empty: all of the procedure, or none")]
    element: str
    text: Annotated[str, Field(description="What to do, as a sentence")]
    short: Annotated[str, Field(description="The same in a few words, as they stand in a list")]
    why: str
    minutes: float
    bits: Annotated[float, Field(description="Expected information about the cause [bit]")]


@dataclass(frozen=True)
class Doubt:
    """A reading that no likely cause explains: more likely a slip of the probe, a range or a decimal point."""

    point: str
    label: str
    quantity: str
    value: float
    expected: Annotated[float, Field(description="With the likeliest cause")]
    probability: Annotated[float, Field(description="That it is a slip")]


@dataclass(frozen=True)
class TestFinding:
    """One procedure that was made or skipped, with what is said of each reading."""

    procedure: str
    title: str
    skipped: str
    measured_by: str
    measured_at: datetime | None
    meters: Annotated[tuple[str, ...], Field(description="Labels of the meters that read it")]
    overdue: Annotated[tuple[str, ...], Field(description="Meters whose calibration was overdue that day")]
    readings: Annotated[tuple[Reading, ...], Field(description="As they stand now, in the order of the procedure")]
    judgements: tuple[Judgement, ...]
    repeats: tuple[Repeat, ...]


@dataclass(frozen=True)
class SettledPart:
    """A part that is bad, where the readings do not tell which of several kinds of fault it has."""

    element: Annotated[str, Field(description="Id of the branch or device")]
    label: Annotated[str, Field(description="In words: that it is bad")]
    probability: Annotated[float, Field(description="That it has one of these faults at least")]
    causes: Annotated[tuple[str, ...], Field(description="Which it may be, the likeliest first, as `causes` names them")]
    advice: str


@dataclass(frozen=True)
class OneOf:
    """A few causes of different parts of which one is probably there, where the readings do not tell which."""

    causes: Annotated[tuple[str, ...], Field(description="The likeliest first, as `causes` names them")]
    probability: Annotated[float, Field(description="That it is one of them at least")]


@dataclass(frozen=True)
class NotShown:
    """A fault that is not ruled out where more likely nothing is broken: with it the readings would look no different."""

    cause: Annotated[str, Field(description="As `causes` names it")]
    label: str
    probability: float
    shown_by: Annotated[
        str, Field(description="What to do for a reading that would show it, as a sentence; empty: not looked for")
    ]


@dataclass(frozen=True)
class Headline:
    """The one line to read first, why in a few more, and what to do next."""

    verdict: BranchVerdict
    text: str
    why: tuple[str, ...]
    next_step: str
    element: Annotated[str, Field(description="Id of the branch or device it is of; empty: none")]
    reading: Annotated[
        str, Field(description="What to read next in a few words, where the next step is to read on; empty otherwise")
    ] = ""
    read_on: Annotated[bool, Field(description="Whether more has to be read before anything is mended")] = False


class Findings(Document):
    """Everything that is found of one circuit by all that was read on it: the one judgement every view is made from."""

    limit_profile: LimitProfileName
    limit_label: str
    headline: Headline
    branches: Annotated[tuple[BranchFinding, ...], Field(description="Ring order first, then the branches off the ring")]
    sides: tuple[SideFinding, ...]
    checks: tuple[SumCheck, ...]
    causes: tuple[Cause, ...]
    together: tuple[str, ...] = Field(description="Labels of several causes that explain the readings better than any one")
    nothing_broken: float = Field(
        0.0, description="Probability that nothing is broken, whatever hangs on it beside what is listed"
    )
    settled_part: SettledPart | None = Field(
        None,
        description="The part that is likeliest bad of those whose fault is not settled, and that they have one is; null: none",
    )
    one_of: OneOf | None = Field(None, description="Which few causes it is one of, where no single one is settled and no part is")
    not_shown: tuple[NotShown, ...] = Field(
        (),
        description="Faults that the readings say nothing of, where more likely nothing is broken than something; those likelier than 1 %",
    )
    undecided: tuple[Undecided, ...]
    doubtful: tuple[Doubt, ...] = Field(description="Readings to be taken again")
    not_weighed: tuple[str, ...] = Field(
        (),
        description="Labels of branches of a very large circuit whose faults were weighed beside others only: the readings pull at them least",
    )
    deciding: DecidingPoint | None
    next_tests: tuple[NextTest, ...]
    next_actions: tuple[NextAction, ...] = Field(
        description="Tests, single readings, repeats, a charge: most information a minute first"
    )
    tests: tuple[TestFinding, ...] = Field(description="What was made, in the order of the work")
    not_asked: tuple[Reading, ...] = Field(description="Readings that no procedure asks for on this circuit any more")
    parts: tuple[Finding, ...] = Field(description="Of the parts fitted and of the circuit as drawn, dangers first")
    missing: tuple[str, ...] = Field(description="What is still to be read, in words")
    readings: int = Field(description="How many readings speak about the cause")
    output_current_a: float = Field(description="Alternator output the prediction is for [A]")
    rated_current_a: float
    measured: bool = Field(description="Whether a drop test was made")
    stud_voltage_v: float
    battery_voltage_v: float
    node_voltages_v: dict[str, float] = Field(description="Predicted, against the alternator case [V]")
