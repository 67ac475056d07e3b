"""Captured waveforms of a job: a file is read in the background, seen from afar and near, and asked what it says."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session, undefer

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document, Problem
from mavrik.core.measuring.waveform import CrankCapture, Ripple, Wave, WaveformError, cranking_of, envelope, pulse_hz, ripple_of
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import MOST_CARRIED, BundleCapture
from mavrik.exchange.captures import Capture as Found
from mavrik.exchange.captures import CaptureError, Progress, Wanted, parquet, read_capture
from mavrik.instruments.base import LinkError
from mavrik.instruments.kinds import connect_scope
from mavrik.instruments.scope import LONGEST_S, TRACE
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import latest
from mavrik.jobs.links import link_of
from mavrik.jobs.people import Who
from mavrik.jobs.work import get_row
from mavrik.store.models import Capture, CapturePart

log = logging.getLogger(__name__)

Sessions = Callable[[], AbstractContextManager[Session]]

LARGEST_FILE_BYTES = 600_000_000
PART = 1 << 20
"""Samples a row: one or two hold any stretch that is drawn sample by sample."""
STRETCH = 256
"""Samples of which the least and the most are kept for the view from afar."""
MOST_POINTS = 4000
MOST_OF_A_JOB = 40
LEAST_BYTES = 0.5
"""No sample of a real signal packs into less."""
TOLD_EVERY_S = 0.25
CARRIED_NOTE = "Only the picture of this capture came with the bundle; its samples are where it was loaded."
LOST_AFTER = timedelta(seconds=90)
"""A reading that has not been heard of for so long went down with its server."""


class CaptureRecord(Document):
    """A captured waveform and how far it is read."""

    id: int
    name: str
    state: Annotated[str, Field(description="reading, ready, failed or stopped")]
    progress: Annotated[float, Field(description="0 to 1")]
    problem: Annotated[str, Field(description="Why it failed, in words")]
    channel: str
    channels: tuple[str, ...]
    notes: tuple[str, ...]
    samples: int
    interval_s: float
    start_s: float
    made_by: str
    made_at: str


class CaptureList(Document):
    """All captures of a job, the newest first."""

    captures: tuple[CaptureRecord, ...]


class CaptureView(Document):
    """A stretch of a capture, peaks kept: the least and the most of every point."""

    from_s: float
    to_s: float
    least_v: tuple[float | None, ...]
    most_v: tuple[float | None, ...]


class Fetch(Document):
    """A waveform to be captured now by a connected oscilloscope."""

    instrument: Annotated[str, Field(max_length=40)]
    seconds: Annotated[float, Field(gt=0, le=LONGEST_S, description="How long [s]")]
    state: Annotated[str, Field(pattern=r"^[a-z_]{0,40}$", description="How the vehicle stands; only a stand-in is told")] = ""
    red: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$", description="Node of the probe; only a stand-in is told")] = ""
    black: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""


class Stopped(Exception):
    """Somebody does not want the capture any more."""


def capture_record(row: Capture) -> CaptureRecord:
    """A row as a document."""
    state, problem = row.state, row.document.get("problem", "")
    if state == "reading" and datetime.now(UTC) - row.touched_at > LOST_AFTER:
        state, problem = "failed", "The server was stopped while it was read: load the file again."
    return CaptureRecord(
        id=row.id, name=row.name, state=state, progress=row.progress, problem=problem, channel=row.document.get("channel", ""),
        channels=tuple(row.document.get("channels", ())), notes=tuple(row.document.get("notes", ())), samples=row.samples,
        interval_s=row.interval_s, start_s=row.start_s, made_by=row.person_name, made_at=row.created_at.isoformat(),
    )  # fmt: skip


def carried(session: Session, job_id: int, room: int = 0) -> tuple[BundleCapture, ...]:
    """The captures of a job as a bundle and a sheet carry them, the oldest first.

    room: how much their samples may take together [bytes of base64]; the smallest captures go first
    """
    query = select(Capture).where(Capture.job_id == job_id, Capture.state == "ready").order_by(Capture.id)
    found = []
    for row in session.scalars(query.options(undefer(Capture.envelope))):
        far = np.frombuffer(row.envelope, dtype="<f4").reshape(2, -1)
        if row.samples <= PART and not row.document.get("afar"):
            # A short capture has fewer stretches than a picture has points.
            volts = _samples(session, row, 0, row.samples)
            far = np.stack((volts, volts))
        least, _ = envelope(far[0], MOST_CARRIED)
        _, most = envelope(far[1], MOST_CARRIED)
        found.append(
            BundleCapture(
                name=row.name, channel=row.document.get("channel", ""), samples=row.samples, interval_s=row.interval_s, start_s=row.start_s,
                made_by=row.person_name, made_at=row.created_at.isoformat(), least_v=_shown(least), most_v=_shown(most),
            )
        )  # fmt: skip
    rows = {row.id: k for k, row in enumerate(session.scalars(query))}
    for row in sorted(session.scalars(query), key=lambda r: r.samples):
        if room <= 0 or row.samples * LEAST_BYTES > room:
            break
        if row.document.get("afar"):
            continue
        data = parquet.write(_wave(session, row), row.document.get("channel", ""), row.name)
        room -= (len(data) + 2) // 3 * 4
        if room < 0:
            break
        k = rows[row.id]
        found[k] = found[k].model_copy(update={"samples_parquet": data})
    return tuple(found)


def take_in(session: Session, job_id: int, given: BundleCapture) -> None:
    """Keep a carried capture, to be seen and asked; without its samples to be seen only.

    Raises CaptureError for samples that are none.
    """
    if given.samples_parquet is not None:
        volts = parquet.read(given.samples_parquet, given.samples)
        row = Capture(
            job_id=job_id, name=given.name, state="ready", progress=1.0, person_name=given.made_by,
            document={"channel": given.channel, "channels": [given.channel], "notes": []},
        )  # fmt: skip
        _fill(row, Wave(volts, given.interval_s, given.start_s))
        session.add(row)
        session.flush()
        _keep_samples(session, row.id, volts)
        return
    far = np.array([[np.nan if v is None else v for v in side] for side in (given.least_v, given.most_v)], dtype="<f4")
    session.add(
        Capture(
            job_id=job_id, name=given.name, state="ready", progress=1.0, samples=given.samples, interval_s=given.interval_s,
            start_s=given.start_s, envelope=far.tobytes(), person_name=given.made_by,
            document={"channel": given.channel, "channels": [given.channel], "afar": True, "notes": [CARRIED_NOTE]},
        )
    )  # fmt: skip


def _shown(values: NDArray[np.float32]) -> tuple[float | None, ...]:
    return tuple(round(v, 5) if np.isfinite(v) else None for v in values.tolist())


def captures_of(session: Session, job_id: int) -> CaptureList:
    """All of a job."""
    get_row(session, job_id)
    rows = session.scalars(select(Capture).where(Capture.job_id == job_id).order_by(Capture.id.desc()))
    return CaptureList(captures=tuple(capture_record(r) for r in rows))


def begin(session: Session, job_id: int, name: str, channel: str, who: Who) -> CaptureRecord:
    """Note that a capture is going to be read. Raises InvalidError where the job has too many.

    name, channel: of the file or the instrument; an empty channel: the first
    """
    get_row(session, job_id, lock=True)
    if (session.scalar(select(func.count()).where(Capture.job_id == job_id)) or 0) >= MOST_OF_A_JOB:
        raise InvalidError(f"A job keeps at most {MOST_OF_A_JOB} captures: delete one first.")
    row = Capture(job_id=job_id, name=name[:120] or "capture", document={"channel": channel}, person_name=who.name)
    session.add(row)
    session.flush()
    session.refresh(row)
    note_change(session, job_id, who, f"loaded the capture {row.name}")
    return capture_record(row)


def read_later(sessions: Sessions, capture_id: int, path: Path, wanted: Wanted) -> threading.Thread:
    """Read a file in a thread of its own; the file is deleted at the end."""

    def read(progress: Progress) -> Found:
        try:
            return read_capture(path, wanted, progress)
        finally:
            path.unlink(missing_ok=True)

    return _in_background(sessions, capture_id, read)


def begin_fetch(session: Session, job_id: int, wanted: Fetch, who: Who) -> tuple[CaptureRecord, str]:
    """Note that a connected oscilloscope is going to capture; returns that and its address.

    Raises InvalidError for what is no oscilloscope or has no address, NotFoundError for none.
    """
    instrument, address = link_of(session, wanted.instrument)
    if instrument.kind != "oscilloscope":
        why = f"{instrument.label} is no oscilloscope: it shows values, not their course."
        raise InvalidError(why, [Problem("capture", "instrument", why)])
    return begin(session, job_id, f"{instrument.label}, {wanted.seconds:g} s", "", who), address


def fetch_later(sessions: Sessions, capture_id: int, address: str, wanted: Fetch) -> threading.Thread:
    """Let an oscilloscope capture and bring its samples, in a thread of its own."""

    def read(progress: Progress) -> Found:
        scope = connect_scope(address)
        try:
            place(scope, Placing(wanted.state, wanted.red, wanted.black))
            return Found(scope.capture(wanted.seconds, progress), TRACE, (TRACE,))
        finally:
            scope.close()

    return _in_background(sessions, capture_id, read)


def _in_background(sessions: Sessions, capture_id: int, read: Callable[[Progress], Found]) -> threading.Thread:
    thread = threading.Thread(target=_read, args=(sessions, capture_id, read), name=f"capture-{capture_id}", daemon=True)
    thread.start()
    return thread


def _read(sessions: Sessions, capture_id: int, read: Callable[[Progress], Found]) -> None:
    told = 0.0

    def progress(share: float) -> None:
        nonlocal told
        if time.monotonic() - told < TOLD_EVERY_S:
            return
        told = time.monotonic()
        with sessions() as session:
            still = update(Capture).where(Capture.id == capture_id, Capture.state == "reading")
            if not session.execute(still.values(progress=share, touched_at=func.now())).rowcount:  # type: ignore[attr-defined]
                raise Stopped

    try:
        found = read(progress)
        volts = np.ascontiguousarray(found.wave.volts, dtype="<f4")
        # Seen from afar as soon as it is read; keeping millions of samples takes another second.
        with sessions() as session:
            row = _still_wanted(session, capture_id)
            _fill(row, Wave(volts, found.wave.interval_s, found.wave.start_s))
            row.document = {**row.document, "channel": found.channel, "channels": found.channels, "notes": found.notes}
            row.touched_at = func.now()
        with sessions() as session:
            row = _still_wanted(session, capture_id)
            _keep_samples(session, capture_id, volts)
            row.state, row.progress = "ready", 1.0
    except Stopped:
        log.info("capture %s stopped", capture_id)
    except (CaptureError, WaveformError, LinkError) as error:
        _fail(sessions, capture_id, str(error))
    except Exception:
        log.exception("capture %s", capture_id)
        _fail(sessions, capture_id, "It could not be read; the server's log says why.")


def _fill(row: Capture, wave: Wave) -> None:
    """What a capture is known by before its samples are kept."""
    least, most = envelope(wave.volts, -(-len(wave.volts) // STRETCH))
    row.envelope = np.stack((least, most)).astype("<f4").tobytes()
    row.samples, row.interval_s, row.start_s = len(wave.volts), wave.interval_s, wave.start_s


def _keep_samples(session: Session, capture_id: int, volts: NDArray[np.float32]) -> None:
    for k in range(0, len(volts), PART):
        session.add(CapturePart(capture_id=capture_id, position=k // PART, samples=volts[k : k + PART].tobytes()))
        session.flush()


def _still_wanted(session: Session, capture_id: int) -> Capture:
    row = session.get(Capture, capture_id, with_for_update=True)
    if row is None or row.state != "reading":
        raise Stopped
    return row


def _fail(sessions: Sessions, capture_id: int, why: str) -> None:
    with sessions() as session:
        row = session.get(Capture, capture_id)
        if row is not None:
            row.state, row.document = "failed", {**row.document, "problem": why}


def remove(session: Session, job_id: int, capture_id: int, who: Who) -> None:
    """Stop reading a capture, or delete one."""
    row = _row(session, job_id, capture_id)
    note_change(session, job_id, who, f"{'stopped' if row.state == 'reading' else 'deleted'} the capture {row.name}")
    session.execute(delete(Capture).where(Capture.id == capture_id))


def _row(session: Session, job_id: int, capture_id: int) -> Capture:
    row = session.get(Capture, capture_id)
    if row is None or row.job_id != job_id:
        raise NotFoundError("There is no such capture in this job.")
    return row


def _ready(session: Session, job_id: int, capture_id: int) -> Capture:
    row = _row(session, job_id, capture_id)
    if row.state != "ready":
        raise InvalidError("This capture has not been read.")
    if row.document.get("afar"):
        raise InvalidError(CARRIED_NOTE)
    return row


def _samples(session: Session, row: Capture, first: int, last: int) -> NDArray[np.float32]:
    """Samples from `first` up to `last`."""
    parts = session.scalars(
        select(CapturePart.samples)
        .where(CapturePart.capture_id == row.id, CapturePart.position.between(first // PART, max(last - 1, first) // PART))
        .order_by(CapturePart.position)
    ).all()
    volts = np.frombuffer(b"".join(parts), dtype="<f4")
    start = first // PART * PART
    return volts[first - start : last - start]


def _wave(session: Session, row: Capture) -> Wave:
    return Wave(_samples(session, row, 0, row.samples), row.interval_s, row.start_s)


def view_of(session: Session, job_id: int, capture_id: int, from_s: float | None, to_s: float | None, points: int) -> CaptureView:
    """A stretch of a capture at so many points, peaks kept.

    from_s, to_s: the stretch [s]; left out, all of it
    points: how many, at most
    """
    row = _row(session, job_id, capture_id)
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
        least, most = envelope(_samples(session, row, first, last), points)
    return CaptureView(
        from_s=row.start_s + first * step, to_s=row.start_s + last * step, least_v=_shown(least), most_v=_shown(most)
    )


def ripple_in(
    session: Session, job_id: int, capture_id: int, engine_rpm: float | None, pulley_ratio: float | None, pole_pairs: int
) -> Ripple:
    """Ripple of a capture; with the engine's speed a lost phase can be told too. Raises InvalidError.

    pulley_ratio: left out, that of the job's first alternator
    """
    row = _ready(session, job_id, capture_id)
    middle = max(0, (row.samples - PART) // 2)
    wave = Wave(_samples(session, row, middle, min(row.samples, middle + PART)), row.interval_s)
    if engine_rpm is not None and pulley_ratio is None:
        version = latest(get_row(session, job_id).circuits, CircuitRole.AS_FOUND)
        pulley_ratio = Circuit.model_validate(version.document).alternator.pulley_ratio if version else 1.0
    try:
        return ripple_of(
            wave, None if engine_rpm is None or pulley_ratio is None else pulse_hz(engine_rpm, pulley_ratio, pole_pairs)
        )
    except WaveformError as error:
        raise InvalidError(str(error), [Problem("capture", "samples", str(error))]) from error


def cranking_in(session: Session, job_id: int, capture_id: int) -> CrankCapture:
    """Cranking in a capture. Raises InvalidError where there is none."""
    row = _ready(session, job_id, capture_id)
    volts = get_row(session, job_id).vehicle.system_voltage_v
    try:
        return cranking_of(_wave(session, row), volts)
    except WaveformError as error:
        raise InvalidError(str(error), [Problem("capture", "samples", str(error))]) from error


def as_parquet(session: Session, job_id: int, capture_id: int) -> bytes:
    """A capture's samples as Apache Parquet."""
    row = _ready(session, job_id, capture_id)
    return parquet.write(_wave(session, row), row.document.get("channel", ""), row.name)
