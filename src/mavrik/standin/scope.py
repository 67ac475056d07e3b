"""The stand-in oscilloscope: one acquisition at a time, its samples in a block of IEEE 488.2."""

from __future__ import annotations

import time

import numpy as np

from mavrik.standin.vehicle import HiddenVehicle, Probes
from mavrik.standin.waves import Floats

FASTEST_S = 20e-6
MOST = 200_000
"""Samples that its memory holds; a longer time is sampled more slowly."""

LONGEST_S = 60.0
COMPLETE = 1


class Acquisition:
    """What the oscilloscope is set to and what it has in its memory."""

    def __init__(self) -> None:
        """As it is when it is switched on."""
        self.seconds = 0.1
        self._samples: Floats | None = None
        self._ready_at = 0.0
        self._reports = False

    @property
    def interval_s(self) -> float:
        """Between samples [s]."""
        return max(FASTEST_S, self.seconds / MOST)

    def begin(self, vehicle: HiddenVehicle, probes: Probes) -> None:
        """Start one; it takes its time."""
        count = max(2, round(self.seconds / self.interval_s))
        self._samples = vehicle.waveform(probes, np.arange(count, dtype=np.float64) * self.interval_s)
        self._ready_at = time.monotonic() + self.seconds

    def answer(self, head: str, rest: str, vehicle: HiddenVehicle, probes: Probes) -> bytes | None:
        """What it says to a command that is its own. Raises KeyError for any other, ValueError for a number that cannot be."""
        complete = time.monotonic() >= self._ready_at
        if head == "SENS:SWE:TIME":
            seconds = float(rest)
            if not 0 < seconds <= LONGEST_S:
                raise ValueError(rest)
            self.seconds = seconds
        elif head == "FORM:DATA":
            if rest.replace(" ", "").upper() != "REAL,32":
                raise ValueError(rest)
        elif head == "INIT":
            self.begin(vehicle, probes)
        elif head == "*OPC":
            self._reports = True
        elif head == "*ESR?":
            event = COMPLETE if self._reports and complete else 0
            self._reports = self._reports and not event
            return str(event).encode()
        elif head == "SENS:SWE:TINT?":
            return f"{self.interval_s:.6E}".encode()
        elif head == "TRAC:DATA?":
            if self._samples is None or not complete:
                raise ValueError("nothing captured")
            data = self._samples.astype(">f4").tobytes()
            return b"#%d%d%b" % (len(str(len(data))), len(data), data)
        else:
            raise KeyError(head)
        return None
