"""The demo's stand-in: a simulated vehicle with connected meters, started in the background and stopped with the server."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import time

from mavrik.ops.base import ROOT, VAR, VENV_PYTHON, read_json, write_private

SEEN_SECONDS = 5
STATE = VAR / "standin.json"
LOG = VAR / "standin.log"
DEMO = ("--vehicle", "front", "--fault", "belt_slips:alternator")
"""The demo's taxi: the fault that its first tests have not yet told from others."""


def find_running() -> int | None:
    """The process started from here, if it still runs."""
    pid = read_json(STATE).get("pid")
    try:
        with open(f"/proc/{int(pid)}/cmdline", "rb") as file:  # type: ignore[arg-type]  # noqa: PTH123
            return int(pid) if b"standin" in file.read() else None  # type: ignore[arg-type]
    except (TypeError, ValueError, OSError):
        return None


def start() -> None:
    """Start it where it does not run; its ports being taken is no reason for the demo not to start."""
    if find_running() is not None:
        return
    VAR.mkdir(parents=True, exist_ok=True)
    with LOG.open("wb") as log:
        process = subprocess.Popen(
            [str(VENV_PYTHON), "-m", "mavrik.cli", "standin", *DEMO],
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    write_private(STATE, json.dumps({"pid": process.pid}))
    # Until the program has taken the place of the one that started it, it is not to be told from any other.
    until = time.monotonic() + SEEN_SECONDS
    while find_running() is None and process.poll() is None and time.monotonic() < until:
        time.sleep(0.01)


def stop() -> bool:
    """Stop it; returns whether it ran."""
    pid = find_running()
    STATE.unlink(missing_ok=True)
    if pid is None:
        return False
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGTERM)
    return True
