"""Stand-in meters on a vehicle with a hidden fault, for tests of every layer."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np

from mavrik.standin.bench import MeterServer, start_bench
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults


@contextmanager
def meters_on(cause: str) -> Iterator[dict[str, MeterServer]]:
    """A multimeter and a clamp on the invented front-battery car that hides a cause, until the test is over."""
    car = VEHICLES["front"]
    hidden = next(h for h in hidden_faults(car) if h.causes == (cause,))
    servers = start_bench(HiddenVehicle(car, hidden, np.random.default_rng(1)))
    try:
        yield servers
    finally:
        for server in servers.values():
            server.shutdown()
            server.server_close()
