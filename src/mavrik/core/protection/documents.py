"""What is said of parts: an answer to each thing asked, findings, and the whole review."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from pydantic import Field

from mavrik.core.document import Document

COMMON = "Common practice of the trade"


class Severity(StrEnum):
    """How much a finding matters."""

    DANGER = "danger"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True)
class Finding:
    """Something to say about a part or the circuit, with the rule behind it."""

    code: str
    severity: Severity
    branch_id: str | None
    title: str
    why: str
    rule: str
    source: str


_GRAVITY = {Severity.DANGER: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def by_severity(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Findings, the gravest first, otherwise in the order they were given."""
    return tuple(sorted(findings, key=lambda f: _GRAVITY[f.severity]))


class Outcome(StrEnum):
    """What a check says, the best first."""

    GOOD = "good"
    WATCH = "watch"
    BAD = "bad"


@dataclass(frozen=True)
class ProtectionCheck:
    """One thing asked of one part."""

    name: Annotated[str, Field(description="load, cable, voltage, breaking, withstand, cranking, inrush, short_use or order")]
    outcome: Outcome
    words: str
    rule: str
    source: str


def amperes(amps: float) -> str:
    """Amperes in words, with the digits that matter.

    >>> amperes(2.41), amperes(154.7)
    ('2.4 A', '155 A')
    """
    return f"{amps:.1f} A" if abs(amps) < 10 else f"{amps:.0f} A"


def worst(checks: Iterable[ProtectionCheck]) -> Outcome:
    """The worst of some answers; good where nothing was asked."""
    return max((c.outcome for c in checks), key=list(Outcome).index, default=Outcome.GOOD)


@dataclass(frozen=True)
class ProtectorReview:
    """A fuse or breaker and everything asked of it."""

    branch_id: str
    label: str
    part: str
    outcome: Outcome
    prospective_a: Annotated[float, Field(description="With a dead short right behind it, from the stronger side [A]")]
    interrupting_a: float
    opens: Annotated[str, Field(description="How soon at that current, in words")]
    checks: tuple[ProtectionCheck, ...]


@dataclass(frozen=True)
class ContactReview:
    """A switch, relay, connector or other contact with a known rating, and what was asked of it."""

    branch_id: str
    label: str
    outcome: Outcome
    current_a: Annotated[float, Field(description="The most it carries for good [A]")]
    heat_w: Annotated[float, Field(description="What its resistance makes of that current [W]")]
    checks: tuple[ProtectionCheck, ...]


@dataclass(frozen=True)
class ConductorReview:
    """A cable or strap and what was asked of it."""

    branch_id: str
    label: str
    part: str
    outcome: Outcome
    current_a: Annotated[float, Field(description="The most it carries for good [A]")]
    allowed_a: Annotated[float, Field(description="What it may carry for good, by the table of its size [A]")]
    checks: tuple[ProtectionCheck, ...]


class ProtectionReview(Document):
    """All fuses and breakers of a circuit, its rated contacts and its cables, of each those with something wrong first."""

    protectors: tuple[ProtectorReview, ...]
    contacts: tuple[ContactReview, ...]
    conductors: tuple[ConductorReview, ...]
    sources: tuple[Finding, ...] = Field(description="What a battery feeds before any fuse, the gravest first")


@dataclass(frozen=True)
class FuseFinding:
    """What findings say of a fuse or breaker: its rating between load and cable."""

    rating_a: float | None
    family: str
    interrupting_a: float
    load_a: Annotated[float, Field(description="The most it carries for good [A]")]
    cable_a: Annotated[float | None, Field(description="What the weakest of its cables may carry [A]")]
    above_load: bool
    below_cable: bool
    words: str
