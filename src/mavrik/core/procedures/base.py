"""What every test at the bench is made of: the state it is made in, where to measure, the steps of the hand, the judgement."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Annotated

from pydantic import Field, computed_field
from pydantic.dataclasses import dataclass as shown_dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.quantities import QUANTITIES, Quantity
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.bench_limits import BenchLimit, Limits

NOTED_RPM = "engine_rpm:noted"
"""Where a procedure finds the engine speed that was noted beside its readings, if it was."""


@shown_dataclass(frozen=True)
class Point:
    """One measuring point of a procedure: what is read, where the probes go, in which state."""

    id: str
    label: str
    quantity: str
    """Name of a quantity of the registry."""
    state: BenchState
    red: str = ""
    """Node of the red probe, of a voltage."""
    black: str = ""
    element: str = ""
    """Branch, battery or alternator it is of."""
    indicator: str = ""
    """What no network says: a lamp, ripple."""
    signed: bool = False
    """May go either way: a battery that gives, a circuit with a drop against the current."""
    own_rule: bool = False
    """Judged on its own: no fault of the catalogue says what it would read."""
    capture: str = ""
    """What of a captured waveform answers it: ripple or cranking; empty: nothing."""
    capture_s: float | None = None
    """How long a waveform has to be captured for that [s]."""
    after_s: float | None = None
    """How long after the step's clock was started it is due; a connected meter is then read by itself."""
    late_s: float = 60.0
    """How much later than that it may still be read."""
    part_of: str = ""
    """Id of the point that is read first and says whether this one is worth reading."""
    if_bad: str = ""
    """Id of the point that has to be read, and not to pass, for this one to be asked for."""
    may_float: bool = False
    """Read where nothing feeds what is read when something is open or off: what leaks there is left."""
    asked_elsewhere: bool = False
    """Another point asks for the same: it counts where it was read, and is no reason to read it."""
    unheld: bool = False
    """Of a unit that gives nothing: nothing then holds the voltage, which may be anything up to a battery's."""
    hearsay: bool = False
    """What somebody says who was there: it says where to look, and by itself condemns nothing."""
    read_instead: tuple[str, ...] = ()
    """What ids of points begin with whose readings say the same and better: with one of them, what was said counts no more."""
    sense_wire: bool = False
    """Read where the sense wire of its alternator ends: nothing is there when that wire is open."""

    @property
    def kind(self) -> Quantity:
        """Its quantity. Raises KeyError for one the registry does not have."""
        return QUANTITIES[self.quantity]

    @computed_field(description="Kind of the instrument that reads it; empty for what the eye or a plate says")  # type: ignore[prop-decorator]
    @property
    def meter(self) -> str:
        """Kind of the instrument that reads it; empty for what the eye or a plate says."""
        return self.kind.meter

    @property
    def worth_asking(self) -> bool:
        """Whether it is read for what it says of the causes."""
        return not (self.own_rule or self.asked_elsewhere)

    def said_by(self, ids: Iterable[str]) -> bool:
        """Whether one of some readings says the same and better.

        ids: of the points that were read
        """
        return any(i.startswith(self.read_instead) for i in ids) if self.read_instead else False

    @property
    def both_ways(self) -> bool:
        """Whether a value below 0 is a value, or says that a probe is the wrong way round."""
        return self.signed or self.kind.turned_below is None


@dataclass(frozen=True)
class BenchStep:
    """One thing to do."""

    text: str
    seconds: Annotated[float, Field(description="Time it takes or must not exceed [s]; 0: none")] = 0.0
    orders_off: Annotated[bool, Field(description="At its end the load comes off, whatever was read")] = False


@dataclass(frozen=True)
class Judgement:
    """What is said of one reading."""

    point: str
    label: str
    value: float
    uncertainty: float
    quantity: Annotated[str, Field(description="Name in the registry; value and uncertainty are in its unit")]
    verdict: Verdict
    limit: str
    source: str
    why: str
    next_step: str

    def of(self, read: Measured) -> Judgement:
        """The same judgement of the reading itself, where a share or a difference was held against the limit."""
        return replace(self, value=read.value, uncertainty=read.uncertainty)


def no_judgement(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    """Of a procedure whose readings are judged with all others (`mavrik.core.findings`)."""
    return []


@dataclass(frozen=True)
class Procedure:
    """One test of the trade."""

    order: int
    """Its place in the order of the work."""
    name: str
    title: str
    why: str
    minutes: float
    """On a vehicle with one battery."""
    engine: str
    """How the engine stands, in words."""
    cautions: tuple[str, ...]
    """Ids of cautions that stand at it."""
    steps: tuple[BenchStep, ...]
    points: Callable[[Circuit], tuple[Point, ...]]
    judge: Callable[[Circuit, Mapping[str, Measured], Limits], list[Judgement]] = no_judgement
    conditions: Callable[[Circuit], str] | None = None
    """Under what conditions it is worth making on a circuit, in words."""
    each_more: float = 0.0
    """Minutes more for every battery beyond the first. Common practice, rough, no source."""

    def minutes_on(self, circuit: Circuit) -> float:
        """How long it takes on a circuit [min].

        circuit: the document
        """
        return self.minutes + self.each_more * (len(circuit.batteries) - 1)


def against(
    point: Point, measured: Measured, limit: BenchLimit, scale: float, passes: str, fails: str, next_step: str = ""
) -> Judgement:
    """Judge a reading against a limit, with its uncertainty as guard band.

    point, measured: the reading
    limit: of the job's limits
    scale: system voltage over 12 V for limits in volts, else 1
    passes, fails: what follows, in words; next_step: what to do when it fails or is too close to call
    Source: JCGM 106, guarded acceptance and rejection.
    """
    scale = 1.0 if limit.exact else scale
    edges = []
    if limit.least is not None:
        edges.append(measured.value - limit.least * scale)
    if limit.most is not None:
        edges.append(limit.most * scale - measured.value)
    margin = min(edges)
    verdict = (
        Verdict.PASS if margin >= measured.uncertainty else Verdict.FAIL if margin < -measured.uncertainty else Verdict.CLOSE
    )
    words = {
        Verdict.PASS: passes,
        Verdict.FAIL: fails,
        Verdict.CLOSE: "Too close to call with this meter: repeat on a finer range.",
    }
    rule = limit.rule if scale == 1 else f"{limit.rule}; doubled for 24 V"
    return Judgement(
        point.id, point.label, measured.value, measured.uncertainty, point.quantity, verdict, rule, limit.source, words[verdict],
        "" if verdict is Verdict.PASS else next_step,
    )  # fmt: skip


def plainly(point: Point, read: Measured, rule: str, passes: str, fails: str, next_step: str) -> Judgement:
    """Judge a yes or a no.

    point, read: what was asked; rule: what should be so; passes, fails, next_step: what follows, in words
    """
    fine = read.value > 0.5
    return Judgement(
        point.id, point.label, read.value, 0.0, point.quantity, Verdict.PASS if fine else Verdict.FAIL, rule, "Common practice of the trade",
        passes if fine else fails, "" if fine else next_step,
    )  # fmt: skip
