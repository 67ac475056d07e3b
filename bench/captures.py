"""A capture of ten million samples from a file to its first plot, and how fresh a live reading is; over real HTTP."""

from __future__ import annotations

import asyncio
import json
import re
import statistics
import tempfile
import time
from itertools import pairwise
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv
from tests.standin import meters_on

from bench.report import Figure
from bench.server import Client, serving

SAMPLES = 10_000_000
RUNS = 3
EVENTS = 60


def _write(path: Path) -> None:
    t = np.arange(SAMPLES) * 1e-5
    volts = 14.2 + 0.1 * np.sin(2 * np.pi * 700 * t) + np.random.default_rng(1).normal(0, 0.01, SAMPLES)
    csv.write_csv(pa.table({"Time (s)": np.round(t, 6), "Stud (V)": np.round(volts, 4)}), path)


def _most_memory_mb(port: int) -> float:
    """The largest resident size any process of the server ever had [MB]."""
    most = 0.0
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            if f"127.0.0.1:{port}" in (status.parent / "cmdline").read_text():
                match = re.search(r"VmHWM:\s+(\d+)", status.read_text())
                most = max(most, float(match[1]) / 1000 if match else 0.0)
        except OSError:
            continue
    return most


async def _first_plot(client: Client, path: Path) -> float:
    """From the file's first byte on the wire to the points of its first plot [s]."""
    jobs = json.loads((await client.ask("GET", "/api/jobs"))[1])["jobs"]
    at = f"/api/jobs/{jobs[0]['id']}/captures"
    begin = time.perf_counter()
    head = f"POST {at}?name=long.csv HTTP/1.1\r\nHost: bench\r\nContent-Length: {path.stat().st_size}\r\nContent-Type: application/octet-stream\r\nUser-Agent: bench\r\n"
    client.writer.write(f"{head}Cookie: {client.cookie}\r\nX-CSRFToken: {client.token}\r\n\r\n".encode())
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            client.writer.write(block)
            await client.writer.drain()
    answer = await client.reader.readuntil(b"\r\n\r\n")
    length = re.search(rb"Content-Length: (\d+)", answer)
    assert b" 202 " in answer and length, answer
    made = json.loads(await client.reader.readexactly(int(length.group(1))))["id"]
    while True:
        listed = json.loads((await client.ask("GET", at))[1])["captures"]
        now = next(c for c in listed if c["id"] == made)
        assert now["state"] in ("reading", "ready"), listed
        if now["samples"]:
            break
        await asyncio.sleep(0.05)
    points = json.loads((await client.ask("GET", f"{at}/{made}/view?points=1000"))[1])
    took = time.perf_counter() - begin
    assert len(points["most_v"]) == 1000
    await client.ask("DELETE", f"{at}/{made}")
    return took


async def _gaps(lead: Client, address: str) -> list[float]:
    """Times between one live reading and the next [ms]: a change on the meter waits no longer."""
    listed = json.loads((await lead.ask("GET", "/api/instruments"))[1])["instruments"]
    meter = next(i["instrument"]["id"] for i in listed if i["instrument"]["kind"] == "voltmeter")
    status, _ = await lead.ask("PUT", f"/api/instruments/{meter}/address", json.dumps({"address": address}).encode())
    assert status == 200, status
    query = "state=fast&red=bat_pos&black=bat_neg"
    lead.writer.write(
        f"GET /api/instruments/{meter}/live?{query} HTTP/1.1\r\nHost: bench\r\nUser-Agent: bench\r\nCookie: {lead.cookie}\r\n\r\n".encode()
    )
    await lead.reader.readuntil(b"\r\n\r\n")
    times: list[float] = []
    while len(times) < EVENTS:
        line = await lead.reader.readline()
        if line.startswith(b"data:"):
            times.append(time.perf_counter())
    return [1000 * (b - a) for a, b in pairwise(times[5:])]


async def _all(host: str, port: int, path: Path, address: str) -> tuple[list[float], list[float]]:
    client = Client(host, port)
    await client.sign_in()
    times = [await _first_plot(client, path) for _ in range(RUNS)]
    lead = Client(host, port)
    await lead.sign_in("mara")
    return times, await _gaps(lead, address)


def figures() -> list[Figure]:
    """Medians of whole uploads; memory at its most; gaps between live readings."""
    with tempfile.TemporaryDirectory() as folder, serving() as (host, port), meters_on("none:") as meters:
        path = Path(folder) / "long.csv"
        _write(path)
        meter = next(iter(meters.values())).server_address
        times, gaps = asyncio.run(_all(host, port, path, f"{meter[0]}:{meter[1]}"))
        memory = _most_memory_mb(port)
    return [
        Figure("captures", "10 million samples of CSV, from the file to its first plot", "s", statistics.median(times), max(times), 4.0),
        Figure("captures", "the same, most memory of a server process", "MB", memory, None, 1500.0),
        Figure("captures", "a live reading, from one to the next", "ms", statistics.median(gaps), statistics.quantiles(gaps, n=20)[-1], 200.0, True),
    ]  # fmt: skip
