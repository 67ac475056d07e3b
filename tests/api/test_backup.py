"""A database to a file and back, on a real PostgreSQL: what was there comes back whole, and what is damaged touches nothing."""

from __future__ import annotations

import io
import json
import os
import stat
import subprocess
import sys
import tarfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, make_url, text

from mavrik.domain.roles import Role
from mavrik.jobs.people import add_person
from mavrik.store import backup
from mavrik.store.backup import BackupError, is_behind, read_manifest, restore_backup, write_automatic_backup, write_backup
from mavrik.store.database import MIGRATIONS, Database
from tests.conftest import fresh_database

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture
def shop(admin_url: str) -> Iterator[str]:
    """A database with three people."""
    with fresh_database(admin_url) as url:
        add(url, "mara", "tobin", "ines")
        yield url


def add(url: str, *logins: str) -> None:
    database = Database(url)
    with database.session() as session:
        for login in logins:
            add_person(session, login, login.title(), Role.TECHNICIAN, "a long enough password")
    database.dispose()


def logins(url: str) -> list[str]:
    engine = create_engine(url)
    with engine.connect() as connection:
        names = list(connection.scalars(text("SELECT login FROM people ORDER BY login")))
    engine.dispose()
    return names


def databases(admin_url: str, of: str) -> set[str]:
    """The database of a shop and what was made beside it; other tests have theirs on the same server."""
    engine = create_engine(admin_url)
    with engine.connect() as connection:
        name = make_url(of).database
        left = set(connection.scalars(text("SELECT datname FROM pg_database WHERE starts_with(datname, :name)"), {"name": name}))
    engine.dispose()
    return left


def empty(url: str) -> None:
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("DROP SCHEMA public CASCADE"))
        connection.execute(text("CREATE SCHEMA public"))
    engine.dispose()


def migrated_to(url: str, revision: str) -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    command.upgrade(config, revision)


def forged(file: Path, manifest: dict[str, Any] | bytes, dump: bytes, *more: str) -> Path:
    """A backup with other parts."""
    with tarfile.open(file, "w") as tar:
        raw = manifest if isinstance(manifest, bytes) else json.dumps(manifest).encode()
        for name, held in (("manifest.json", raw), ("database.dump", dump), *((n, b"") for n in more)):
            member = tarfile.TarInfo(name)
            member.size = len(held)
            tar.addfile(member, io.BytesIO(held))
    return file


def parts(file: Path) -> tuple[dict[str, Any], bytes]:
    with tarfile.open(file) as tar:
        manifest, dump = tar.extractfile("manifest.json"), tar.extractfile("database.dump")
        assert manifest and dump
        return json.loads(manifest.read()), dump.read()


def test_what_was_there_comes_back_and_what_came_after_is_gone(shop: str, admin_url: str, tmp_path: Path) -> None:
    file = tmp_path / "friday.mavrik-backup"
    made = write_backup(shop, file)
    assert made.rows["people"] == 3 and stat.S_IMODE(file.stat().st_mode) == 0o600
    assert list(tmp_path.iterdir()) == [file]
    add(shop, "late")
    before = databases(admin_url, of=shop)
    # Somebody is still at work on the old one: that must not keep it from being replaced.
    at_work = create_engine(shop)
    connection = at_work.connect()
    connection.execute(text("SELECT 1"))
    assert restore_backup(admin_url, shop, file) == made
    connection.invalidate()
    connection.close()
    at_work.dispose()
    assert logins(shop) == ["ines", "mara", "tobin"]
    assert databases(admin_url, of=shop) == before
    # What counts on goes on where it was.
    add(shop, "new")
    assert len(logins(shop)) == 4


