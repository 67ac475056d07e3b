"""What is seen of a capture, and what it says: a stretch with its peaks, ripple, cranking, its samples as a file."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document, Problem
from mavrik.core.measuring.waveform import CrankCapture, Ripple, Wave, WaveformError, cranking_of, envelope, pulse_hz, ripple_of
from mavrik.domain.job import CircuitRole
from mavrik.exchange.captures import parquet
from mavrik.jobs.captures.records import ready_row, row_of
from mavrik.jobs.captures.samples import PART, STRETCH, samples_of, wave_of
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.finding import latest
from mavrik.jobs.work import get_row

MOST_POINTS = 4000


class RippleConditions(Document):
    """What turns the rotor; without a speed some pulses can be of two things, and that is said."""

    engine_rpm: Annotated[float | None, Field(ge=1, le=12000)] = None
    pulley_ratio: Annotated[float | None, Field(ge=0.01, le=10, description="Left out: the first alternator's")] = None
    pole_pairs: Annotated[int, Field(ge=1, le=30)] = 6


class CaptureView(Document):
    """A stretch of a capture, peaks kept: the least and the most of every point."""

    from_s: float
    to_s: float
    least_v: tuple[float | None, ...]
    most_v: tuple[float | None, ...]


def shown(values: NDArray[np.float32]) -> tuple[float | None, ...]:
    return tuple(round(v, 5) if np.isfinite(v) else None for v in values.tolist())


def view_of(session: Session, job_id: int, capture_id: int, from_s: float | None, to_s: float | None, points: int) -> CaptureView:
    """A stretch of a capture at so many points, peaks kept.

    from_s, to_s: the stretch [s]; left out, all of it
    points: how many, at most
    """
    row = row_of(session, job_id, capture_id)
    if not row.samples:
        raise InvalidError("This capture has not been read.")
    n, step = row.samples, row.interval_s
    first = 0 if from_s is None else int(np.clip((from_s - row.start_s) // step, 0, n - 1))
    last = n if to_s is None else int(np.clip(np.ceil((to_s - row.start_s) / step), first + 1, n))
    if last - first > points * STRETCH or row.state != "ready" or row.document.get("afar"):
        far = np.frombuffer(row.envelope, dtype="<f4").reshape(2, -1)
        edges = np.unique(np.linspace(0, n, far.shape[1], endpoint=False).astype(np.int64))
        here = slice(int(np.searchsorted(edges, first, "right")) - 1, int(np.searchsorted(edges, last)))
        least, _ = envelope(far[0, here], points)
        _, most = envelope(far[1, here], points)
    else:
        least, most = envelope(samples_of(session, row, first, last), points)
    return CaptureView(
        from_s=row.start_s + first * step, to_s=row.start_s + last * step, least_v=shown(least), most_v=shown(most)
    )


def ripple_in(session: Session, job_id: int, capture_id: int, turning: RippleConditions) -> Ripple:
    """Ripple of a capture; with the engine's speed a lost phase can always be told. Raises InvalidError.

    turning: what turns the rotor
    """
    row = ready_row(session, job_id, capture_id)
    middle = max(0, (row.samples - PART) // 2)
    wave = Wave(samples_of(session, row, middle, min(row.samples, middle + PART)), row.interval_s)
    ratio = turning.pulley_ratio
    job = get_row(session, job_id)
    if turning.engine_rpm is not None and ratio is None:
        version = latest(job.circuits, CircuitRole.AS_FOUND)
        ratio = Circuit.model_validate(version.document).alternator.pulley_ratio if version else 1.0
    pulses = None if turning.engine_rpm is None or ratio is None else pulse_hz(turning.engine_rpm, ratio, turning.pole_pairs)
    try:
        return ripple_of(wave, pulses, turning.pole_pairs, job.vehicle.system_voltage_v)
    except WaveformError as error:
        raise InvalidError(str(error), [Problem("capture", "samples", str(error))]) from error


def cranking_in(session: Session, job_id: int, capture_id: int) -> CrankCapture:
    """Cranking in a capture. Raises InvalidError where there is none."""
    row = ready_row(session, job_id, capture_id)
    volts = get_row(session, job_id).vehicle.system_voltage_v
    try:
        return cranking_of(wave_of(session, row), volts)
    except WaveformError as error:
        raise InvalidError(str(error), [Problem("capture", "samples", str(error))]) from error


def as_parquet(session: Session, job_id: int, capture_id: int) -> bytes:
    """A capture's samples as Apache Parquet."""
    row = ready_row(session, job_id, capture_id)
    return parquet.write(wave_of(session, row), row.document.get("channel", ""), row.name)
