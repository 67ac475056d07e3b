"""The samples of a capture in the database: kept in parts, with the least and most of every stretch for the view from afar."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.measuring.waveform import Wave, envelope
from mavrik.store.models import Capture, CapturePart

PART = 1 << 20
"""Samples a row: one or two hold any stretch that is drawn sample by sample."""
STRETCH = 256
"""Samples of which the least and the most are kept for the view from afar."""


def fill(row: Capture, wave: Wave) -> None:
    """What a capture is known by before its samples are kept."""
    least, most = envelope(wave.volts, -(-len(wave.volts) // STRETCH))
    row.envelope = np.stack((least, most)).astype("<f4").tobytes()
    row.samples, row.interval_s, row.start_s = len(wave.volts), wave.interval_s, wave.start_s


def keep_samples(session: Session, capture_id: int, volts: NDArray[np.float32]) -> None:
    for k in range(0, len(volts), PART):
        session.add(CapturePart(capture_id=capture_id, position=k // PART, samples=volts[k : k + PART].tobytes()))
        session.flush()


def samples_of(session: Session, row: Capture, first: int, last: int) -> NDArray[np.float32]:
    """Samples from `first` up to `last`."""
    parts = session.scalars(
        select(CapturePart.samples)
        .where(CapturePart.capture_id == row.id, CapturePart.position.between(first // PART, max(last - 1, first) // PART))
        .order_by(CapturePart.position)
    ).all()
    volts = np.frombuffer(b"".join(parts), dtype="<f4")
    start = first // PART * PART
    return volts[first - start : last - start]


def wave_of(session: Session, row: Capture) -> Wave:
    return Wave(samples_of(session, row, 0, row.samples), row.interval_s, row.start_s)