def test_a_backup_is_one_moment_while_others_write(shop: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Counted, then written to by somebody else, then dumped: the dump is still of the moment that was counted."""
    run = backup._run

    def late(url: str, *words: str) -> None:
        add(shop, "meanwhile")
        run(url, *words)

    monkeypatch.setattr(backup, "_run", late)
    file = tmp_path / "busy"
    write_backup(shop, file)
    monkeypatch.undo()
    _, dump = parts(file)
    (tmp_path / "dump").write_bytes(dump)
    listed = subprocess.run(
        [backup._program("pg_restore"), "--data-only", "--table=people", "--file=-", str(tmp_path / "dump")],
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    assert "mara" in listed and "meanwhile" not in listed
    assert "meanwhile" in logins(shop)


@pytest.mark.long(but=3)
@pytest.mark.parametrize(
    "harm", ["a byte", "cut short", "no backup", "another part", "rows", "newer schema", "newer file", "manifest"]
)
def test_a_damaged_file_touches_nothing(harm: str, shop: str, admin_url: str, tmp_path: Path) -> None:
    file = tmp_path / "kept"
    write_backup(shop, file)
    manifest, dump = parts(file)
    if harm == "a byte":
        forged(file, manifest, dump[:900] + bytes([dump[900] ^ 1]) + dump[901:])
    elif harm == "cut short":
        file.write_bytes(file.read_bytes()[: len(dump) // 2])
    elif harm == "no backup":
        file.write_bytes(b"minutes of the meeting")
    elif harm == "another part":
        forged(file, manifest, dump, "../../etc/passwd")
    elif harm == "rows":
        forged(file, {**manifest, "rows": {**manifest["rows"], "people": 4}}, dump)
    elif harm == "newer schema":
        forged(file, {**manifest, "revision": "9999"}, dump)
    elif harm == "newer file":
        forged(file, {**manifest, "version": 2}, dump)
    else:
        forged(file, b"[1]", dump)
    add(shop, "late")
    before = databases(admin_url, of=shop)
    outcome = {
        "a byte": "damaged",
        "rows": "did not come back whole: people",
        "newer schema": "newer Mavrik",
        "newer file": "newer Mavrik",
    }
    with pytest.raises(BackupError, match=outcome.get(harm, "is no backup of Mavrik")):
        restore_backup(admin_url, shop, file)
    assert "late" in logins(shop) and databases(admin_url, of=shop) == before


def test_an_older_backup_is_brought_up_to_date(admin_url: str, tmp_path: Path) -> None:
    with fresh_database(admin_url) as url:
        empty(url)
        migrated_to(url, "0006")
        assert is_behind(url)
        made = write_backup(url, tmp_path / "old")
        assert made.revision == "0006"
        restore_backup(admin_url, url, tmp_path / "old")
        assert not is_behind(url)


def test_an_empty_database_is_not_backed_up(admin_url: str, tmp_path: Path) -> None:
    with fresh_database(admin_url) as url:
        empty(url)
        with pytest.raises(BackupError, match="nothing to back up"):
            write_backup(url, tmp_path / "none")
        assert not is_behind(url) and not list(tmp_path.iterdir())


def test_a_place_that_cannot_be_written_is_said(shop: str, tmp_path: Path) -> None:
    with pytest.raises(BackupError, match="There is no folder"):
        write_backup(shop, tmp_path / "nowhere" / "file")
    with pytest.raises(BackupError, match="cannot be read"):
        read_manifest(tmp_path / "nothing")


def test_a_failing_dump_leaves_the_last_backup(shop: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "last"
    write_backup(shop, file)
    kept = file.read_bytes()
    broken = tmp_path / "bin" / "pg_dump"
    broken.parent.mkdir()
    broken.write_text("#!/bin/sh\necho 'pg_dump: error: no space left' >&2\nexit 1\n")
    broken.chmod(0o755)
    monkeypatch.setenv("MAVRIK_PG_BIN", str(broken.parent))
    with pytest.raises(BackupError, match="pg_dump failed: pg_dump: error: no space left"):
        write_backup(shop, file)
    assert file.read_bytes() == kept and {p.name for p in tmp_path.iterdir()} == {"last", "bin"}


def test_only_the_last_automatic_ones_are_kept(shop: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(backup, "KEPT", 3)
    for day in range(5):
        (tmp_path / f"2026010{day}-120000-before-migration.mavrik-backup").write_text("old")
    newest = write_automatic_backup(shop, tmp_path, "before-restore")
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        "20260103-120000-before-migration.mavrik-backup", "20260104-120000-before-migration.mavrik-backup", newest.name,
    ]  # fmt: skip


@pytest.mark.long
def test_a_migration_is_preceded_by_a_backup(admin_url: str, tmp_path: Path) -> None:
    with fresh_database(admin_url) as url:
        empty(url)
        migrated_to(url, "0007")
        engine = create_engine(url)
        with engine.begin() as connection:
            connection.execute(text("INSERT INTO customers (name, contact) VALUES ('Harbour office', '')"))
        engine.dispose()
        environment = {
            **os.environ, "MAVRIK_DATABASE_URL": url, "MAVRIK_BACKUPS": str(tmp_path), "PYTHONPATH": str(ROOT / "src"),
            "MAVRIK_FIRST_PASSWORD": "a long enough password",
        }  # fmt: skip
        prepare = [sys.executable, "-m", "mavrik.cli", "prepare", "--first-login", "boss"]
        done = subprocess.run(prepare, env=environment, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
        [kept] = tmp_path.iterdir()
        assert read_manifest(kept).revision == "0007" and read_manifest(kept).rows["customers"] == 1
        assert str(kept) in done.stderr
        again = subprocess.run(prepare, env=environment, capture_output=True, text=True, check=False)
        assert again.returncode == 0 and list(tmp_path.iterdir()) == [kept]
