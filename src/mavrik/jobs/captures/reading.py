"""Bringing a capture in: a file is read, or an oscilloscope asked, as long work."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

import numpy as np
from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Problem
from mavrik.core.measuring.waveform import Wave
from mavrik.domain.roles import Who
from mavrik.exchange.captures import Capture as CapturedWave
from mavrik.exchange.captures import CaptureOptions, Progress
from mavrik.instruments.scope import LONGEST_S
from mavrik.jobs.captures.records import CaptureRecord, begin, capture_record
from mavrik.jobs.captures.samples import fill, keep_samples
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.links import link_of
from mavrik.jobs.tasks import Stopped, Work, ask_for
from mavrik.store.models import Capture

LARGEST_FILE_BYTES = 600_000_000


class Fetch(Document):
    """A waveform to be captured now by a connected oscilloscope."""

    instrument: Annotated[str, Field(max_length=40)]
    seconds: Annotated[float, Field(ge=1e-3, le=LONGEST_S, description="How long [s]")]
    state: Annotated[str, Field(pattern=r"^[a-z_]{0,40}$", description="How the vehicle stands; only a stand-in is last")] = ""
    red: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$", description="Node of the probe; only a stand-in is last")] = ""
    black: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""


class ReadRequest(Document):
    """A file that lies on the server to be read."""

    capture_id: int
    path: str
    options: CaptureOptions


class FetchRequest(Document):
    """A capture that an oscilloscope is to make."""

    capture_id: int
    address: str
    fetch: Fetch


def read_later(session: Session, job_id: int, name: str, path: str, options: CaptureOptions, who: Who) -> CaptureRecord:
    """Have a file read that lies at a path; whoever reads it deletes it. Raises as `begin`.

    name: of the file where it came from
    """
    row = begin(session, job_id, name, options.channel, who)
    row.task = ask_for(
        session, "read_capture", ReadRequest(capture_id=row.id, path=path, options=options), f"Capture {row.name}", who, job_id
    )
    return capture_record(row)


def fetch_later(session: Session, job_id: int, fetch: Fetch, who: Who) -> CaptureRecord:
    """Have a connected oscilloscope capture, and its samples brought.

    Raises InvalidError for what is no oscilloscope or has no address, NotFoundError for none, and as `begin`.
    """
    instrument, address = link_of(session, fetch.instrument)
    if instrument.kind != "oscilloscope":
        why = f"{instrument.label} is no oscilloscope: it shows values, not their course."
        raise InvalidError(why, [Problem("capture", "instrument", why)])
    row = begin(session, job_id, f"{instrument.label}, {fetch.seconds:g} s", "", who)
    row.task = ask_for(
        session,
        "fetch_capture",
        FetchRequest(capture_id=row.id, address=address, fetch=fetch),
        f"Capture {row.name}",
        who,
        job_id,
    )
    return capture_record(row)


def bring_in(work: Work, capture_id: int, read: Callable[[Progress], CapturedWave]) -> None:
    """Read a capture and keep it. Raises Stopped where nobody wants it any more, and whatever `read` does."""
    capture = read(work.progress)
    volts = np.ascontiguousarray(capture.wave.volts, dtype="<f4")
    # Seen from afar as soon as it is read; keeping millions of samples takes another second.
    with work.session() as session:
        row = _still_wanted(session, capture_id)
        fill(row, Wave(volts, capture.wave.interval_s, capture.wave.start_s))
        row.document = {**row.document, "channel": capture.channel, "channels": capture.channels, "notes": capture.notes}
    with work.last() as session:
        row = _still_wanted(session, capture_id)
        keep_samples(session, capture_id, volts)
        row.state = "ready"


def not_read(session: Session, capture_id: int, why: str) -> None:
    """Say of a capture that it could not be brought in."""
    row = session.get(Capture, capture_id)
    if row is not None:
        row.state, row.document = "failed", {**row.document, "problem": why}


def _still_wanted(session: Session, capture_id: int) -> Capture:
    row = session.scalar(select(Capture).where(Capture.id == capture_id).with_for_update(of=Capture))
    if row is None or row.state != "reading":
        raise Stopped
    return row
