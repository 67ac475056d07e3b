"""The tables: people, customers, vehicles, jobs, circuit versions, runs, documents, instruments, changes."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    Sequence,
    String,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship
from sqlalchemy.types import TIMESTAMP

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {datetime: TIMESTAMP(timezone=True), dict[str, Any]: JSONB, list[Any]: JSONB}  # noqa: RUF012


class Person(Base):
    """Somebody who signs in."""

    __tablename__ = "people"
    __table_args__ = (CheckConstraint("role IN ('technician', 'lead', 'read_only')", name="role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(60), unique=True)
    name: Mapped[str] = mapped_column(String(80))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(Text)
    active: Mapped[bool] = mapped_column(default=True)
    lock: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    __mapper_args__ = {"version_id_col": lock}  # noqa: RUF012


class SignIn(Base):
    """One place where somebody is, or was, signed in."""

    __tablename__ = "sign_ins"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    key_hash: Mapped[str] = mapped_column(String(64), unique=True)
    """SHA-256 of what the cookie carries: who reads the database signs in as nobody."""
    address: Mapped[str] = mapped_column(String(60))
    handheld: Mapped[bool]
    begun_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seen_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]


class SignInFailure(Base):
    """A refused sign-in: what the rate limit counts."""

    __tablename__ = "sign_in_failures"

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(60), index=True)
    address: Mapped[str] = mapped_column(String(60), index=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)


class Customer(Base):
    """Whose vehicle it is."""

    __tablename__ = "customers"
    __table_args__ = (Index("uq_customers_name_folded", text("lower(name)"), unique=True),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    contact: Mapped[str] = mapped_column(String(200), default="")


class Vehicle(Base):
    """What stands at the bench."""

    __tablename__ = "vehicles"
    __table_args__ = (CheckConstraint("system_voltage_v IN (12, 24)", name="voltage"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    customer_id: Mapped[int] = mapped_column(ForeignKey("customers.id"), index=True)
    description: Mapped[str] = mapped_column(String(200))
    kind: Mapped[str] = mapped_column(String(30))
    system_voltage_v: Mapped[int]
    customer: Mapped[Customer] = relationship(lazy="joined", innerjoin=True)


class Instrument(Base):
    """A meter of the workshop."""

    __tablename__ = "instruments"

    id: Mapped[int] = mapped_column(primary_key=True)
    slug: Mapped[str] = mapped_column(String(40), unique=True)
    document: Mapped[dict[str, Any]]
    """Validated as `mavrik.core.measuring.instruments.Instrument`."""
    address: Mapped[str | None] = mapped_column(String(260))
    """host:port, entered by a lead."""
    lock: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": lock}  # noqa: RUF012


JOB_NUMBERS = Sequence("job_numbers", metadata=Base.metadata)
"""Running numbers of jobs: asked for, never taken back, so that nobody waits for somebody who is still saving."""


class Job(Base):
    """One complaint about one vehicle."""

    __tablename__ = "jobs"
    __table_args__ = (
        CheckConstraint("state IN ('open', 'waiting', 'done')", name="state"),
        UniqueConstraint("number", name="uq_jobs_number"),
        # The orders a list comes in, without what is on another shelf.
        Index(
            "ix_jobs_due",
            text("(state = 'done')"),
            text("coalesce(promised, 'infinity'::date)"),
            text("(-id)"),
            postgresql_where=text("archived_at IS NULL AND binned_at IS NULL"),
        ),
        Index("ix_jobs_purposes", "purposes", postgresql_using="gin"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(String(20))
    vehicle_id: Mapped[int] = mapped_column(ForeignKey("vehicles.id"), index=True)
    complaint: Mapped[str] = mapped_column(Text)
    loads_to_add: Mapped[list[Any]]
    promised: Mapped[date | None]
    state: Mapped[str] = mapped_column(String(20), default="open")
    limit_profile: Mapped[str] = mapped_column(String(40), default="common")
    maker_limits: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    purposes: Mapped[list[Any]] = mapped_column(default=list)
    added_stages: Mapped[list[Any]] = mapped_column(default=list)
    lock: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    updated_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())
    created_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    archived_at: Mapped[datetime | None]
    binned_at: Mapped[datetime | None]
    """Put into the waste basket: gone for good thirty days later."""
    vehicle: Mapped[Vehicle] = relationship(lazy="joined", innerjoin=True)
    circuits: Mapped[list[CircuitVersion]] = relationship(back_populates="job", order_by="CircuitVersion.id")
    runs: Mapped[list[Run]] = relationship(back_populates="job", order_by="(Run.measured_at, Run.id)")
    documents: Mapped[list[JobDocument]] = relationship(back_populates="job", order_by="JobDocument.id")
    findings: Mapped[JobFindings | None] = relationship(viewonly=True)
    summary: Mapped[JobSummary | None] = relationship(viewonly=True)
    __mapper_args__ = {"version_id_col": lock}  # noqa: RUF012


class CircuitVersion(Base):
    """One version of a job's circuit; immutable once a test refers to it."""

    __tablename__ = "circuit_versions"
    __table_args__ = (
        CheckConstraint("role IN ('as_found', 'proposal', 'as_built')", name="role"),
        UniqueConstraint("job_id", "role", "revision", name="uq_circuit_versions_revision"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), index=True)
    role: Mapped[str] = mapped_column(String(20))
    revision: Mapped[int]
    schema_version: Mapped[int]
    document: Mapped[dict[str, Any]]
    lock: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    job: Mapped[Job] = relationship(back_populates="circuits")
    __mapper_args__ = {"version_id_col": lock}  # noqa: RUF012


