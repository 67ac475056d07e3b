"""Captures in the open sigrok session format: a ZIP with an INI of metadata and analog channels as 32-bit floats."""

from __future__ import annotations

import configparser
import re
import zipfile
from pathlib import Path

import numpy as np

from mavrik.core.measuring.waveform import MOST_SAMPLES, Wave
from mavrik.exchange.captures.base import (
    Capture,
    CaptureError,
    CaptureFormat,
    CaptureOptions,
    Progress,
    pick,
    short_names,
    too_many,
)

UNITS = {"": 1.0, "k": 1e3, "m": 1e6, "g": 1e9}
MOST_METADATA = 100_000


def _rate(text: str) -> float:
    match = re.fullmatch(r"\s*([0-9.]+)\s*([kKmMgG]?)(?:hz)?\s*", text, flags=re.IGNORECASE)
    try:
        rate = float(match[1]) * UNITS[match[2].lower()] if match else 0.0
    except ValueError:
        rate = 0.0
    if rate <= 0:
        raise CaptureError(f"The session's sample rate cannot be read: '{text[:40]}'")
    return rate


def _metadata(archive: zipfile.ZipFile) -> tuple[float, dict[str, str]]:
    """The sample rate and the names of the analog channels by number."""
    if archive.getinfo("metadata").file_size > MOST_METADATA:
        raise CaptureError("The session's metadata is far too large.")
    ini = configparser.ConfigParser(interpolation=None)
    ini.read_string(archive.read("metadata").decode("utf-8"))
    device = next((ini[s] for s in ini.sections() if s.startswith("device")), None)
    if device is None:
        raise CaptureError("The session names no device.")
    names = {key[6:]: value for key, value in device.items() if re.fullmatch(r"analog\d+", key)}
    if not names:
        raise CaptureError("The session has no analog channel; logic alone is no voltage.")
    return _rate(device.get("samplerate", "")), names


def read(path: Path, options: CaptureOptions, progress: Progress) -> Capture:
    """Read one analog channel of a session.

    path: the file; options: channel and probe factor; progress: see `Progress`
    Raises CaptureError for what is no session, has no analog channel, is cut off, or holds too many samples.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            rate, names = _metadata(archive)
            channels = short_names(names.values())
            which = pick(channels, options.channel)
            number = list(names)[which]
            members = [m for m in archive.infolist() if re.fullmatch(rf"analog-1-{number}(-\d+)?", m.filename)]
            members.sort(key=lambda m: int(m.filename.split("-")[-1]))
            # What a member says of its size is checked before it is unpacked, and unpacking stops there.
            stated = sum(m.file_size for m in members) // 4
            if stated > MOST_SAMPLES:
                raise too_many(stated)
            parts = []
            for k, member in enumerate(members):
                with archive.open(member) as inside:
                    raw = inside.read(member.file_size)
                parts.append(np.frombuffer(raw[: len(raw) // 4 * 4], dtype="<f4"))
                progress((k + 1) / len(members))
    except (
        zipfile.BadZipFile,
        KeyError,
        configparser.Error,
        UnicodeDecodeError,
        EOFError,
        NotImplementedError,
        RuntimeError,
    ) as error:
        raise CaptureError("This is no session file that can be read, or it is cut off.") from error
    volts = np.concatenate(parts) if parts else np.zeros(0, dtype=np.float32)
    if not len(volts):
        raise CaptureError(f"Channel '{channels[which]}' holds no samples.")
    return Capture(Wave(volts * np.float32(options.factor), 1 / rate), channels[which], channels)


SIGROK = CaptureFormat(10, "sigrok session", lambda start: start.startswith(b"PK"), read)
