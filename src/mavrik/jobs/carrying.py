"""Taking jobs out and in: bundles and readings."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.topology import Problem
from mavrik.exchange.bundle import (
    FORMAT,
    MOST_SAMPLE_BYTES,
    VERSION,
    Bundle,
    BundleCapture,
    BundleCircuit,
    BundleError,
    BundleJob,
    BundleRun,
    BundleTest,
    read_bundle,
    write_bundle,
)
from mavrik.exchange.captures import CaptureError
from mavrik.exchange.readings_table import readings_csv, readings_parquet
from mavrik.jobs import captures
from mavrik.jobs.bench_work import add_run
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.people import Who
from mavrik.jobs.records import JobRecord
from mavrik.jobs.work import JobInput, fill_test, job_record, make_job, next_number, note_change, open_job
from mavrik.store.models import CircuitVersion, Job, TestRun


def bundle_of(job: JobRecord, captured: tuple[BundleCapture, ...] = ()) -> Bundle:
    """A job as a bundle, with its captures as `captures.carried` gives them."""
    return Bundle(
        format=FORMAT,
        version=VERSION,
        exported_at=datetime.now(UTC),
        customer=job.customer,
        vehicle=job.vehicle,
        job=BundleJob(
            number=job.number,
            complaint=job.complaint,
            loads_to_add=job.loads_to_add,
            promised=job.promised,
            state=job.state,
            limit_profile=job.limit_profile,
            maker_limits=job.maker_limits,
        ),
        circuits=tuple(
            BundleCircuit(id=c.id, role=c.role, revision=c.revision, document=c.document, proposal=c.proposal)
            for c in job.circuits
        ),
        tests=tuple(BundleTest(circuit_id=t.circuit_id, test=t.test) for t in job.tests),
        runs=tuple(BundleRun(circuit_id=r.circuit_id, run=r.run) for r in job.runs),
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
    tests = [(circuits[t.circuit_id], t.test) for t in job.tests]
    runs = [(circuits[r.circuit_id], r.run) for r in job.runs]
    return f"{job.number}-readings.{kind}", readings_csv(tests, runs) if kind == "csv" else readings_parquet(tests, runs)


def store_bundle(session: Session, bundle: Bundle, who: Who) -> Job:
    """A bundle as a new job, all of it or nothing. A number that is taken is replaced by the next free one."""
    taken = session.scalar(select(Job.id).where(Job.number == bundle.job.number))
    number = bundle.job.number if taken is None else next_number(session)
    given = JobInput(
        customer=bundle.customer,
        vehicle=bundle.vehicle,
        complaint=bundle.job.complaint,
        loads_to_add=bundle.job.loads_to_add,
        promised=bundle.job.promised,
        state=bundle.job.state,
        limit_profile=bundle.job.limit_profile,
        maker_limits=bundle.job.maker_limits,
    )
    row = make_job(session, given, who, number)
    versions: dict[int, CircuitVersion] = {}
    for version in bundle.circuits:
        versions[version.id] = CircuitVersion(
            job=row,
            role=version.role.value,
            revision=version.revision,
            schema_version=version.document.schema_version,
            document=version.document.model_dump(mode="json"),
            proposal=version.proposal.model_dump(mode="json") if version.proposal else None,
            created_by_id=who.id,
        )
    session.add_all(versions.values())
    session.flush()
    for entry in bundle.tests:
        run = TestRun(job=row, circuit_id=versions[entry.circuit_id].id, readings=[])
        fill_test(run, entry.test, who)
        session.add(run)
    session.flush()
    for carried in bundle.runs:
        add_run(session, row, versions[carried.circuit_id], carried.run, who)
    for capture in bundle.captures:
        captures.take_in(session, row.id, capture)
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
