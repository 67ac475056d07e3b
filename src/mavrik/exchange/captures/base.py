"""What every format of a capture gives."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import Field

from mavrik.core.document import Document
from mavrik.core.measuring.waveform import LEAST_INTERVAL_S, MOST_INTERVAL_S, MOST_SAMPLES, Wave
from mavrik.domain.limits import MOST_CHANNEL_NAME

Progress = Callable[[float], None]
"""Told how much has been read, 0 to 1; raises to stop."""


class CaptureError(ValueError):
    """A file that cannot be read as a capture; the message says what is wrong and where."""


class CaptureOptions(Document):
    """What the file may not say itself."""

    channel: Annotated[str, Field(max_length=MOST_CHANNEL_NAME, description="Its name; empty: the first")] = ""
    interval_s: Annotated[
        float | None, Field(ge=LEAST_INTERVAL_S, le=MOST_INTERVAL_S, description="Between samples, for a table without times [s]")
    ] = None
    full_scale_v: Annotated[
        float | None, Field(ge=1e-6, le=1000, description="What the largest number of a sound file stands for [V]")
    ] = None
    factor: Annotated[float, Field(ge=1e-6, le=10_000, description="Of a probe that divides by it and was not told so")] = 1.0


@dataclass(frozen=True)
class Capture:
    """One channel of a file, and the names of all."""

    wave: Wave
    channel: str
    channels: tuple[str, ...]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class CaptureFormat:
    """A format that captures are read from; a file of this package each, found by itself."""

    order: int
    """Asked in this order; the last takes everything."""
    name: str
    recognises: Callable[[bytes], bool]
    """By the first bytes of the file, at least 12 where it has them."""
    read: Callable[[Path, CaptureOptions, Progress], Capture]


def nothing(_: float) -> None:
    """Progress that nobody looks at."""


def short_names(names: Iterable[str]) -> tuple[str, ...]:
    """Names of channels as they are kept and asked for: a column headed by a paragraph is known by its beginning."""
    return tuple(name[:MOST_CHANNEL_NAME].strip() for name in names)


def pick(channels: tuple[str, ...], name: str) -> int:
    """Which channel is meant: by name, or the first. Raises CaptureError for a name that is not there."""
    if not name:
        return 0
    if name not in channels:
        raise CaptureError(f"There is no channel '{name}'. The file has: {', '.join(channels)}.")
    return channels.index(name)


def too_many(count: int) -> CaptureError:
    """The refusal of a file with more samples than are taken."""
    return CaptureError(f"{count:,} samples; at most {MOST_SAMPLES:,} are taken. Capture a shorter time or a lower rate.")
