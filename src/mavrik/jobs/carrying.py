"""Taking jobs out and in: bundles and readings."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.document import Problem
from mavrik.domain.job import JobDetails
from mavrik.exchange.bundle import (
    FORMAT,
    MOST_SAMPLE_BYTES,
    VERSION,
    Bundle,
    BundleCapture,
    BundleCircuit,
    BundleDocument,
    BundleError,
    BundleJob,
    BundleRun,
    read_bundle,
    write_bundle,
)
from mavrik.exchange.captures import CaptureError
from mavrik.exchange.readings_table import readings_csv, readings_parquet
from mavrik.jobs import captures
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.finding import keep_findings
from mavrik.jobs.people import Who
from mavrik.jobs.records import JobRecord
from mavrik.jobs.runs import add_run
from mavrik.jobs.work import JobInput, job_record, make_job, next_number, open_job
from mavrik.store import models
from mavrik.store.models import CircuitVersion, Job, JobDocument


def bundle_of(job: JobRecord, captured: tuple[BundleCapture, ...] = ()) -> Bundle:
    """A job as a bundle, with its captures as `captures.carried` gives them."""
    place = {r.id: k for k, r in enumerate(job.runs, 1)}
    return Bundle(
        format=FORMAT,
        version=VERSION,
        exported_at=datetime.now(UTC),
        customer=job.customer,
        vehicle=job.vehicle,
        job=BundleJob(number=job.number, **{name: getattr(job, name) for name in JobDetails.model_fields}),
        circuits=tuple(BundleCircuit(id=c.id, role=c.role, revision=c.revision, document=c.document) for c in job.circuits),
        documents=tuple(BundleDocument(kind=d.kind, circuit_id=d.circuit_id, document=d.document) for d in job.documents),
        runs=tuple(
            BundleRun(circuit_id=r.circuit_id, run=r.run, supersedes=place[r.supersedes] if r.supersedes else None)
            for r in job.runs
        ),
        captures=captured,
    )


def export_bundle(session: Session, job_id: int) -> tuple[str, bytes]:
    """A job as a file: its name and bytes."""
    job = open_job(session, job_id)
    return f"{job.number}.mavrik.json", write_bundle(bundle_of(job, captures.carried(session, job_id, MOST_SAMPLE_BYTES)))


def export_readings(session: Session, job_id: int, kind: Literal["csv", "parquet"] = "csv") -> tuple[str, str | bytes]:
    """A job's readings as a table: the file's name and content."""
    job = open_job(session, job_id)
    circuits: dict[int, Circuit] = {c.id: c.document for c in job.circuits}
    runs = [(circuits[r.circuit_id], r.run) for r in job.runs]
    gone = [k for k, r in enumerate(job.runs) if not r.stands]
    made = readings_csv(runs, gone) if kind == "csv" else readings_parquet(runs, gone)
    return f"{job.number}-readings.{kind}", made


def store_bundle(session: Session, bundle: Bundle, who: Who) -> Job:
    """A bundle as a new job, all of it or nothing. A number that is taken is replaced by the next free one."""
    taken = session.scalar(select(Job.id).where(Job.number == bundle.job.number))
    number = bundle.job.number if taken is None else next_number(session)
    details = {name: getattr(bundle.job, name) for name in JobDetails.model_fields}
    given = JobInput(customer=bundle.customer, vehicle=bundle.vehicle, **details)
    row = make_job(session, given, who, number)
    versions: dict[int, CircuitVersion] = {}
    for version in bundle.circuits:
        versions[version.id] = CircuitVersion(
            job=row,
            role=version.role.value,
            revision=version.revision,
            schema_version=version.document.schema_version,
            document=version.document.model_dump(mode="json"),
            created_by_id=who.id,
        )
    session.add_all(versions.values())
    session.flush()
    for k, document in enumerate(bundle.documents, 1):
        session.add(
            JobDocument(
                job=row, kind=document.kind.value, revision=k, circuit_id=versions[document.circuit_id].id if document.circuit_id else None,
                document=document.document.model_dump(mode="json"), created_by_id=who.id,
            )
        )  # fmt: skip
    kept: list[models.Run] = []
    for carried in bundle.runs:
        earlier = kept[carried.supersedes - 1].id if carried.supersedes else None
        kept.append(add_run(session, row, versions[carried.circuit_id], carried.run, who, earlier))
    for capture in bundle.captures:
        captures.take_in(session, row.id, capture)
    session.refresh(row, ["circuits", "runs", "documents"])
    keep_findings(session, row)
    return row


def import_bundle(session: Session, data: bytes, who: Who) -> JobRecord:
    """A bundle file as a new job; raises InvalidError, with every problem, for a file that is not sound."""
    try:
        bundle = read_bundle(data)
    except BundleError as error:
        raise InvalidError(str(error), error.problems) from error
    try:
        row = store_bundle(session, bundle, who)
    except CaptureError as error:
        raise InvalidError(
            f"A capture of the bundle cannot be read. {error}", [Problem("captures", "samples_parquet", str(error))]
        ) from error
    note_change(session, row.id, who, f"took the job in from a bundle numbered {bundle.job.number}")
    session.flush()
    return job_record(session, row)
