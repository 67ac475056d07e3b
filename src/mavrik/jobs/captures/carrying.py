"""Captures in a bundle: their pictures always, their samples while there is room."""

from __future__ import annotations

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from mavrik.core.measuring.waveform import Wave, envelope
from mavrik.exchange.bundle import MOST_CARRIED, BundleCapture
from mavrik.exchange.captures import parquet
from mavrik.jobs.captures.records import CARRIED_NOTE
from mavrik.jobs.captures.samples import PART, fill, keep_samples, samples_of, wave_of
from mavrik.jobs.captures.views import shown
from mavrik.store.models import Capture

LEAST_BYTES = 0.5
"""No sample of a real signal packs into less."""


def carried(session: Session, job_id: int, room: int = 0) -> tuple[BundleCapture, ...]:
    """The captures of a job as a bundle and a sheet carry them, the oldest first.

    room: how much their samples may take together [bytes of base64]; the smallest captures go first
    """
    query = select(Capture).where(Capture.job_id == job_id, Capture.state == "ready").order_by(Capture.id)
    captures = []
    for row in session.scalars(query.options(undefer(Capture.envelope))):
        far = np.frombuffer(row.envelope, dtype="<f4").reshape(2, -1)
        if row.samples <= PART and not row.document.get("afar"):
            # A short capture has fewer stretches than a picture has points.
            volts = samples_of(session, row, 0, row.samples)
            far = np.stack((volts, volts))
        least, _ = envelope(far[0], MOST_CARRIED)
        _, most = envelope(far[1], MOST_CARRIED)
        captures.append(
            BundleCapture(
                name=row.name, channel=row.document.get("channel", ""), samples=row.samples, interval_s=row.interval_s, start_s=row.start_s,
                made_by=row.person_name, made_at=row.created_at.isoformat(), least_v=shown(least), most_v=shown(most),
            )
        )  # fmt: skip
    rows = {row.id: k for k, row in enumerate(session.scalars(query))}
    for row in sorted(session.scalars(query), key=lambda r: r.samples):
        if room <= 0 or row.samples * LEAST_BYTES > room:
            break
        if row.document.get("afar"):
            continue
        data = parquet.write(wave_of(session, row), row.document.get("channel", ""), row.name)
        room -= (len(data) + 2) // 3 * 4
        if room < 0:
            break
        k = rows[row.id]
        captures[k] = captures[k].model_copy(update={"samples_parquet": data})
    return tuple(captures)


def take_in(session: Session, job_id: int, given: BundleCapture) -> None:
    """Keep a carried capture, to be seen and asked; without its samples to be seen only.

    Raises CaptureError for samples that are none.
    """
    if given.samples_parquet is not None:
        volts = parquet.read(given.samples_parquet, given.samples)
        row = Capture(
            job_id=job_id, name=given.name, state="ready", person_name=given.made_by,
            document={"channel": given.channel, "channels": [given.channel], "notes": []},
        )  # fmt: skip
        fill(row, Wave(volts, given.interval_s, given.start_s))
        session.add(row)
        session.flush()
        keep_samples(session, row.id, volts)
        return
    far = np.array([[np.nan if v is None else v for v in side] for side in (given.least_v, given.most_v)], dtype="<f4")
    session.add(
        Capture(
            job_id=job_id, name=given.name, state="ready", samples=given.samples, interval_s=given.interval_s,
            start_s=given.start_s, envelope=far.tobytes(), person_name=given.made_by,
            document={"channel": given.channel, "channels": [given.channel], "afar": True, "notes": [CARRIED_NOTE]},
        )
    )  # fmt: skip
