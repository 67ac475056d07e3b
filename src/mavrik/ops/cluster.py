"""A private PostgreSQL cluster: reached by a socket of its own, never touching one that runs already."""

from __future__ import annotations

import grp
import hashlib
import json
import os
import pwd
import secrets
import shutil
import stat
import subprocess
import tempfile
from pathlib import Path
from typing import Any
from urllib.parse import quote

from mavrik.ops.base import VAR, OperationError, read_json, say, write_private
from mavrik.ops.debian import DATABASE_PACKAGES, ensure_packages

SETTINGS = VAR / "cluster.json"
OWNER = "mavrik"
PORT = 5432
"""Only part of the socket's file name: the cluster listens on no network address."""
LONGEST_SOCKET = 100


def binaries(data: Path | None = None) -> Path:
    """Folder of the server's programs: those of the version that made the cluster's data, the newest where there is none yet.

    data: the cluster's data folder
    Raises OperationError with one line where they are missing.
    """
    by_version = {p.parts[-3]: p.parent for p in Path("/usr/lib/postgresql").glob("*/bin/initdb")}
    made_by = data / "PG_VERSION" if data else None
    if made_by and made_by.is_file():
        version = made_by.read_text().strip()
        if version in by_version:
            return by_version[version]
        initdb = _on_path()
        if (
            initdb
            and f" {version}." in subprocess.run([str(initdb / "initdb"), "--version"], capture_output=True, text=True).stdout
        ):
            return initdb
        raise OperationError(
            f"The database was made by PostgreSQL {version}, whose programs are not on this machine. "
            f"Install with: sudo apt-get install postgresql-{version}"
        )
    if by_version:
        return by_version[max(by_version, key=int)]
    initdb = _on_path()
    if initdb:
        return initdb
    raise OperationError("PostgreSQL's server programs (initdb, pg_ctl) are not on this machine.")


def _on_path() -> Path | None:
    initdb = shutil.which("initdb")
    return Path(initdb).resolve().parent if initdb else None


def _account() -> pwd.struct_passwd | None:
    """The unprivileged account the server runs as, when we are root; None for our own."""
    if os.geteuid() != 0:
        return None
    for name in ("postgres", "nobody"):
        try:
            return pwd.getpwnam(name)
        except KeyError:
            continue
    raise OperationError("As root, PostgreSQL needs an unprivileged account: neither 'postgres' nor 'nobody' exists.")


def _as_account(account: pwd.struct_passwd | None) -> dict[str, Any]:
    options: dict[str, Any] = {"cwd": "/"}
    if account:
        groups = [g.gr_gid for g in grp.getgrall() if account.pw_name in g.gr_mem]
        options |= {"user": account.pw_uid, "group": account.pw_gid, "extra_groups": groups}
    return options


def _can_enter(folder: Path, account: pwd.struct_passwd | None) -> bool:
    """Whether the account may pass through every folder above."""
    if account is None:
        return True
    for parent in (folder, *folder.parents):
        if not parent.exists():
            continue
        mode = parent.stat()
        if not (mode.st_mode & stat.S_IXOTH or (mode.st_uid == account.pw_uid and mode.st_mode & stat.S_IXUSR)):
            return False
    return True


def _choose_places(account: pwd.struct_passwd | None) -> tuple[Path, Path]:
    """Folders for the data and for the socket."""
    tag = hashlib.sha256(str(VAR.resolve()).encode()).hexdigest()[:10]
    home = VAR.resolve() / "postgres"
    VAR.mkdir(parents=True, exist_ok=True)
    if not _can_enter(VAR.resolve(), account):
        # A clone below root's home is closed to the server's account.
        home = Path("/var/lib") / f"mavrik-{tag}"
    run = home / "run"
    if len(str(run)) + len("/.s.PGSQL.5432") > LONGEST_SOCKET:
        run = Path(tempfile.gettempdir()) / f"mavrik-{tag}"
    return home, run


def _own(folder: Path, account: pwd.struct_passwd | None) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    if account:
        os.chown(folder, account.pw_uid, account.pw_gid)
    folder.chmod(0o700)


