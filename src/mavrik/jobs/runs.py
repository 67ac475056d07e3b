"""The tests of a job: what there is to test on its circuit, and the runs that are kept."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Literal

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Document, Identifier, Moment, Problem
from mavrik.core.measuring.instruments import Instrument, as_earned, reading_uncertainty
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.network import NoOperatingPointError
from mavrik.core.procedures import (
    PROCEDURES,
    Band,
    BenchStep,
    Judgement,
    Point,
    Procedure,
    check_run,
    complete_run,
    latest_of,
    pass_band,
    procedure,
    state_of,
)
from mavrik.domain.job import CircuitRole
from mavrik.domain.roles import Permission, Who
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import ConflictError, ForbiddenError, InvalidError, NotFoundError
from mavrik.jobs.finding import details_of, latest, limits_of
from mavrik.jobs.proving import runs_for
from mavrik.jobs.records import RunRecord, run_record, superseded_ids
from mavrik.jobs.room import check_room
from mavrik.jobs.summaries import job_changed
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store import models


class ReadingInput(Document):
    """A value as a person typed it, or as a connected meter gave it."""

    point: Annotated[str, Field(min_length=1, max_length=90)]
    value: Annotated[float, Field(ge=-1e6, le=1e6, description="In the unit of the point's quantity; 1 for yes, 0 for no")]
    instrument: Annotated[str, Field(max_length=40)] | None = Field(None, description="Id in the workshop's register")
    source: Literal["typed", "meter", "capture"] = "typed"
    spread: Annotated[float, Field(ge=0)] | None = None
    at: Moment | None = None


class RunInput(Document):
    """A test as it is carried out; what its readings are of, the server knows."""

    procedure: Annotated[str, Field(max_length=40)]
    readings: Annotated[tuple[ReadingInput, ...], Field(max_length=700)] = ()
    engine_rpm: Annotated[float, Field(ge=0, le=12000)] | None = None
    engine_space_c: Annotated[float, Field(ge=-40, le=140)] | None = None
    ambient_c: Annotated[float, Field(ge=-40, le=60)] | None = None
    loads_on: Annotated[tuple[Identifier, ...], Field(max_length=100)] | None = None
    bank_on: Identifier | None = None
    skipped: Annotated[str, Field(max_length=200)] = ""
    note: Annotated[str, Field(max_length=1000)] = ""
    measured_at: Moment | None = None
    measured_by: Annotated[str, Field(max_length=80, description="Of somebody else, where one may record for others")] = ""
    supersedes: int | None = Field(None, description="Id of the run that this one corrects or carries on")


class PointView(Document):
    """A measuring point on this circuit, in words that a hand can follow."""

    point: Point
    how: str = Field(description="Where probes or clamp go")
    red: str = Field("", description="Node that a picture shows the red probe on; empty: on none, as the end of a sense wire is")
    black: str = Field("", description="The same of the black one")
    instrument: str | None = Field(description="Id of the instrument of the register to read it with; null: none fits")


class ProcedureView(Document):
    """A procedure on this circuit: its steps and its measuring points."""

    name: str
    title: str
    why: str
    minutes: float
    engine: str
    engine_runs: bool = Field(description="In any of its states: its speed may be noted")
    conditions: str
    cautions: tuple[str, ...]
    steps: tuple[BenchStep, ...]
    points: tuple[PointView, ...]
    tells: bool = Field(
        description="Whether its readings say something about the cause; others are judged by their own rule alone"
    )
    last: RunRecord | None = Field(description="The latest run that stands")


class BenchView(Document):
    """All tests of a job in the order of the work; those that ask nothing of this circuit are left out."""

    procedures: tuple[ProcedureView, ...]


def _register(session: Session) -> list[models.Instrument]:
    return list(session.scalars(select(models.Instrument).order_by(models.Instrument.id)))


def choose_instruments(rows: list[models.Instrument], today: datetime) -> dict[str, str]:
    """Which instrument of the register reads each kind: a connected one first, one in calibration, then the more accurate.

    rows: of the register; today: for what is overdue
    Returns ids by kind.
    """
    best: dict[str, tuple[tuple[bool, bool, float, int], str]] = {}
    for k, row in enumerate(rows):
        meter = Instrument.model_validate(row.document)
        overdue = meter.calibration_due is not None and meter.calibration_due < today.date()
        rank = (row.address is None, overdue, meter.spec.limit_of_error(100 * meter.resolution) / meter.resolution, k)
        if meter.kind not in best or rank < best[meter.kind][0]:
            best[meter.kind] = (rank, meter.id)
    return {kind: name for kind, (_, name) in best.items()}


def _how(circuit: Circuit, point: Point) -> str:
    words = {n.id: n.label for n in circuit.nodes}
    if point.sense_wire:
        unit_label = next(a.label for a in circuit.alternators if a.id == point.element)
        return f"Red on the sense wire where it ends at {unit_label}, into its plug from behind; black on {words[point.black]}"
    if point.red in words and point.black in words:
        return f"Red on {words[point.red]}, black on {words[point.black]}"
    branch = next((b for b in circuit.branches if b.id == point.element), None)
    if branch is not None and point.quantity == "current":
        return f"Clamp round {branch.label}, arrow from {words[branch.from_node]} to {words[branch.to_node]}"
    unit = next((a for a in circuit.alternators if a.id == point.element), None)
    if unit is not None and point.quantity == "current":
        return f"Clamp round the output of {unit.label}, arrow away from it; or round all of its negative leads"
    battery = next((b for b in circuit.batteries if b.id == point.element), None)
    if battery is not None and point.quantity == "drain_current":
        return f"Ammeter in series with the negative of {battery.label}, 10 A range"
    if battery is not None and point.quantity == "current":
        return f"Clamp round the positive lead of {battery.label}, arrow to the battery"
    return ""


def _point(circuit: Circuit, point: Point, instrument: str | None) -> PointView:
    red = "" if point.sense_wire else point.red
    return PointView(point=point, how=_how(circuit, point), red=red, black=point.black, instrument=instrument)


def _view(circuit: Circuit, of: Procedure, meters: dict[str, str], last: RunRecord | None) -> ProcedureView:
    points = of.points(circuit)
    return ProcedureView(
        name=of.name,
        title=of.title,
        why=of.why,
        minutes=of.minutes_on(circuit),
        engine=of.engine,
        engine_runs=any(state_of(p.state, circuit).engine_rpm > 0 for p in points),
        conditions=of.conditions(circuit) if of.conditions else "",
        cautions=of.cautions,
        steps=of.steps,
        points=tuple(_point(circuit, p, meters.get(p.meter)) for p in points),
        tells=any(p.worth_asking for p in points),
        last=last,
    )


def bench_of(session: Session, job_id: int) -> BenchView:
    """The tests there are for a job's circuit. Raises NotFoundError without one."""
    job = get_row(session, job_id)
    version = latest(job.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    return BenchView(procedures=procedures_on(session, job, version))


def procedures_on(
    session: Session, job: models.Job, version: models.CircuitVersion, names: tuple[str, ...] | None = None
) -> tuple[ProcedureView, ...]:
    """The tests there are for one of a job's circuits, in the order of the work, with the run of each that stands.

    version: the circuit; names: only those
    Raises InvalidError for a circuit with something wrong, or without an operating point.
    """
    circuit = Circuit.model_validate(version.document)
    meters = choose_instruments(_register(session), datetime.now(UTC))
    gone, last = superseded_ids(job.runs), {r.procedure: r for r in runs_for(job, version)}
    procedures = [p for p in PROCEDURES if names is None or p.name in names]
    try:
        views = [_view(circuit, p, meters, run_record(last[p.name], gone) if p.name in last else None) for p in procedures]
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except NoOperatingPointError as error:
        raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error
    return tuple(v for v in views if v.points)


def run_from(session: Session, circuit: Circuit, given: RunInput, who: Who) -> Run:
    """A run with the instruments as they are today, values from a meter rounded to what it earns, and all else filled in.

    Raises InvalidError, with every problem at its reading, for one that cannot be of that circuit, ForbiddenError for one under
    another's name by who may not record for others.
    """
    if given.measured_by.strip() not in ("", who.name) and not who.may(Permission.RECORD_FOR_OTHERS):
        raise ForbiddenError("A run is kept under the name of who made it; a lead may record for somebody else.")
    register = {row.slug: Instrument.model_validate(row.document) for row in _register(session)}
    used = {r.instrument for r in given.readings if r.instrument is not None}
    unknown = [Problem(r.point, "instrument", f"There is no instrument '{r.instrument}' in the register.") for r in given.readings if r.instrument is not None and r.instrument not in register]  # fmt: skip
    if unknown:
        raise InvalidError(unknown[0].message, unknown)
    names = [r.point for r in given.readings]
    if twice := [Problem(n, "point", f"{n} is read twice in one run; a repeat is a run of its own.") for n in dict.fromkeys(names) if names.count(n) > 1]:  # fmt: skip
        raise InvalidError(twice[0].message, twice)
    try:
        points = {p.id: p for p in procedure(given.procedure).points(circuit)}
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except ValueError as error:
        raise InvalidError(str(error), [Problem("procedure", "procedure", str(error))]) from error
    now = datetime.now(UTC)
    readings = []
    for r in given.readings:
        meter, of = register.get(r.instrument or ""), points.get(r.point)
        value = as_earned(of.kind, r.value, meter) if of is not None and r.source == "meter" else r.value
        spread = r.spread if r.source == "meter" else None
        u = None
        if of is not None and spread:
            # What it did not hold still by is beside what its maker says of it. JCGM 100, 4.2 and 4.3.
            u = float((reading_uncertainty(of.kind, value, meter) ** 2 + (2 * spread) ** 2) ** 0.5)
        readings.append(
            Reading(
                point=r.point, value=value, instrument=r.instrument, source=r.source, spread=spread, uncertainty=u, at=r.at or now
            )
        )
    at = given.measured_at or now
    at = at if at.tzinfo else at.replace(tzinfo=UTC)
    run = Run(
        procedure=given.procedure,
        readings=tuple(readings),
        instruments=tuple(m for i, m in register.items() if i in used),
        engine_rpm=given.engine_rpm,
        engine_space_c=given.engine_space_c,
        ambient_c=given.ambient_c,
        loads_on=given.loads_on,
        bank_on=given.bank_on,
        skipped=given.skipped,
        note=given.note,
        measured_by=given.measured_by.strip() or who.name,
        measured_at=at,
    )
    if problems := check_run(circuit, run):
        raise InvalidError(problems[0].message, problems)
    return complete_run(circuit, run)


def add_run(
    session: Session, job: models.Job, circuit: models.CircuitVersion, run: Run, who: Who, supersedes: int | None = None
) -> models.Run:
    """Keep a completed run. Raises InvalidError where the job is full."""
    document = run.model_dump(mode="json")
    check_room(session, job.id, models.Run, document)
    at = run.measured_at or datetime.now(UTC)
    row = models.Run(
        job=job, circuit=circuit, procedure=run.procedure, document=document,
        measured_by=run.measured_by or who.name, measured_at=at if at.tzinfo else at.replace(tzinfo=UTC), person_id=who.id,
        supersedes_id=supersedes,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def save_run(session: Session, job_id: int, circuit_id: int, given: RunInput, who: Who) -> RunRecord:
    """Keep a test as it was carried out: a permanent record, never changed; a correction is a run that supersedes.

    Raises InvalidError for a run that cannot be, NotFoundError, and ConflictError where somebody corrected that run already.
    """
    job = row_to_change(session, job_id)
    circuit = session.get(models.CircuitVersion, circuit_id)
    if circuit is None or circuit.job_id != job_id:
        raise NotFoundError("There is no such circuit in this job.")
    earlier = None
    if given.supersedes is not None:
        earlier = next((r for r in job.runs if r.id == given.supersedes), None)
        if earlier is None:
            raise NotFoundError("There is no such run in this job.")
        if earlier.procedure != given.procedure:
            raise InvalidError("A run corrects one of the same test.", [Problem("supersedes", "supersedes", "Another test")])
        newer = next((r for r in job.runs if r.supersedes_id == earlier.id), None)
        if newer is not None:
            theirs = run_record(newer, superseded_ids(job.runs)).model_dump(mode="json")
            raise ConflictError(f"{newer.measured_by} corrected this run while you were working on it.", theirs)
    run = run_from(session, Circuit.model_validate(circuit.document), given, who)
    if earlier is not None and run.measured_at is not None and run.measured_at < earlier.measured_at:
        run = run.model_copy(update={"measured_at": earlier.measured_at})
    row = add_run(session, job, circuit, run, who, given.supersedes)
    title = procedure(given.procedure).title.lower()
    if given.skipped:
        note_change(session, job_id, who, f"skipped {title}: {given.skipped}", kind="skipped", thing=f"run {row.id}")
    elif earlier is not None:
        before, after = _values(earlier.document), _values(row.document)
        note_change(session, job_id, who, f"corrected or carried on: {title}", kind="corrected", thing=f"run {row.id}", before=before, after=after)  # fmt: skip
    else:
        note_change(session, job_id, who, f"measured: {title}", kind="measured", thing=f"run {row.id}")
    session.refresh(job, ["runs"])
    job_changed(session, job)
    return run_record(row, superseded_ids(job.runs))


def _values(document: dict[str, object]) -> dict[str, object]:
    readings = document.get("readings")
    return {str(r["point"]): r["value"] for r in readings} if isinstance(readings, list) else {}


class JudgedPoint(Document):
    """A measuring point with between what it passes, and what is said of the value that stands at it now."""

    point: str
    band: Band | None = Field(description="In the unit of the quantity; null: judged by no rule of its own, or with all others")
    judgement: Judgement | None
    asked: bool = Field(
        description="Whether it is asked for: false where it would only say where another one is bad, and that is not"
    )


class JudgedDraft(Document):
    """A test as it stands on a screen, judged as it will be when it is kept."""

    points: tuple[JudgedPoint, ...]


def judge_draft(session: Session, job_id: int, circuit_id: int, given: RunInput, who: Who) -> JudgedDraft:
    """Judge a test that is being made; nothing is kept. Raises as `save_run` does for a run that cannot be."""
    job = get_row(session, job_id)
    version = session.get(models.CircuitVersion, circuit_id)
    if version is None or version.job_id != job_id:
        raise NotFoundError("There is no such circuit in this job.")
    circuit = Circuit.model_validate(version.document)
    run = run_from(session, circuit, given, who) if given.readings else Run(procedure=given.procedure)
    try:
        of = procedure(given.procedure)
        points, (measured, _) = of.points(circuit), latest_of(of, circuit, [(0, run)])
        limits = limits_of(details_of(job))
        judgements = {j.point: j for j in of.judge(circuit, measured, limits)}
        bad = {i for i, j in judgements.items() if j.verdict is not Verdict.PASS}
        judged = tuple(
            JudgedPoint(
                point=p.id,
                band=pass_band(of, circuit, p, measured, limits),
                judgement=judgements.get(p.id),
                asked=not p.if_bad or p.if_bad in bad,
            )
            for p in points
        )
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except ValueError as error:
        raise InvalidError(str(error), [Problem("procedure", "procedure", str(error))]) from error
    return JudgedDraft(points=judged)
