"""Captures as WAV (and FLAC or AIFF): a scope on a sound input, full scale known. Read with libsndfile."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile

from mavrik.core.measuring.waveform import MOST_SAMPLES, Wave
from mavrik.exchange.captures.base import Capture, CaptureError, CaptureFormat, CaptureOptions, Progress, pick, too_many

BLOCK = 1 << 18


def read(path: Path, options: CaptureOptions, progress: Progress) -> Capture:
    """Read one channel of a sound file.

    path: the file; options: `full_scale_v` says what the largest number is [V]; progress: see `Progress`
    Raises CaptureError for junk, a file without samples, too many of them, or an unknown full scale.
    """
    if options.full_scale_v is None:
        raise CaptureError("A sound file has no volts: enter what its largest number stands for.")
    try:
        with soundfile.SoundFile(path) as sound:
            if sound.frames > MOST_SAMPLES:
                raise too_many(sound.frames)
            channels = tuple(f"Channel {k + 1}" for k in range(sound.channels))
            which, parts, count = pick(channels, options.channel), [], 0
            while True:
                block = sound.read(BLOCK, dtype="float32", always_2d=True)
                if not len(block):
                    break
                parts.append(block[:, which].copy())
                count += len(block)
                progress(count / max(sound.frames, count))
            rate = sound.samplerate
    except soundfile.LibsndfileError as error:
        raise CaptureError(f"This is no sound file that can be read: {error.error_string}") from error
    if not count:
        raise CaptureError("The sound file holds no samples.")
    volts = np.concatenate(parts) * np.float32(options.full_scale_v * options.factor)
    return Capture(Wave(volts, 1 / rate), channels[which], channels)


SOUND = CaptureFormat(20, "sound file", lambda start: start[:4] in (b"RIFF", b"RIFX", b"RF64", b"FORM", b"fLaC"), read)