class Run(Base):
    """A procedure as it was carried out; never changed: a correction or a repeat is a run of its own."""

    __tablename__ = "runs"

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), index=True)
    circuit_id: Mapped[int] = mapped_column(ForeignKey("circuit_versions.id"), index=True)
    procedure: Mapped[str] = mapped_column(String(40))
    document: Mapped[dict[str, Any]]
    """Validated as `mavrik.core.measuring.readings.Run`."""
    measured_by: Mapped[str] = mapped_column(String(80))
    measured_at: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    supersedes_id: Mapped[int | None] = mapped_column(ForeignKey("runs.id"))
    """The run that this one corrects or carries on; that one then stands no more."""
    job: Mapped[Job] = relationship(back_populates="runs")
    circuit: Mapped[CircuitVersion] = relationship()


class JobDocument(Base):
    """A document of a job beside its circuits and runs: a plan, later an isolation, a build book, a sign-off."""

    __tablename__ = "job_documents"
    __table_args__ = (UniqueConstraint("job_id", "kind", "revision", name="uq_job_documents_revision"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    revision: Mapped[int]
    circuit_id: Mapped[int | None] = mapped_column(ForeignKey("circuit_versions.id"))
    """The circuit version that belongs to it, where one does."""
    document: Mapped[dict[str, Any]]
    """Validated by its kind, `mavrik.domain.job.DOCUMENT_KINDS`."""
    lock: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    job: Mapped[Job] = relationship(back_populates="documents")
    __mapper_args__ = {"version_id_col": lock}  # noqa: RUF012


class WorkshopList(Base):
    """One revision of a list that the workshop keeps for all its jobs: units, prices."""

    __tablename__ = "workshop_lists"

    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    revision: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]]
    """Validated by its kind, `mavrik.jobs.lists.LISTS`."""
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))


class StockMove(Base):
    """What came into the stock or went out of it: rows are added, what is there is their sum. When a job is deleted, only its id goes."""

    __tablename__ = "stock_moves"
    __table_args__ = (Index("ix_stock_moves_number", "number", "piece"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(String(40))
    """Part number of the workshop's list."""
    piece: Mapped[str] = mapped_column(String(20), default="")
    """Reel or offcut, of a cable."""
    quantity: Mapped[float]
    """In above 0, out below: pieces, or millimetres of what is sold by the metre."""
    why: Mapped[str] = mapped_column(String(20))
    """counted, received, used, returned"""
    job_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id"), index=True)
    need: Mapped[str] = mapped_column(String(80), default="")
    step: Mapped[str] = mapped_column(String(150), default="")
    """What it was used for, where a job used it."""
    person_name: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class CalendarFeed(Base):
    """A secret address under which a calendar program fetches the schedule; whoever made it can take it back."""

    __tablename__ = "calendar_feeds"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    """SHA-256 of what the address carries: who reads the database reads no schedule."""
    label: Mapped[str] = mapped_column(String(80))
    worker: Mapped[str | None] = mapped_column(String(40))
    """Whose work it shows, by their id in the workshop; null: everybody's."""
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    fetched_at: Mapped[datetime | None]


class JobFindings(Base):
    """What was found of a job, kept so that it need not be found again."""

    __tablename__ = "job_findings"

    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True)
    version: Mapped[int]
    """Of the reasoning that made it; another version's is made anew."""
    content_hash: Mapped[str | None] = mapped_column(String(64), index=True)
    """Of all that was judged: the same again is not judged anew."""
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class JobSummary(Base):
    """What the list of jobs shows and searches of a job, kept so that it loads nothing else of it."""

    __tablename__ = "job_summaries"
    __table_args__ = (
        Index("ix_job_summaries_text", "text", postgresql_using="gin", postgresql_ops={"text": "gin_trgm_ops"}),
        Index("ix_job_summaries_touched", "touched_at", "job_id"),
    )

    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True)
    made_by: Mapped[str] = mapped_column(String(20))
    """The program's reasoning that made it; another one's is made anew."""
    progress: Mapped[dict[str, Any]]
    headline: Mapped[dict[str, Any] | None]
    text: Mapped[str] = mapped_column(Text)
    """Number, customer, vehicle, complaint."""
    touched_at: Mapped[datetime] = mapped_column(server_default=func.now())


