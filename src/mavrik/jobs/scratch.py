"""Where a file lies until it is read: bounded, swept, and never in the way of the rest of the machine."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from pathlib import Path
from typing import IO

from mavrik.jobs.errors import FullError

PLACE = "MAVRIK_SCRATCH"
MOST_BYTES = 3_000_000_000
"""Of all files that wait to be read together."""

LEFT_FREE_BYTES = 1_000_000_000
"""On the disk, for the database and everything else."""

OLD_S = 24 * 3600.0
"""A file is read within minutes of its turn: one so old was left by a process that died."""


def folder() -> Path:
    """The folder, made for this account only."""
    place = Path(os.environ.get(PLACE) or Path(tempfile.gettempdir()) / f"mavrik-uploads-{os.getuid()}")
    place.mkdir(mode=0o700, parents=True, exist_ok=True)
    return place


def _bytes_used() -> int:
    total = 0
    for file in folder().iterdir():
        try:
            total += file.stat().st_size
        except FileNotFoundError:
            continue
    return total


def new_file(expected_bytes: int) -> IO[bytes]:
    """A file to write into; who takes it deletes it. Raises FullError where so much would be too much."""
    if _bytes_used() + expected_bytes > MOST_BYTES:
        raise FullError("Too many files are being read at this moment. Wait until some are done.")
    if shutil.disk_usage(folder()).free - expected_bytes < LEFT_FREE_BYTES:
        raise FullError("The server's disk is nearly full. Whoever runs it has to make room.")
    return tempfile.NamedTemporaryFile(prefix="taken-in-", dir=folder(), delete=False)


def sweep(older_s: float = OLD_S) -> int:
    """Delete what a process that died has left; returns how many files."""
    swept = 0
    for file in folder().iterdir():
        try:
            if time.time() - file.stat().st_mtime > older_s:
                file.unlink()
                swept += 1
        except FileNotFoundError:
            continue
    return swept
