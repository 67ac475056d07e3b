"""Captured waveforms, one file per format."""

from __future__ import annotations

from pathlib import Path

from mavrik.core.registry import parts_of
from mavrik.exchange.captures import parquet
from mavrik.exchange.captures.base import Capture, CaptureError, CaptureFormat, CaptureOptions, Progress, nothing

__all__ = ["CAPTURE_FORMATS", "Capture", "CaptureError", "CaptureFormat", "CaptureOptions", "Progress", "parquet", "read_capture"]

CAPTURE_FORMATS: tuple[CaptureFormat, ...] = parts_of(__name__, CaptureFormat, lambda f: f.order)
"""All, the pickiest first."""


def read_capture(path: Path, options: CaptureOptions | None = None, progress: Progress = nothing) -> Capture:
    """Read a file as what its first bytes say it is: the first format that recognises them.

    path: the file, whatever it is called
    options: what it may not say itself; progress: see `Progress`
    Raises CaptureError with what is wrong.
    """
    with path.open("rb") as file:
        start = file.read(12)
    if not start:
        raise CaptureError("The file is empty.")
    reader = next(f.read for f in CAPTURE_FORMATS if f.recognises(start))
    return reader(path, options or CaptureOptions(), progress)
