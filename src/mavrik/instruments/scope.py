"""A captured waveform from an oscilloscope over SCPI.

SCPI-1999 names the pieces: SENSe:SWEep for the time base, INITiate for one acquisition, TRACe for its samples, FORMat for how they
travel; IEEE 488.2 says when an operation is complete and how a block of binary data is wrapped. Commands from memory of those
standards. An oscilloscope with a dialect of its own saves its captures as a file, which is read as well.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from mavrik.core.measuring.waveform import MOST_SAMPLES, Samples, Wave
from mavrik.instruments.base import OVERLOAD, LinkError
from mavrik.instruments.scpi import BLOCK_S, ScpiMeter

TRACE = "CH1"
COMPLETE = 1
"""Operation complete, in the standard event status register of IEEE 488.2."""

EVERY_S = 0.1
GRACE_S = 10.0
"""What an acquisition may take beyond its own time: arming, and a slow instrument."""

CHUNK = 1 << 16
SAMPLE_BYTES = 4
LONGEST_S = 60.0


class ScpiScope(ScpiMeter):
    """An oscilloscope that shows a value as any meter does, and gives the samples of one acquisition."""

    def capture(self, seconds: float, progress: Callable[[float], None] = lambda _: None) -> Wave:
        """One acquisition of the first channel, from now on.

        seconds: how long, up to 60 [s]
        progress: told how far it is, 0 to 1; raises to stop
        Raises LinkError where the instrument does not answer, or with what no acquisition is; ValueError for a time that cannot be.
        """
        if not 0 < seconds <= LONGEST_S:
            raise ValueError(f"A capture lasts up to {LONGEST_S:g} s, not {seconds:g}")
        for words in ("*CLS", "FORM:DATA REAL,32", f"SENS:SWE:TIME {seconds:g}", "INIT", "*OPC"):
            self.tell(words)
        begin = time.monotonic()
        while not int(self._number("*ESR?")) & COMPLETE:
            passed = time.monotonic() - begin
            if passed > seconds + GRACE_S:
                raise LinkError(f"{self._where} has not finished its capture after {passed:.0f} s. Does it wait for a trigger?")
            progress(min(passed / seconds, 1.0) * 0.9)
            time.sleep(min(EVERY_S, seconds))
        interval = self._number("SENS:SWE:TINT?")
        if not 0 < interval < LONGEST_S:
            raise LinkError(f"{self._where} says {interval:g} s lie between its samples; that is no capture.")
        self.tell(f"TRAC:DATA? {TRACE}")
        block = np.frombuffer(self._block(lambda share: progress(0.9 + 0.1 * share)), dtype=">f4")
        # What was beyond the range is a gap, as the standard's number for it is no voltage.
        volts: Samples = np.where(np.abs(block) < OVERLOAD, block, np.nan).astype("<f4")
        return Wave(volts, interval)

    def _number(self, query: str) -> float:
        answer = self._ask(query)
        try:
            return float(answer)
        except ValueError as error:
            raise LinkError(f"{self._where} answered '{answer[:60]}' to {query}, where a number was asked for.") from error

    def _block(self, progress: Callable[[float], None]) -> bytes:
        """A block of definite length, IEEE 488.2 section 8.7.9: #, how many digits, so many digits, so many bytes."""
        start = self._bytes(2)
        if start[:1] != b"#" or not start[1:].isdigit() or start == b"#0":
            raise LinkError(
                f"{self._where} sent no samples: they come as a block of known length, and this begins with {start!r}."
            )
        content = self._bytes(int(start[1:]))
        if not content.isdigit() or int(content) % SAMPLE_BYTES:
            raise LinkError(f"{self._where} sent a block of {content!r} bytes, which is no whole number of samples.")
        length = int(content)
        if not 0 < length <= SAMPLE_BYTES * MOST_SAMPLES:
            raise LinkError(
                f"{self._where} has {length // SAMPLE_BYTES:,} samples; from 1 to {MOST_SAMPLES:,} are taken. Capture a shorter time."
            )
        data = bytearray()
        until = time.monotonic() + BLOCK_S
        while len(data) < length:
            if time.monotonic() > until:
                raise LinkError(
                    f"{self._where} sent {len(data) / length:.0%} of its samples in {BLOCK_S:.0f} s. Capture a shorter time."
                )
            data += self._bytes(min(CHUNK, length - len(data)))
            progress(len(data) / length)
        self._bytes(1)  # the terminator behind the block
        return bytes(data)
