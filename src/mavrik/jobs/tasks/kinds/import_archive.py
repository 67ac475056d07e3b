"""Many job bundles in one ZIP are taken in, each of them whole or not at all."""

from __future__ import annotations

import zipfile
from pathlib import Path

from mavrik.exchange.bundle import LARGEST_BUNDLE_BYTES
from mavrik.jobs.carrying import ArchiveRequest, import_bundle
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.tasks import MadeJob, RefusedFile, TaskKind, TaskResult, Work

MOST_BUNDLES = 500


def _run(work: Work, request: ArchiveRequest) -> None:
    try:
        with zipfile.ZipFile(request.path) as archive:
            members = sorted((m for m in archive.infolist() if m.filename.endswith(".json")), key=lambda m: m.filename)
            if not members:
                raise InvalidError("There is no job bundle in this archive; their names end with .mavrik.json.")
            if len(members) > MOST_BUNDLES:
                raise InvalidError(f"{len(members)} bundles are too many for one archive: at most {MOST_BUNDLES}.")
            # What a worker before has taken in is not taken in twice.
            known = {m.file for m in work.result.made} | {r.file for r in work.result.refused}
            for k, member in enumerate(members):
                work.progress(k / len(members), f"{k + 1} of {len(members)}")
                if member.filename not in known:
                    _take_in(work, archive, member)
    except FileNotFoundError:
        raise InvalidError("The archive is not on the server any more: load it again.") from None
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError):
        raise InvalidError("This is no ZIP archive, it is damaged, or it asks for a password.") from None
    if not work.result.made:
        raise InvalidError("None of them could be taken in.")
    with work.last():
        pass


def _take_in(work: Work, archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> None:
    so_far, name = work.result, member.filename[:200]
    try:
        with archive.open(member) as file:
            # What it says of its own size may be wrong.
            data = file.read(LARGEST_BUNDLE_BYTES + 1)
        if len(data) > LARGEST_BUNDLE_BYTES:
            raise InvalidError(f"It is larger than {LARGEST_BUNDLE_BYTES // 1_000_000} MB.")
        with work.session() as session:
            job = import_bundle(session, data, work.who)
            made = MadeJob(file=name, job_id=job.id, number=job.number)
            work.keep(session, TaskResult(made=(*so_far.made, made), refused=so_far.refused))
    except InvalidError as error:
        where = f" ({error.problems[0].message})" if error.problems else ""
        refused = RefusedFile(file=name, why=f"{error}{where}"[:500])
        with work.session() as session:
            work.keep(session, TaskResult(made=so_far.made, refused=(*so_far.refused, refused)))


def _cleared(request: ArchiveRequest) -> None:
    Path(request.path).unlink(missing_ok=True)


IMPORT_ARCHIVE = TaskKind("import_archive", ArchiveRequest, _run, priority=5, cleared=_cleared)
