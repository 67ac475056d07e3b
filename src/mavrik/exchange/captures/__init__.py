"""Captured waveforms, one file per format."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from mavrik.core.measuring.waveform import FARTHEST_S, MOST_VOLTS
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
    return _bounded(reader(path, options or CaptureOptions(), progress))


def _bounded(capture: Capture) -> Capture:
    """A capture within what can be shown, printed and sent. Raises CaptureError."""
    wave = capture.wave
    if abs(wave.start_s) > FARTHEST_S:
        raise CaptureError(f"The first sample is at {wave.start_s:g} s: those are no seconds. Which unit are the times in?")
    largest = float(np.nanmax(np.abs(wave.volts), initial=0.0))
    if largest > MOST_VOLTS:
        raise CaptureError(
            f"{largest:g} V is no voltage of a vehicle; at most {MOST_VOLTS:,.0f} V. Is it the probe's factor, or another unit?"
        )
    return capture