class KeptAnswer(Base):
    """What was answered to a request that made something: the same request once more makes nothing and is told the same."""

    __tablename__ = "kept_answers"

    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    request_hash: Mapped[str] = mapped_column(String(64))
    status: Mapped[int | None]
    body: Mapped[bytes | None]
    """Compressed."""
    at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)


class Task(Base):
    """Long work that somebody asked for: what, how far it is, what came of it. Its place in the queue is procrastinate's."""

    __tablename__ = "tasks"
    __table_args__ = (CheckConstraint("state IN ('waiting', 'running', 'done', 'failed', 'cancelled')", name="state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    title: Mapped[str] = mapped_column(String(200))
    request: Mapped[dict[str, Any]]
    """Validated by its kind, `mavrik.jobs.tasks.kinds`."""
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    progress: Mapped[float] = mapped_column(default=0.0)
    step: Mapped[str] = mapped_column(String(200), default="")
    """What it is at, in words."""
    tries: Mapped[int] = mapped_column(default=0)
    """How often a worker has begun it."""
    problem: Mapped[str] = mapped_column(Text, default="")
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    queued_id: Mapped[int | None] = mapped_column(BigInteger)
    """Of its row in the queue."""
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"), index=True)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), index=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ended_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class TaskFile(Base):
    """A file that a task has made, to be fetched."""

    __tablename__ = "task_files"

    task_id: Mapped[int] = mapped_column(ForeignKey("tasks.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    media_type: Mapped[str] = mapped_column(String(80))
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class Capture(Base):
    """A captured waveform: what the file was, whether it is read, and how it looks from afar."""

    __tablename__ = "captures"
    __table_args__ = (CheckConstraint("state IN ('reading', 'ready', 'failed', 'stopped')", name="state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    state: Mapped[str] = mapped_column(String(12), default="reading")
    task_id: Mapped[int | None] = mapped_column(ForeignKey("tasks.id", ondelete="SET NULL"), index=True)
    """Who reads it."""
    document: Mapped[dict[str, Any]]
    """What was wanted of the file, its channels and notes; why it failed."""
    samples: Mapped[int] = mapped_column(default=0)
    interval_s: Mapped[float] = mapped_column(default=0.0)
    start_s: Mapped[float] = mapped_column(default=0.0)
    envelope: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    """Least and most of every stretch of samples, 32-bit floats."""
    person_name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    task: Mapped[Task | None] = relationship(lazy="joined")


class CapturePart(Base):
    """A stretch of a capture's samples, 32-bit floats."""

    __tablename__ = "capture_parts"

    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    samples: Mapped[bytes] = mapped_column(LargeBinary)


class Photo(Base):
    """A photo of a job, as a small JPEG without what a camera writes into one; never changed."""

    __tablename__ = "photos"

    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), primary_key=True)
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    """SHA-256 of the picture."""
    width: Mapped[int]
    height: Mapped[int]
    jpeg: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    person_name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Change(Base):
    """Who changed what, and when: rows are added, never changed (a trigger of the database refuses it)."""

    __tablename__ = "changes"
    __table_args__ = (Index("ix_changes_person_id", "person_id", "job_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id"))
    person_name: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    kind: Mapped[str] = mapped_column(String(20), default="note", server_default="note")
    """made, changed, removed, measured, skipped, corrected, signed_in ..."""
    thing: Mapped[str] = mapped_column(String(80), default="", server_default="")
    """Of what: job, circuit 12, run 40, instrument dmm_1."""
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]
    what: Mapped[str] = mapped_column(Text)
    """The same as a sentence."""
