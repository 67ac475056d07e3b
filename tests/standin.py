"""Stand-in meters on a vehicle with a hidden fault, for tests of every layer."""

from __future__ import annotations

import socket
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

import numpy as np

from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.operating.bench_states import IDLE_RPM
from mavrik.core.procedures import Procedure
from mavrik.standin.bench import MeterServer, start_bench
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults

CONNECTED = {
    "voltmeter": "multimeter",
    "clamp": "clamp",
    "tachometer": "tachometer",
    "oscilloscope": "oscilloscope",
}


REGISTERED = {
    "voltmeter": "dmm",
    "clamp": "clamp",
    "tachometer": "tacho",
    "oscilloscope": "scope",
}
"""Of a new workshop's register."""


@contextmanager
def meters_on(cause: str, vehicle: str = "front", seed: int = 1) -> Iterator[dict[str, MeterServer]]:
    """All stand-in meters on an invented vehicle that hides a cause, until the test is over."""
    hidden = next(h for h in hidden_faults(VEHICLES[vehicle]) if h.causes == (cause,))
    with meters_of(HiddenVehicle(VEHICLES[vehicle], hidden, np.random.default_rng(seed))) as servers:
        yield servers


@contextmanager
def meters_of(vehicle: HiddenVehicle) -> Iterator[dict[str, MeterServer]]:
    """All stand-in meters on a vehicle."""
    servers = start_bench(vehicle)
    try:
        yield servers
    finally:
        # Side by side: each looks up only now and then.
        with ThreadPoolExecutor(len(servers)) as pool:
            list(pool.map(MeterServer.shutdown, servers.values()))
        for server in servers.values():
            server.server_close()


def every_case(vehicle: str) -> list[Hypothesis]:
    """What can be hidden in a vehicle."""
    return hidden_faults(VEHICLES[vehicle])


def read_by_meters(
    servers: dict[str, MeterServer], procedure: Procedure, show: Callable[[str], float | None]
) -> dict[str, float]:
    """One procedure as a hand makes it: probes moved, each value read off a connected meter, the rest seen and typed.

    show: points the program what the connected instrument of a kind shows
    """
    vehicle = servers["multimeter"].hands.vehicle
    typed, readings = vehicle.read(procedure), {}
    with socket.create_connection(servers["multimeter"].server_address, timeout=5) as hand:
        for point in procedure.points(vehicle.circuit):
            if point.id not in typed:
                continue
            if point.meter not in CONNECTED:
                readings[point.id] = typed[point.id].value
                continue
            words = [f"SIM:STAT {point.state}"] + ([f"SIM:PROB {point.red},{point.black}"] if point.red else [])
            words += [f"SIM:ELEM {point.element}"] if point.element else []
            # A question at the end, so that the probes are there before the meter is asked.
            hand.sendall("".join(f"{w}\n" for w in (*words, "*IDN?")).encode())
            hand.recv(200)
            value = show(point.meter)
            if value is not None:
                readings[point.id] = value
            if point.indicator == "shaft":
                readings["engine_rpm"] = IDLE_RPM
    return readings
