"""Hidden faults found by the program itself: over real HTTP, every value read off stand-in meters on real sockets.

What `diagnosis` measures of the reasoning alone, here goes the way of a bench: job, addresses of instruments, readings, runs.
"""

from __future__ import annotations

import asyncio
import json
import statistics
import time
from datetime import UTC, datetime
from typing import Any

import numpy as np
from tests.standin import CONNECTED, meters_of, read_by_meters

from bench.report import Figure
from bench.server import Client, serving
from mavrik.core.procedures import PROCEDURES
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults

LEAD = "mara"
REGISTERED = {
    "voltmeter": "dmm_1",
    "clamp": "clamp_1",
    "tachometer": "tach",
    "oscilloscope": "scope",
}


class _Person:
    """Somebody signed in, asking one thing after another."""

    def __init__(self, host: str, port: int, login: str) -> None:
        self.loop = asyncio.new_event_loop()
        self.client = Client(host, port)
        self.loop.run_until_complete(self.client.sign_in(login))

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        data = b"" if body is None else json.dumps(body).encode()
        status, answer = self.loop.run_until_complete(self.client.ask(method, path, data))
        assert status < 300, (status, answer[:400])
        return json.loads(answer) if answer else None


def _ranked(tech: _Person, lead: _Person, vehicle: HiddenVehicle) -> list[str]:
    """One case: the causes as the program ranks them once everything has been read."""
    body = {
        "customer": {"name": "Bench"},
        "vehicle": {"description": "Bench", "kind": "car", "system_voltage_v": 12},
        "complaint": "Hidden",
    }
    job = tech.ask("POST", "/api/jobs", body)
    tech.ask("PUT", f"/api/jobs/{job['id']}/circuit", {"document": vehicle.circuit.model_dump(mode="json"), "lock": None})
    circuit_id = tech.ask("GET", f"/api/jobs/{job['id']}")["circuits"][-1]["id"]
    with meters_of(vehicle) as servers:
        for kind, instrument in REGISTERED.items():
            lead.ask("PUT", f"/api/instruments/{instrument}/address", {"address": servers[CONNECTED[kind]].address})

        def show(kind: str) -> float | None:
            value: float | None = tech.ask("GET", f"/api/instruments/{REGISTERED[kind]}/reading")["value"]
            return value

        for procedure in PROCEDURES:
            values = read_by_meters(servers, procedure, show)
            if values:
                readings = [{"point": a, "value": v} for a, v in values.items()]
                conditions = vehicle.conditions if procedure.name == "charging_drops" else {}
                run = {"procedure": procedure.name, "readings": readings, **conditions}
                tech.ask("POST", f"/api/jobs/{job['id']}/runs", {"circuit_id": circuit_id, "run": run})
    return [c["cause"] for c in tech.ask("GET", f"/api/jobs/{job['id']}/findings")["findings"]["causes"]]


def figures() -> list[Figure]:
    """Every fault of the catalogue on every vehicle, once."""
    first = three = healthy = total = 0
    times = []
    with serving() as (host, port):
        tech, lead = _Person(host, port, "tobin"), _Person(host, port, LEAD)
        for circuit in VEHICLES.values():
            for k, hidden in enumerate(hidden_faults(circuit)):
                begin = time.perf_counter()
                ranked = _ranked(tech, lead, HiddenVehicle(circuit, hidden, np.random.default_rng(k)))
                times.append(time.perf_counter() - begin)
                total += 1
                first += ranked[0] == hidden.causes[0]
                three += hidden.causes[0] in ranked[:3]
                healthy += hidden.causes[0].startswith("none") and ranked[0] == hidden.causes[0]
                if ranked[0] != hidden.causes[0]:
                    print(f"  {datetime.now(UTC):%H:%M} {circuit.layout}: {hidden.causes[0]} taken for {ranked[0]}", flush=True)
    return [
        Figure(
            "meters",
            f"true cause not ranked first, {total} vehicles read by connected meters",
            "%",
            100 * (1 - first / total),
            None,
            10.0,
        ),
        Figure("meters", "true cause not among the first three", "%", 100 * (1 - three / total), None, 1.0),
        Figure("meters", "healthy vehicles not called healthy", "%", 100 * (1 - healthy / len(VEHICLES)), None, None),
        Figure("meters", "a whole vehicle read, judged and diagnosed by the program", "s", statistics.median(times), None, None),
    ]
