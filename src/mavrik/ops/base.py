"""Places, messages and small tools that all operations share."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[3]
# Matrices here are small: a thread for each of them on each core, in every process, only keeps the others waiting.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

VAR = Path(os.environ.get("MAVRIK_VAR", ROOT / "var"))
VENV = ROOT / ".venv"
VENV_PYTHON = VENV / "bin" / "python"


class OperationError(Exception):
    """Something the person at the keyboard has to know; one line."""


def say(text: str) -> None:
    """A line of progress, on stderr so that a command's own output stays clean."""
    print(text, file=sys.stderr, flush=True)


def run(command: list[str], what: str, log: Path | None = None, **options: Any) -> None:
    """Run a command to its end.

    command: the words
    what: what it is for, for the error
    log: where its output goes; left out, it is shown only when the command fails
    Raises OperationError when it fails or cannot be found.
    """
    try:
        done = subprocess.run(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, **options)
    except FileNotFoundError:
        raise OperationError(f"{what}: '{command[0]}' is not on this machine.") from None
    if log:
        log.parent.mkdir(parents=True, exist_ok=True)
        log.write_text(done.stdout)
    if done.returncode:
        lines = [line for line in done.stdout.strip().splitlines() if line.strip()]
        tail = "\n".join(lines[-15:])
        raise OperationError(f"{what} failed (exit {done.returncode}).\n{tail}")


def fingerprint(paths: Iterable[Path]) -> str:
    """One hash over the names and contents of files and of all files below folders."""
    total = hashlib.sha256()
    for path in paths:
        for file in sorted(path.rglob("*")) if path.is_dir() else [path]:
            if file.is_file():
                total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


def read_json(path: Path) -> dict[str, Any]:
    """A JSON file, or nothing where there is none."""
    try:
        loaded = json.loads(path.read_text())
    except (FileNotFoundError, json.JSONDecodeError):
        return {}
    return loaded if isinstance(loaded, dict) else {}


def write_private(path: Path, text: str) -> None:
    """Write a file that only its owner may read, whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    draft = path.with_name(path.name + ".new")
    with os.fdopen(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(text)
    draft.replace(path)
