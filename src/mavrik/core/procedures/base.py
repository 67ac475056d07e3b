"""What every test at the bench is made of: the state it is made in, what is asked, the steps of the hand, the judgement."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, computed_field, model_validator
from pydantic.dataclasses import dataclass as shown_dataclass

from mavrik.core.circuit import Circuit, Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.measurement import Instrument, InstrumentKind
from mavrik.core.procedures.states import BenchState
from mavrik.core.tables import Table, load_table
from mavrik.core.topology import Problem
from mavrik.core.uncertainty import Verdict, expanded_uncertainty


class Unit(StrEnum):
    """What a reading is in."""

    VOLT = "V"
    AMPERE = "A"
    VOLT_PP = "V p-p"
    CELSIUS = "°C"
    MILLIOHM = "mΩ"
    PER_MINUTE = "/min"
    YES_NO = "yes or no"


METER: dict[Unit, InstrumentKind] = {
    Unit.VOLT: InstrumentKind.VOLTMETER,
    Unit.VOLT_PP: InstrumentKind.OSCILLOSCOPE,
    Unit.AMPERE: InstrumentKind.CLAMP,
    Unit.CELSIUS: InstrumentKind.THERMOMETER,
    Unit.PER_MINUTE: InstrumentKind.TACHOMETER,
}
"""Which meter a reading is taken with, where it is a meter's."""


LAST_DIGIT = {Unit.AMPERE: 1.0, Unit.CELSIUS: 1.0, Unit.PER_MINUTE: 10.0, Unit.MILLIOHM: 0.1}
"""Of a value that was read with nobody knows what; 10 mV otherwise."""

TURNED = {
    Unit.VOLT: (0.05, "Negative: the probes are swapped. Turn them, or enter the value without its sign."),
    Unit.AMPERE: (0.5, "Negative: the clamp's arrow points the wrong way. Turn it, or enter the value without its sign."),
    Unit.MILLIOHM: (0.05, "A resistance is not negative: the probes are swapped, or the meter is not zeroed."),
    Unit.PER_MINUTE: (0.0, "A speed is not negative."),
}
"""What a value below 0 by more than this says, where a reading goes one way only."""

MOST_TIMES = 3.5
"""A stud that has lost its sense wire stands at the rectifier's clamp, three times the system's voltage; beyond is no reading."""

ASLEEP_A = 0.002
"""The same of a drain: an ammeter in series on its 10 A range."""


@shown_dataclass(frozen=True)
class Ask:
    """One reading of a procedure: what, where the probes go, in which state."""

    id: str
    label: str
    unit: Unit
    state: BenchState
    red: str = ""
    """Node of the red probe, of a voltage."""
    black: str = ""
    element: str = ""
    """Branch, battery or alternator a current is read of."""
    sign: str = ""
    """What no network says: a lamp, ripple."""
    drop: bool = False
    """A voltage along a lead: it is known as a share of itself, not of the system's voltage."""
    signed: bool = False
    """May go either way: a battery that gives, a circuit with a drop against the current."""
    beside: bool = False
    """Judged on its own: no fault of the catalogue says what it would read."""
    capture: str = ""
    """What of a captured waveform answers it: ripple or cranking; empty: nothing."""
    after_s: float | None = None
    """How long after the step's clock was started it is due; a connected meter is then read by itself."""

    @computed_field(description="Which meter reads it; null for what the eye or a plate says")  # type: ignore[prop-decorator]
    @property
    def meter(self) -> InstrumentKind | None:
        """Which meter reads it; None for what the eye or a plate says."""
        if self.sign and self.unit not in (Unit.VOLT_PP, Unit.PER_MINUTE):
            return None
        # A drain is read with the ammeter in series: a clamp is far too coarse for it.
        return None if self.unit is Unit.AMPERE and self.state is BenchState.ASLEEP else METER.get(self.unit)


@dataclass(frozen=True)
class BenchStep:
    """One thing to do."""

    text: str
    seconds: Annotated[float, Field(description="Time it takes or must not exceed [s]; 0: none")] = 0.0
    orders_off: Annotated[bool, Field(description="At its end the load comes off, whatever was read")] = False


@dataclass(frozen=True)
class Taken:
    """A value with its expanded uncertainty, in the unit of its ask."""

    value: float
    uncertainty: float


class RunReading(Document):
    """A value taken in a run."""

    ask: Annotated[str, Field(max_length=90, description="Which of the procedure's readings")]
    value: Annotated[float, Field(ge=-5000, le=5000, description="In the unit of the ask; 1 for yes, 0 for no")]
    instrument: Annotated[str | None, Field(max_length=40, description="Id among the run's instruments")] = None


class ProcedureRun(Document):
    """One test as it was carried out: a permanent record."""

    procedure: Annotated[str, Field(max_length=40)]
    readings: Annotated[tuple[RunReading, ...], Field(max_length=400)] = ()
    instruments: Annotated[tuple[Instrument, ...], Field(max_length=10)] = ()
    engine_rpm: Annotated[float | None, Field(ge=0, le=12000)] = None
    ambient_c: Annotated[float | None, Field(ge=-40, le=60, description="null where nobody noted it")] = None
    skipped: Annotated[str, Field(max_length=200, description="Why it was skipped; empty where it was made")] = ""
    note: Annotated[str, Field(max_length=1000)] = ""
    measured_by: Annotated[str, Field(max_length=80)] = ""
    measured_at: Annotated[str, Field(max_length=40)] = ""


