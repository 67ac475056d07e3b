"""Captured waveforms, one file per format."""

from __future__ import annotations

from pathlib import Path

from mavrik.exchange.captures import parquet, sigrok, sound, table
from mavrik.exchange.captures.base import Capture, CaptureError, Progress, Wanted, nothing

__all__ = ["Capture", "CaptureError", "Progress", "Wanted", "parquet", "read_capture"]


def read_capture(path: Path, wanted: Wanted | None = None, progress: Progress = nothing) -> Capture:
    """Read a file as what its first bytes say it is: a session, a sound file, else a table.

    path: the file, whatever it is called
    wanted: what it may not say itself; progress: see `Progress`
    Raises CaptureError with what is wrong.
    """
    with path.open("rb") as file:
        start = file.read(12)
    if not start:
        raise CaptureError("The file is empty.")
    if start.startswith(b"PK"):
        reader = sigrok.read
    elif start[:4] in (b"RIFF", b"RIFX", b"RF64", b"FORM", b"fLaC"):
        reader = sound.read
    else:
        reader = table.read
    return reader(path, wanted or Wanted(), progress)
