"""A whole database in one file, and back: PostgreSQL's own dump, with what it has to hold said beside it."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from alembic.config import Config
from alembic.script import ScriptDirectory
from alembic.util import CommandError
from sqlalchemy import URL, Connection, create_engine, make_url, text
from sqlalchemy.pool import NullPool

from mavrik.store.database import MIGRATIONS, Database, as_psycopg, ensure_database

FORMAT, VERSION = "mavrik-backup", 1
MANIFEST, DUMP = "manifest.json", "database.dump"
MOST_MANIFEST = 1_000_000
KEPT = 10
"""So many of the backups that are made without being asked for."""

SUFFIX = ".mavrik-backup"


class BackupError(ValueError):
    """A backup that cannot be made, or a file that cannot be restored; one line."""


@dataclass(frozen=True)
class Manifest:
    """What a backup holds."""

    made_at: str
    """Moment, in UTC."""
    database: str
    revision: str
    """Newest migration."""
    rows: Mapping[str, int]
    """By table, counted in the same snapshot as the dump."""
    size: int
    """Of the dump [byte]."""
    sha256: str
    """Of the dump."""


def write_backup(url: str, file: Path) -> Manifest:
    """Write a database to a file that only its owner may read, whole or not at all; the database goes on being used.

    url: the database; file: where to; one that is there is replaced
    Raises BackupError where the database has no schema of ours, or pg_dump is missing or fails.
    """
    engine = create_engine(as_psycopg(url), poolclass=NullPool, isolation_level="REPEATABLE READ")
    with _folder_next_to(file) as folder, engine.connect() as connection:
        revision = _revision(connection)
        if revision is None:
            raise BackupError("The database is empty: there is nothing to back up.")
        rows = _rows(connection)
        snapshot = str(connection.scalar(text("SELECT pg_export_snapshot()")))
        dump = folder / DUMP
        _run(url, "pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--snapshot={snapshot}", f"--file={dump}")
        made = Manifest(
            datetime.now(UTC).isoformat(timespec="seconds"), _name(url), revision, rows, dump.stat().st_size, _sha256(dump)
        )
        manifest = folder / MANIFEST
        manifest.write_text(json.dumps({"format": FORMAT, "version": VERSION, **asdict(made)}, indent=2))
        draft = folder / "whole"
        with tarfile.open(draft, "w") as tar:
            for part in (manifest, dump):
                tar.add(part, arcname=part.name)
        draft.chmod(0o600)
        with draft.open("rb") as written:
            os.fsync(written.fileno())
        draft.replace(file)
    return made


def write_automatic_backup(url: str, folder: Path, why: str) -> Path:
    """Write one nobody asked for, beside the last few of its kind.

    folder: where they are kept; why: short, for the file's name
    """
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    file = folder / f"{datetime.now(UTC):%Y%m%d-%H%M%S}-{why}{SUFFIX}"
    write_backup(url, file)
    for old in sorted(folder.glob(f"*{SUFFIX}"))[:-KEPT]:
        old.unlink(missing_ok=True)
    return file


def read_manifest(file: Path) -> Manifest:
    """What a backup says that it holds, its dump checked against its checksum.

    Raises BackupError for a file that is none, is damaged or cut short, or was made by a newer Mavrik.
    """
    with _parts(file) as (manifest, dump):
        digest = hashlib.sha256()
        size = 0
        for block in iter(lambda: dump(1 << 20), b""):
            digest.update(block)
            size += len(block)
        if (size, digest.hexdigest()) != (manifest.size, manifest.sha256):
            raise BackupError(f"{file.name} is damaged: its dump is not what was written. Nothing was restored.")
    return manifest


def restore_backup(admin_url: str, url: str, file: Path) -> Manifest:
    """Put a backup in a database's place: built beside it, checked, migrated, and only then exchanged for it.

    admin_url: a database of the same server whose owner may make others; url: the database to replace, or to make
    Raises BackupError as `read_manifest`, and where what was restored is not what the backup says; the database is then as it was.
    """
    manifest = read_manifest(file)
    target, name = make_url(as_psycopg(url)), _name(url)
    fresh = target.set(database=f"{name}_restoring")
    admin = create_engine(as_psycopg(admin_url), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with admin.connect() as connection:
        _drop(connection, _name(_plain(fresh)))
    ensure_database(admin_url, _plain(fresh))
    try:
        with tempfile.TemporaryDirectory(prefix="mavrik-restore-", dir=file.parent) as place, _parts(file) as (_, dump):
            dump_file = Path(place) / DUMP
            with dump_file.open("wb") as out:
                for block in iter(lambda: dump(1 << 20), b""):
                    out.write(block)
            _run(
                _plain(fresh),
                "pg_restore",
                "--exit-on-error",
                "--no-owner",
                "--no-privileges",
                f"--dbname={fresh.database}",
                str(dump_file),
            )
        engine = create_engine(fresh, poolclass=NullPool)
        with engine.connect() as connection:
            rows = _rows(connection)
        if rows != dict(manifest.rows):
            unlike = sorted(t for t in {*rows, *manifest.rows} if rows.get(t) != manifest.rows.get(t))
            raise BackupError(f"{file.name} did not come back whole: {', '.join(unlike)}. The database is as it was.")
        database = Database(_plain(fresh))
        database.migrate()
        database.dispose()
    except BaseException:
        with admin.connect() as connection:
            _drop(connection, _name(_plain(fresh)))
        raise
    with admin.connect() as connection:
        _exchange(connection, name, _name(_plain(fresh)))
    return manifest


def is_behind(url: str) -> bool:
    """Whether a database has a schema of ours that is not the newest."""
    engine = create_engine(as_psycopg(url), poolclass=NullPool)
    with engine.connect() as connection:
        revision = _revision(connection)
    return revision is not None and revision != _scripts().get_current_head()


def is_there(admin_url: str, url: str) -> bool:
    """Whether a database is there and has a schema of ours."""
    engine = create_engine(as_psycopg(admin_url), poolclass=NullPool)
    with engine.connect() as connection:
        if connection.scalar(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": _name(url)}) is None:
            return False
    probe = create_engine(as_psycopg(url), poolclass=NullPool)
    with probe.connect() as connection:
        return _revision(connection) is not None


@contextmanager
def _folder_next_to(file: Path) -> Iterator[Path]:
    """A folder of our own on the same disk, so that the last step is one renaming."""
    if not file.parent.is_dir():
        raise BackupError(f"There is no folder {file.parent}.")
    try:
        with tempfile.TemporaryDirectory(prefix=".mavrik-backup-", dir=file.parent) as place:
            yield Path(place)
    except OSError as error:
        raise BackupError(f"{file} cannot be written: {error.strerror}.") from None


@contextmanager
def _parts(file: Path) -> Iterator[tuple[Manifest, Callable[[int], bytes]]]:
    """The manifest, and the dump to be read in blocks; nothing is unpacked by a name that the file chooses."""
    try:
        with tarfile.open(file, "r:") as tar:
            members = {m.name: m for m in tar.getmembers() if m.isreg()}
            if set(members) != {MANIFEST, DUMP} or members[MANIFEST].size > MOST_MANIFEST:
                raise BackupError(f"{file.name} is no backup of Mavrik.")
            manifest, dump = tar.extractfile(members[MANIFEST]), tar.extractfile(members[DUMP])
            assert manifest is not None and dump is not None  # they are files
            yield _manifest(file, manifest.read()), dump.read
    except tarfile.TarError:
        raise BackupError(f"{file.name} is no backup of Mavrik, or was cut short.") from None
    except OSError as error:
        raise BackupError(f"{file} cannot be read: {error.strerror}.") from None


def _manifest(file: Path, raw: bytes) -> Manifest:
    try:
        held = json.loads(raw)
        version = held.pop("version")
        if held.pop("format") != FORMAT:
            raise ValueError
        if version != VERSION:
            raise BackupError(f"{file.name} was made by a newer Mavrik than this.")
        made = Manifest(**held)
        _scripts().get_revision(made.revision)
    except BackupError:
        raise
    except CommandError:
        raise BackupError(f"{file.name} was made by a newer Mavrik than this.") from None
    except (ValueError, TypeError, KeyError, AttributeError):
        raise BackupError(f"{file.name} is no backup of Mavrik.") from None
    return made


def _scripts() -> ScriptDirectory:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return ScriptDirectory.from_config(config)


def _revision(connection: Connection) -> str | None:
    if connection.scalar(text("SELECT to_regclass('alembic_version')")) is None:
        return None
    revision: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
    return revision


def _rows(connection: Connection) -> dict[str, int]:
    names = connection.scalars(text("SELECT tablename FROM pg_tables WHERE schemaname = current_schema() ORDER BY 1")).all()
    quote = connection.dialect.identifier_preparer.quote
    return {n: int(connection.scalar(text(f"SELECT count(*) FROM {quote(n)}")) or 0) for n in names}  # noqa: S608 the names are the catalogue's own, quoted


def _drop(connection: Connection, name: str) -> None:
    connection.execute(text(f"DROP DATABASE IF EXISTS {connection.dialect.identifier_preparer.quote(name)} WITH (FORCE)"))


def _exchange(connection: Connection, name: str, fresh: str) -> None:
    """Put one database in another's place; whoever uses the old one is sent away."""
    quote = connection.dialect.identifier_preparer.quote
    before = f"{name}_before"
    _drop(connection, before)
    there = connection.scalar(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": name}) is not None
    leave = text("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = :name")
    connection.execute(leave, {"name": fresh})
    if there:
        connection.execute(text(f"ALTER DATABASE {quote(name)} ALLOW_CONNECTIONS false"))
        connection.execute(leave, {"name": name})
        connection.execute(text(f"ALTER DATABASE {quote(name)} RENAME TO {quote(before)}"))
    try:
        connection.execute(text(f"ALTER DATABASE {quote(fresh)} RENAME TO {quote(name)}"))
    except BaseException:
        if there:
            connection.execute(text(f"ALTER DATABASE {quote(before)} RENAME TO {quote(name)}"))
            connection.execute(text(f"ALTER DATABASE {quote(name)} ALLOW_CONNECTIONS true"))
        raise
    _drop(connection, before)


def _name(url: str) -> str:
    name = make_url(as_psycopg(url)).database
    assert name is not None
    return name


def _plain(url: URL) -> str:
    return url.render_as_string(hide_password=False)


def _sha256(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def _program(name: str) -> str:
    """One of PostgreSQL's client programs: of the cluster's own version where that is said, the newest otherwise."""
    folders = [Path(folder)] if (folder := os.environ.get("MAVRIK_PG_BIN")) else []
    folders += sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda p: int(p.parts[-2]), reverse=True)
    program = next((f / name for f in folders if (f / name).is_file()), None) or shutil.which(name)
    if program is None:
        raise BackupError(f"PostgreSQL's {name} is not on this machine. Install with: sudo apt-get install postgresql-client")
    return str(program)


def _run(url: str, name: str, *words: str) -> None:
    """Run a client program on a database, whose password no list of processes shows."""
    parts = make_url(as_psycopg(url))
    parameters = {k: v if isinstance(v, str) else v[0] for k, v in parts.query.items()}
    host, port = parts.host or parameters.get("host"), parts.port or parameters.get("port")
    given = {"PGHOST": host, "PGPORT": port, "PGUSER": parts.username, "PGPASSWORD": parts.password, "PGDATABASE": parts.database}
    given["PGSSLMODE"] = parameters.get("sslmode")
    environment = {**os.environ, **{k: str(v) for k, v in given.items() if v}}
    done = subprocess.run([_program(name), *words], env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        lines = done.stderr.strip().splitlines() or ["no reason given"]
        raise BackupError(f"{name} failed: {lines[-1]}")
