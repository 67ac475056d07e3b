"""Taking jobs out and in: as files, as the sheet on the screen, from a bundle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Annotated

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.domain.job import JobDetails
from mavrik.domain.limits import MOST_CAPTURES
from mavrik.domain.roles import Who
from mavrik.exchange.bundle import (
    FORMAT,
    LARGEST_BUNDLE_BYTES,
    VERSION,
    Bundle,
    BundleCapture,
    BundleCircuit,
    BundleDocument,
    BundleError,
    BundleJob,
    BundlePhoto,
    BundleRun,
    read_bundle,
    write_bundle,
)
from mavrik.exchange.captures import CaptureError
from mavrik.exchange.files import JOB_FILES, Printing, job_file
from mavrik.exchange.photos import PhotoError
from mavrik.exchange.sheet import render_sheet
from mavrik.jobs import captures
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import ready_findings
from mavrik.jobs.lists import prices
from mavrik.jobs.photos import carried_photos, take_in_photo
from mavrik.jobs.records import JobRecord
from mavrik.jobs.runs import add_run
from mavrik.jobs.summaries import job_changed
from mavrik.jobs.tasks import TaskRecord, ask_for, record_of
from mavrik.jobs.work import OWN_NUMBER, JobInput, get_row, job_record, make_job, next_number, number_taken, open_job
from mavrik.store import models
from mavrik.store.models import CircuitVersion, Job, JobDocument

MOST_TOGETHER = 2000
"""Jobs written out into one archive."""


def bundle_of(job: JobRecord, captured: tuple[BundleCapture, ...] = (), photos: tuple[BundlePhoto, ...] = ()) -> Bundle:
    """A job as a bundle, with its captures as `captures.carried` and its photos as `carried_photos` gives them."""
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
        photos=photos,
    )


class ArchiveRequest(Document):
    """A ZIP of bundles that lies on the server to be taken in."""

    path: str


class FilesRequest(Document):
    """Jobs to be written out together."""

    job_ids: Annotated[tuple[int, ...], Field(min_length=1, max_length=MOST_TOGETHER)]
    numbers: dict[str, str]
    """Of the jobs by id, as they were."""
    file: str
    workshop: str
    address: str = ""
    name: str
    """Of the archive."""


def import_archive_later(session: Session, name: str, path: str, who: Who) -> TaskRecord:
    """Have a ZIP of bundles taken in that lies at a path; whoever does it deletes it.

    name: of the file where it came from
    """
    return record_of(ask_for(session, "import_archive", ArchiveRequest(path=path), f"Jobs out of {name}", who))


def write_files_later(
    session: Session, job_ids: Sequence[int], file: str, title: str, name: str, workshop: str, who: Who, address: str = ""
) -> TaskRecord:
    """Have jobs written out together as a ZIP.

    file: of `mavrik.exchange.files`; title: for people; name: of the archive
    Raises InvalidError for no jobs, too many, or a file that is not made.
    """
    if file not in {f.name for f in JOB_FILES}:
        raise InvalidError(f"A job is not written as '{file}'.", [Problem("file", "file", "One that the catalogue lists")])
    if not job_ids:
        raise InvalidError("There is no job to write out.")
    if len(job_ids) > MOST_TOGETHER:
        raise InvalidError(f"{len(job_ids)} jobs are too many at once: at most {MOST_TOGETHER}. Narrow the list.")
    numbers = {str(i): n for i, n in session.execute(select(Job.id, Job.number).where(Job.id.in_(job_ids)))}
    request = FilesRequest(job_ids=tuple(job_ids), numbers=numbers, file=file, workshop=workshop, address=address, name=name)
    return record_of(ask_for(session, "write_files", request, title, who))


def write_list_later(
    session: Session, job_ids: Sequence[int], file: str, workshop: str, who: Who, address: str = ""
) -> TaskRecord:
    """The same for the jobs of a list. Raises as `write_files_later`."""
    label = next((f.label for f in JOB_FILES if f.name == file), file)
    count = "1 job" if len(job_ids) == 1 else f"{len(job_ids)} jobs"
    return write_files_later(
        session, job_ids, file, f"{label} of {count}", f"{len(job_ids)}-jobs-{file}.zip", workshop, who, address
    )


def export_file(session: Session, job_id: int, name: str, printing: Printing) -> tuple[str, bytes, str]:
    """A job as a file: the file's name, its bytes and media type.

    name: of `mavrik.exchange.files`; printing: what goes on it beside the job
    Raises NotFoundError for a file that is not made, InvalidError while there is nothing to put into it.
    """
    try:
        kind = job_file(name)
    except KeyError:
        raise NotFoundError(f"A job is not written as '{name}'.") from None
    job = open_job(session, job_id)
    try:
        photos = carried_photos(session, job_id)
        room = _room_for_samples(bundle_of(job, photos=photos), kind.sample_bytes)
        if kind.says_findings:
            printing = replace(printing, findings=ready_findings(session, get_row(session, job_id)))
        printing = replace(printing, prices=prices(session).document)
        data = kind.write(bundle_of(job, captures.carried(session, job_id, room), photos), printing)
    except ValueError as error:
        raise InvalidError(str(error)) from error
    return f"{job.number}{kind.ending}", data, kind.media_type


def _room_for_samples(bare: Bundle, most: int) -> int:
    """How much the samples of captures may take of a file, beside all else of the job [bytes]."""
    return max(0, min(most, LARGEST_BUNDLE_BYTES - len(write_bundle(bare)) - PICTURE_BYTES * MOST_CAPTURES)) if most else 0


PICTURE_BYTES = 60_000
"""What a capture takes of a bundle without its samples, at most: a thousand stretches with the least and the most of each."""


def sheet_html(session: Session, job_id: int, printing: Printing, nonce: str, asset_root: str) -> str:
    """The sheet as a page; raises InvalidError while there is nothing to print."""
    try:
        made = bundle_of(open_job(session, job_id), captures.carried(session, job_id), carried_photos(session, job_id))
        return render_sheet(
            made, printing.workshop, printing.at, nonce, asset_root, ready_findings(session, get_row(session, job_id))
        )
    except ValueError as error:
        raise InvalidError(str(error)) from error


def store_bundle(session: Session, bundle: Bundle, who: Who) -> Job:
    """A bundle as a new job, all of it or nothing. A number that is taken, or none of ours, is replaced by the next free one."""
    keeps = OWN_NUMBER.fullmatch(bundle.job.number) and not number_taken(session, bundle.job.number)
    number = bundle.job.number if keeps else next_number(session)
    details = {name: getattr(bundle.job, name) for name in JobDetails.model_fields}
    given = JobInput(customer=bundle.customer, vehicle=bundle.vehicle, **details)
    try:
        with session.begin_nested():
            row = make_job(session, given, who, number)
    except IntegrityError:
        # Another file with the same number came in at the same moment.
        row = make_job(session, given, who, next_number(session))
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
    for photo in bundle.photos:
        take_in_photo(session, row.id, photo)
    session.flush()
    session.refresh(row, ["circuits", "runs", "documents"])
    job_changed(session, row)
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
    except PhotoError as error:
        raise InvalidError(str(error), [Problem("photos", "jpeg", str(error))]) from error
    note_change(session, row.id, who, f"took the job in from a bundle numbered {bundle.job.number}")
    session.flush()
    return job_record(session, row)
