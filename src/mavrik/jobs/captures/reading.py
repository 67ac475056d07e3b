"""Bringing a capture in: a file is read, or an oscilloscope asked, in a thread of its own."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Annotated

import numpy as np
from pydantic import Field
from sqlalchemy import func, update
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.measuring.waveform import Wave, WaveformError
from mavrik.domain.roles import Who
from mavrik.exchange.captures import Capture as CapturedWave
from mavrik.exchange.captures import CaptureError, CaptureOptions, Progress, read_capture
from mavrik.instruments.base import LinkError
from mavrik.instruments.kinds import connect_scope
from mavrik.instruments.scope import LONGEST_S, TRACE
from mavrik.instruments.simulated import Placing, place
from mavrik.jobs.captures.records import CaptureRecord, begin
from mavrik.jobs.captures.samples import fill, keep_samples
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.links import link_of
from mavrik.store.models import Capture

log = logging.getLogger(__name__)

Sessions = Callable[[], AbstractContextManager[Session]]

LARGEST_FILE_BYTES = 600_000_000
PROGRESS_EVERY_S = 0.25


class Fetch(Document):
    """A waveform to be captured now by a connected oscilloscope."""

    instrument: Annotated[str, Field(max_length=40)]
    seconds: Annotated[float, Field(gt=0, le=LONGEST_S, description="How long [s]")]
    state: Annotated[str, Field(pattern=r"^[a-z_]{0,40}$", description="How the vehicle stands; only a stand-in is last")] = ""
    red: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$", description="Node of the probe; only a stand-in is last")] = ""
    black: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""


class Stopped(Exception):
    """Somebody does not want the capture any more."""


def read_later(sessions: Sessions, capture_id: int, path: Path, options: CaptureOptions) -> threading.Thread:
    """Read a file in a thread of its own; the file is deleted at the end."""

    def read(progress: Progress) -> CapturedWave:
        try:
            return read_capture(path, options, progress)
        finally:
            path.unlink(missing_ok=True)

    return _in_background(sessions, capture_id, read)


def begin_fetch(session: Session, job_id: int, fetch: Fetch, who: Who) -> tuple[CaptureRecord, str]:
    """Note that a connected oscilloscope is going to capture; returns that and its address.

    Raises InvalidError for what is no oscilloscope or has no address, NotFoundError for none.
    """
    instrument, address = link_of(session, fetch.instrument)
    if instrument.kind != "oscilloscope":
        why = f"{instrument.label} is no oscilloscope: it shows values, not their course."
        raise InvalidError(why, [Problem("capture", "instrument", why)])
    return begin(session, job_id, f"{instrument.label}, {fetch.seconds:g} s", "", who), address


def fetch_later(sessions: Sessions, capture_id: int, address: str, fetch: Fetch) -> threading.Thread:
    """Let an oscilloscope capture and bring its samples, in a thread of its own."""

    def read(progress: Progress) -> CapturedWave:
        scope = connect_scope(address)
        try:
            place(scope, Placing(fetch.state, fetch.red, fetch.black))
            return CapturedWave(scope.capture(fetch.seconds, progress), TRACE, (TRACE,))
        finally:
            scope.close()

    return _in_background(sessions, capture_id, read)


def _in_background(sessions: Sessions, capture_id: int, read: Callable[[Progress], CapturedWave]) -> threading.Thread:
    thread = threading.Thread(target=_read, args=(sessions, capture_id, read), name=f"capture-{capture_id}", daemon=True)
    thread.start()
    return thread


def _read(sessions: Sessions, capture_id: int, read: Callable[[Progress], CapturedWave]) -> None:
    last = 0.0

    def progress(share: float) -> None:
        nonlocal last
        if time.monotonic() - last < PROGRESS_EVERY_S:
            return
        last = time.monotonic()
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
            fill(row, Wave(volts, found.wave.interval_s, found.wave.start_s))
            row.document = {**row.document, "channel": found.channel, "channels": found.channels, "notes": found.notes}
            row.touched_at = func.now()
        with sessions() as session:
            row = _still_wanted(session, capture_id)
            keep_samples(session, capture_id, volts)
            row.state, row.progress = "ready", 1.0
    except Stopped:
        log.info("capture %s stopped", capture_id)
    except (CaptureError, WaveformError, LinkError) as error:
        _fail(sessions, capture_id, str(error))
    except Exception:
        log.exception("capture %s", capture_id)
        _fail(sessions, capture_id, "It could not be read; the server's log says why.")


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