@dataclass(frozen=True)
class Judgement:
    """What is said of one reading."""

    ask: str
    label: str
    value: float
    uncertainty: float
    unit: str
    verdict: Verdict
    limit: str
    source: str
    why: str
    next_step: str

    def of(self, read: Taken) -> Judgement:
        """The same judgement of the reading itself, where a share or a difference was held against the limit."""
        return replace(self, value=read.value, uncertainty=read.uncertainty)


@dataclass(frozen=True)
class Procedure:
    """One test of the trade."""

    name: str
    title: str
    why: str
    minutes: float
    engine: str
    """How the engine stands, in words."""
    cautions: tuple[str, ...]
    """Ids of cautions that stand at it."""
    steps: tuple[BenchStep, ...]
    asks: Callable[[Circuit], tuple[Ask, ...]]
    judge: Callable[[Circuit, Mapping[str, Taken], Limits], list[Judgement]]


class BenchLimit(BaseModel):
    """A limit with its rule in words."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    least: float | None = None
    most: float | None = None
    within: float | None = None
    exact: bool = False
    """As the vehicle has it: not doubled for 24 V."""
    rule: str
    source: str


class BenchLimits(Table):
    """The file ``bench_limits.json``."""

    limits: dict[str, BenchLimit]
    profiles: dict[LimitProfileName, dict[str, BenchLimit]]
    """What a profile holds against instead."""
    windows: dict[str, tuple[str, str]]
    """Limits that a maker may give figures for: what they are of and their unit."""


class MakerWindow(Document):
    """What the maker allows of one reading; it wins over every profile."""

    least: Annotated[float | None, Field(ge=-1000, le=5000)] = None
    most: Annotated[float | None, Field(ge=-1000, le=5000)] = None

    @model_validator(mode="after")
    def _a_window(self) -> MakerWindow:
        if self.least is None and self.most is None:
            raise ValueError("A window has a least, a most, or both")
        if self.least is not None and self.most is not None and self.least >= self.most:
            raise ValueError("The least lies below the most")
        return self


def _known(given: dict[str, MakerWindow]) -> dict[str, MakerWindow]:
    windows = bench_limits().windows
    if unknown := sorted(set(given) - set(windows)):
        raise ValueError(f"A maker's window is of: {', '.join(windows)}; not of {', '.join(unknown)}")
    return given


MakerLimits = Annotated[
    dict[str, MakerWindow],
    AfterValidator(_known),
    Field(max_length=20, description="What the maker allows, by name; wins over the profile"),
]


def bench_limits() -> BenchLimits:
    """All limits, from the data file that names their sources."""
    return load_table("bench_limits", BenchLimits)


@dataclass(frozen=True)
class Limits:
    """What the readings of a job are held against: a named profile, and over it what the maker allows."""

    profile: LimitProfileName = LimitProfileName.COMMON
    maker: Mapping[str, MakerWindow] = field(default_factory=dict)

    def of(self, name: str) -> BenchLimit:
        """A limit by name. Raises KeyError for one there is none of.

        >>> Limits().of("cranking_lead").most, Limits(LimitProfileName.STRICT).of("cranking_lead").most
        (0.3, 0.2)
        >>> Limits(maker={"regulated": MakerWindow(least=14.3, most=14.5)}).of("regulated").source
        "The maker's figures"
        """
        table = bench_limits()
        usual = table.profiles.get(self.profile, {}).get(name, table.limits[name])
        own = self.maker.get(name)
        if own is None:
            return usual
        unit = table.windows[name][1]
        edges = [f"at least {own.least:g} {unit}"] if own.least is not None else []
        edges += [f"at most {own.most:g} {unit}"] if own.most is not None else []
        rule = f"{' and '.join(edges)} by the maker; without it: {usual.rule}"
        return BenchLimit(least=own.least, most=own.most, rule=rule, source="The maker's figures", exact=True)


def against(ask: Ask, taken: Taken, limit: BenchLimit, scale: float, passes: str, fails: str, next_step: str = "") -> Judgement:
    """Judge a reading against a limit, with its uncertainty as guard band.

    ask, taken: the reading
    limit: of the job's limits
    scale: system voltage over 12 V for limits in volts, else 1
    passes, fails: what follows, in words; next_step: what to do when it fails or is too close to call
    Source: JCGM 106, guarded acceptance and rejection.
    """
    scale = 1.0 if limit.exact else scale
    edges = []
    if limit.least is not None:
        edges.append(taken.value - limit.least * scale)
    if limit.most is not None:
        edges.append(limit.most * scale - taken.value)
    margin = min(edges)
    verdict = Verdict.PASS if margin >= taken.uncertainty else Verdict.FAIL if margin < -taken.uncertainty else Verdict.CLOSE
    words = {
        Verdict.PASS: passes,
        Verdict.FAIL: fails,
        Verdict.CLOSE: "Too close to call with this meter: repeat on a finer range.",
    }
    rule = limit.rule if scale == 1 else f"{limit.rule}; doubled for 24 V"
    return Judgement(
        ask.id, ask.label, taken.value, taken.uncertainty, ask.unit, verdict, rule, limit.source, words[verdict],
        "" if verdict is Verdict.PASS else next_step,
    )  # fmt: skip


def plainly(ask: Ask, read: Taken, rule: str, passes: str, fails: str, next_step: str) -> Judgement:
    """Judge a yes or a no.

    ask, read: what was asked; rule: what should be so; passes, fails, next_step: what follows, in words
    """
    fine = read.value > 0.5
    return Judgement(
        ask.id, ask.label, read.value, 0.0, ask.unit, Verdict.PASS if fine else Verdict.FAIL, rule, "Common practice of the trade",
        passes if fine else fails, "" if fine else next_step,
    )  # fmt: skip


def check_run(run: ProcedureRun, asks: tuple[Ask, ...], system_voltage_v: float) -> list[Problem]:
    """Readings that cannot be of this procedure on this circuit, each with its ask as the element.

    run: as carried out; asks: of its procedure; system_voltage_v: 12 or 24 [V]
    Source: common practice.
    """
    units = {a.id: a.unit for a in asks}
    signed = {a.id: a.signed or a.drop for a in asks}
    problems, seen = [], set()
    meters = {m.id for m in run.instruments}
    for reading in run.readings:
        unit = units.get(reading.ask)
        if unit is None:
            problems.append(Problem(reading.ask, "ask", f"This test has no reading '{reading.ask}' on this circuit."))
        elif reading.ask in seen:
            problems.append(Problem(reading.ask, "ask", "Read twice in one run: a repeat is a run of its own."))
        elif unit is Unit.YES_NO and reading.value not in (0, 1):
            problems.append(Problem(reading.ask, "value", "This is a yes or a no."))
        elif unit in (Unit.VOLT, Unit.VOLT_PP) and abs(reading.value) > MOST_TIMES * system_voltage_v:
            problems.append(
                Problem(
                    reading.ask,
                    "value",
                    f"{reading.value:g} V cannot be on a {system_voltage_v:g} V system. Was it read in millivolts?",
                )
            )
        if unit in TURNED and reading.value < -TURNED[unit][0] and not (signed[reading.ask] or reading.ask in seen):
            problems.append(Problem(reading.ask, "value", TURNED[unit][1]))
        if reading.instrument is not None and reading.instrument not in meters:
            problems.append(Problem(reading.ask, "instrument", f"The run has no instrument '{reading.instrument}'."))
        seen.add(reading.ask)
    if not run.readings and not run.skipped:
        problems.append(Problem("readings", "readings", "Nothing was read. Say why where the test is skipped."))
    return problems


def overdue_meters(run: ProcedureRun) -> tuple[str, ...]:
    """Labels of the meters whose calibration was overdue on the day they read.

    run: as carried out; one without a date has none
    """
    if not run.measured_at:
        return ()
    day = datetime.fromisoformat(run.measured_at).date()
    used = {r.instrument for r in run.readings}
    return tuple(m.label for m in run.instruments if m.id in used and m.calibration_due is not None and m.calibration_due < day)


def taken_of(run: ProcedureRun, asks: tuple[Ask, ...]) -> dict[str, Taken]:
    """The readings of a run with their expanded uncertainties, those that the procedure asks for.

    run: as carried out
    asks: of its procedure on that circuit
    A value without an instrument is known to 1 % of itself and a last digit, see `LAST_DIGIT`; a yes or no for certain.
    Source: JCGM 100, 4.3.7; without an instrument our choice, no source.
    """
    meters = {m.id: m for m in run.instruments}
    units, states = {a.id: a.unit for a in asks}, {a.id: a.state for a in asks}
    found = {}
    for reading in run.readings:
        unit = units.get(reading.ask)
        if unit is None:
            continue
        meter = meters.get(reading.instrument or "")
        if unit is Unit.YES_NO:
            u = 0.0
        elif meter is not None:
            u = expanded_uncertainty(reading.value, meter.spec)
        else:
            asleep = states[reading.ask] is BenchState.ASLEEP
            u = 0.01 * abs(reading.value) + (ASLEEP_A if asleep and unit is Unit.AMPERE else LAST_DIGIT.get(unit, 0.01))
        found[reading.ask] = Taken(reading.value, u)
    return found


def merged(runs: Iterable[ProcedureRun], asks: tuple[Ask, ...]) -> tuple[dict[str, Taken], dict[str, float]]:
    """The readings of one procedure over all its runs: as they stand, and what those that were repeated were at first.

    runs: the oldest first; a repeat replaces the reading before
    asks: of the procedure on the circuit
    """
    taken: dict[str, Taken] = {}
    first: dict[str, float] = {}
    for run in runs:
        for ask, value in taken_of(run, asks).items():
            first.setdefault(ask, value.value)
            taken[ask] = value
    return taken, {ask: value for ask, value in first.items() if value != taken[ask].value}
