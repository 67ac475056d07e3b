"""The web server: started in the background under its supervisor, found again, stopped."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import secrets
import signal
import socket
import subprocess
import time
import urllib.error
import urllib.request
from dataclasses import asdict, dataclass

from mavrik.ops.base import ROOT, VAR, VENV_PYTHON, OperationError, fingerprint, read_json, write_private
from mavrik.ops.supervisor import BETWEEN, SERVER, WORKER

STATE = VAR / "server.json"
LOG = VAR / "server.log"
SECRET = VAR / "secret.json"
USUAL_PROCESSES, MOST_PROCESSES = 2, 64
START_SECONDS = 120


OURS = (b"mavrik.ops.supervisor", b"mavrik.web.app")
"""In the command of a server of ours; the second is how an earlier Mavrik started one."""


@dataclass(frozen=True)
class Running:
    """A server that was started."""

    pid: int
    port: int
    mode: str
    stamp: str
    """What it was started from: `stamp_of` the code and settings of that moment."""

    @property
    def address(self) -> str:
        """Where it is."""
        return f"http://127.0.0.1:{self.port}"


def secret_key() -> str:
    """The key that signs session cookies: made once, kept for this machine only."""
    key = read_json(SECRET).get("key")
    if not isinstance(key, str):
        key = secrets.token_hex(32)
        write_private(SECRET, json.dumps({"key": key}))
    return key


def serving(host: str, port: int, workers: int) -> list[str]:
    """What uvicorn is told: it starts so many processes, and another one for each that dies."""
    return [
        "mavrik.web.front:make", "--factory", "--host", host, "--port", str(port), "--workers", str(workers),
        "--http", "mavrik.web.connections:Bounded",
        # Whose address is believed is our own setting, MAVRIK_PROXIES.
        "--no-proxy-headers", "--no-server-header", "--no-access-log", "--log-level", "warning",
        "--timeout-graceful-shutdown", "5", "--timeout-worker-healthcheck", "30",
    ]  # fmt: skip


def stamp_of(environment: dict[str, str]) -> str:
    """One hash over the server's code, data files and settings: with another one, a running server is out of date."""
    source = ROOT / "src" / "mavrik"
    files = sorted(f for ending in ("*.py", "*.json", "*.j2", "*.woff2") for f in source.rglob(ending) if "static" not in f.parts)
    return hashlib.sha256((fingerprint(files) + json.dumps(environment, sort_keys=True)).encode()).hexdigest()


def find_running() -> Running | None:
    """The server started from here, if it still runs."""
    kept = read_json(STATE)
    try:
        running = Running(int(kept["pid"]), int(kept["port"]), str(kept["mode"]), str(kept.get("stamp", "")))
        with open(f"/proc/{running.pid}/cmdline", "rb") as file:  # noqa: PTH123 a process of ours, not just any with that number
            words = file.read()
            return running if any(mark in words for mark in OURS) else None
    except (KeyError, ValueError, OSError):
        return None


def is_healthy(port: int) -> bool:
    """Whether a server answers on a port of this machine."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=2) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError, ValueError):
        return False


def check_port(port: int) -> None:
    """Raise OperationError when somebody listens there already."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            raise OperationError(f"Port {port} is taken by another program. Choose another with --port.") from None


def processes() -> int:
    """How many processes answer, by MAVRIK_PROCESSES. Raises OperationError for what is no such number."""
    given = os.environ.get("MAVRIK_PROCESSES", str(USUAL_PROCESSES))
    if not given.isascii() or not given.isdigit() or not 1 <= int(given) <= MOST_PROCESSES:
        raise OperationError(f"MAVRIK_PROCESSES is a number from 1 to {MOST_PROCESSES}, not '{given}'.")
    return int(given)


def start(port: int, mode: str, environment: dict[str, str]) -> Running:
    """Start the server in the background and wait until it answers.

    port: on 127.0.0.1
    mode: demo or up
    environment: settings for the server
    Raises OperationError with the log's last lines when it does not come up.
    """
    check_port(port)
    VAR.mkdir(parents=True, exist_ok=True)
    uvicorn = [str(VENV_PYTHON), "-m", "uvicorn", *serving("127.0.0.1", port, processes())]
    private = "0" if os.environ.get("MAVRIK_DATABASE_URL") else "1"
    worker = [str(VENV_PYTHON), "-m", "mavrik.cli", "work"]
    command = [
        str(VENV_PYTHON), "-m", "mavrik.ops.supervisor", str(LOG), private,
        BETWEEN, SERVER, *uvicorn, BETWEEN, WORKER, *worker,
    ]  # fmt: skip
    with open(os.open(LOG, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "ab") as log:  # noqa: PTH123
        LOG.chmod(0o600)
        process = subprocess.Popen(
            command,
            cwd=ROOT,
            env={
                **os.environ,
                **environment,
                "MAVRIK_SECRET_KEY": secret_key(),
                "MAVRIK_OWN_PORTS": str(port),
                "MAVRIK_SCRATCH": os.environ.get("MAVRIK_SCRATCH") or str(VAR / "scratch"),
                "PROMETHEUS_MULTIPROC_DIR": str(VAR / "metrics"),
                "PYTHONPATH": str(ROOT / "src"),
            },
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    running = Running(process.pid, port, mode, stamp_of(environment))
    write_private(STATE, json.dumps(asdict(running)))
    until = time.monotonic() + START_SECONDS
    while time.monotonic() < until:
        if process.poll() is not None:
            break
        if is_healthy(port):
            return running
        time.sleep(0.05)
    with contextlib.suppress(ProcessLookupError):
        process.terminate()
    STATE.unlink(missing_ok=True)
    tail = " | ".join(LOG.read_text(errors="replace").strip().splitlines()[-4:])
    raise OperationError(f"The server did not come up; its log is {LOG}: {tail}")


def stop() -> bool:
    """Stop the server started from here; returns whether it ran."""
    running = find_running()
    STATE.unlink(missing_ok=True)
    if running is None:
        return False
    os.kill(running.pid, signal.SIGTERM)
    until = time.monotonic() + 10
    while time.monotonic() < until:
        try:
            os.kill(running.pid, 0)
            os.waitpid(running.pid, os.WNOHANG)
        except ChildProcessError:
            pass
        except ProcessLookupError:
            return True
        time.sleep(0.05)
    with contextlib.suppress(ProcessLookupError):
        os.kill(running.pid, signal.SIGKILL)
    return True