def _call(command: list[str], what: str, account: pwd.struct_passwd | None, **options: Any) -> None:
    # The server inherits these streams: a pipe would keep the caller waiting for as long as it runs.
    with tempfile.TemporaryFile("w+") as output:
        done = subprocess.run(
            command,
            stdin=subprocess.DEVNULL,
            stdout=output,
            stderr=subprocess.STDOUT,
            check=False,
            **_as_account(account),
            **options,
        )
        if done.returncode:
            output.seek(0)
            tail = " | ".join(line for line in output.read().strip().splitlines()[-3:])
            raise OperationError(f"{what} failed: {tail}")


def ensure_cluster() -> dict[str, Any]:
    """Make the cluster where there is none, start it where it is down; returns its settings."""
    ensure_packages(DATABASE_PACKAGES, "the database")
    account = _account()
    settings = read_json(SETTINGS)
    programs = binaries(Path(settings["home"]) / "data" if settings else None)
    if not settings or not (Path(settings["home"]) / "data" / "PG_VERSION").exists():
        home, socket = _choose_places(account)
        say("Making the private database cluster ...")
        shutil.rmtree(home / "data", ignore_errors=True)
        settings = {"home": str(home), "socket": str(socket), "password": secrets.token_urlsafe(24)}
        _own(home, account)
        with tempfile.NamedTemporaryFile("w", suffix=".pw") as file:
            file.write(settings["password"] + "\n")
            file.flush()
            if account:
                os.chown(file.name, account.pw_uid, account.pw_gid)
            _call(
                [str(programs / "initdb"), "-D", str(home / "data"), "-U", OWNER, "--pwfile", file.name, "-E", "UTF8"]
                + ["--locale=C.UTF-8", "--auth=scram-sha-256"],
                "Making the database cluster",
                account,
            )
        write_private(SETTINGS, json.dumps(settings))
    if not is_running(settings):
        _start(settings, programs, account)
    return settings


def revive() -> bool:
    """Start the cluster where there is one that is down; returns whether it was. Raises OperationError where it does not start."""
    settings = read_json(SETTINGS)
    if not settings or is_running(settings):
        return False
    _start(settings, binaries(Path(settings["home"]) / "data"), _account())
    return True


def _start(settings: dict[str, Any], programs: Path, account: pwd.struct_passwd | None) -> None:
    home, socket = Path(settings["home"]), Path(settings["socket"])
    _own(socket, account)
    options = f"-c listen_addresses='' -c unix_socket_directories='{socket}' -c port={PORT} -c max_connections=120"
    _call(
        [str(programs / "pg_ctl"), "-D", str(home / "data"), "-l", str(home / "server.log"), "-o", options]
        + ["-w", "-t", "30", "start"],
        "Starting the database",
        account,
    )


def is_running(settings: dict[str, Any]) -> bool:
    """Whether the cluster's server answers to its own control program."""
    data = Path(settings["home"]) / "data"
    done = subprocess.run(
        [str(binaries(data) / "pg_ctl"), "-D", str(data), "status"], capture_output=True, check=False, **_as_account(_account())
    )
    return done.returncode == 0


def stop_cluster() -> bool:
    """Stop the server; returns whether it ran."""
    settings = read_json(SETTINGS)
    if not settings or not (Path(settings["home"]) / "data").exists() or not is_running(settings):
        return False
    data = Path(settings["home"]) / "data"
    _call(
        [str(binaries(data) / "pg_ctl"), "-D", str(data), "-m", "fast", "-w", "stop"],
        "Stopping the database",
        _account(),
    )
    return True


def remove_cluster() -> None:
    """Delete the cluster with everything in it."""
    settings = read_json(SETTINGS)
    stop_cluster()
    if settings:
        shutil.rmtree(settings["home"], ignore_errors=True)
        shutil.rmtree(settings["socket"], ignore_errors=True)
    SETTINGS.unlink(missing_ok=True)


def url_of(settings: dict[str, Any], database: str) -> str:
    """URL of a database of the cluster."""
    return f"postgresql+psycopg://{OWNER}:{quote(settings['password'])}@/{database}?host={quote(settings['socket'])}&port={PORT}"
