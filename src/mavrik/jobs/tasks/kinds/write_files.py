"""Many jobs are written out as files of one kind, together in a ZIP."""

from __future__ import annotations

import zipfile
from datetime import UTC, datetime
from pathlib import Path

from mavrik.exchange.files import Printing
from mavrik.jobs import scratch
from mavrik.jobs.carrying import FilesRequest, export_file
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.tasks import RefusedFile, TaskKind, TaskResult, Work

LARGEST_BYTES = 60_000_000


def _run(work: Work, request: FilesRequest) -> None:
    printing = Printing(request.workshop, datetime.now(UTC), address=request.address)
    refused: list[RefusedFile] = []
    with scratch.new_file(LARGEST_BYTES) as file:
        path = Path(file.name)
        try:
            with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
                for k, job_id in enumerate(request.job_ids):
                    work.progress(k / len(request.job_ids), f"{k + 1} of {len(request.job_ids)}")
                    try:
                        with work.session() as session:
                            name, data, _ = export_file(session, job_id, request.file, printing)
                    except (InvalidError, NotFoundError) as error:
                        refused.append(RefusedFile(file=request.numbers.get(str(job_id), f"job {job_id}"), why=str(error)[:500]))
                        continue
                    archive.writestr(name, data)
                    if file.tell() > LARGEST_BYTES:
                        raise InvalidError(f"Together they are larger than {LARGEST_BYTES // 1_000_000} MB: choose fewer jobs.")
            work.result = TaskResult(refused=tuple(refused))
            if len(refused) == len(request.job_ids):
                raise InvalidError(f"There is nothing to write. {refused[0].file}: {refused[0].why}")
            with work.last((request.name, "application/zip", path.read_bytes())):
                pass
        finally:
            path.unlink(missing_ok=True)


WRITE_FILES = TaskKind("write_files", FilesRequest, _run, again=True)
