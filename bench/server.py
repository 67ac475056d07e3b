"""The server: judging a draft with 16 clients, over real HTTP and a real database."""

from __future__ import annotations

import asyncio
import json
import os
import re
import socket
import statistics
import subprocess
import sys
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from bench.core import full_test, thirty_branches
from bench.report import Figure
from mavrik.jobs.demo import DEMO_LOGIN, DEMO_PASSWORD, load_demo
from mavrik.ops.server import serving as told
from mavrik.store.database import Database, drop_database, ensure_database

ROOT = Path(__file__).resolve().parents[1]
CLIENTS = 16
SECONDS = 8.0
THINK_S = 0.25
"""A person who drags or types points a few times a second."""


@contextmanager
def serving() -> Iterator[tuple[str, int]]:
    """A server with the demo data, as `./mavrik demo` starts it: two workers."""
    admin = os.environ["MAVRIK_TEST_ADMIN_URL"]
    head, _, tail = admin.partition("?")
    url = f"{head.rsplit('/', 1)[0]}/mavrik_bench_{uuid.uuid4().hex[:8]}?{tail}"
    ensure_database(admin, url)
    database = Database(url)
    database.migrate()
    with database.session() as session:
        load_demo(session, datetime.now(UTC).date())
    database.dispose()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "uvicorn", *told("127.0.0.1", port, 2)]
    environment = {**os.environ, "MAVRIK_DATABASE_URL": url, "MAVRIK_SECRET_KEY": "bench"}
    server = subprocess.Popen(command, env=environment, cwd=ROOT, stderr=subprocess.DEVNULL)
    try:
        for _ in range(200):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.05)
        yield "127.0.0.1", port
    finally:
        server.terminate()
        server.wait(10)
        drop_database(admin, url)


JOB = 8
"""Of the demo, with nothing read on it."""


class Client:
    """The least that speaks HTTP/1.1, so that the load does not eat the cores it measures."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.cookie = self.token = ""

    async def open(self) -> None:
        self.reader, self.writer = await asyncio.open_connection(self.host, self.port)

    async def ask(self, method: str, path: str, body: bytes = b"") -> tuple[int, bytes]:
        head = f"{method} {path} HTTP/1.1\r\nHost: {self.host}:{self.port}\r\nContent-Length: {len(body)}\r\nContent-Type: application/json\r\n"
        head += f"Cookie: {self.cookie}\r\nX-CSRFToken: {self.token}\r\nUser-Agent: bench\r\n\r\n"
        for attempt in (1, 2):
            self.writer.write(head.encode() + body)
            try:
                await self.writer.drain()
                answer = await self.reader.readuntil(b"\r\n\r\n")
                break
            except (asyncio.IncompleteReadError, ConnectionError):
                if attempt == 2:
                    raise
                # A kept connection that the server has closed meanwhile is opened again, as a browser does.
                await self.open()
        cookie = re.search(rb"(?i)set-cookie: (mavrik=[^;]+)", answer)
        if cookie:
            self.cookie = cookie.group(1).decode()
        length = re.search(rb"(?i)content-length: (\d+)", answer)
        data = await self.reader.readexactly(int(length.group(1))) if length else b""
        return int(answer.split(b" ", 2)[1]), data

    async def sign_in(self, login: str = DEMO_LOGIN) -> None:
        await self.open()
        self.token = json.loads((await self.ask("GET", "/api/session"))[1])["csrf_token"]
        body = json.dumps({"login": login, "password": DEMO_PASSWORD}).encode()
        status, _ = await self.ask("POST", "/api/session", body)
        assert status == 200, status
        self.token = json.loads((await self.ask("GET", "/api/session"))[1])["csrf_token"]


async def _load(host: str, port: int, body: bytes, think_s: float) -> list[float]:
    clients = [Client(host, port) for _ in range(CLIENTS)]
    for client in clients:
        await client.sign_in()
    times: list[float] = []
    until = time.perf_counter() + SECONDS

    async def work(client: Client, k: int) -> None:
        await asyncio.sleep(think_s * k / CLIENTS)
        while time.perf_counter() < until:
            start = time.perf_counter()
            status, _ = await client.ask("POST", f"/api/jobs/{JOB}/findings/draft", body)
            times.append((time.perf_counter() - start) * 1000)
            assert status == 200, status
            await asyncio.sleep(think_s)

    await asyncio.gather(*(work(c, k) for k, c in enumerate(clients)))
    return times


def figures() -> list[Figure]:
    """Paced like people, and as fast as it goes."""
    circuit = thirty_branches()
    readings = [{"point": r.point, "value": r.value} for r in full_test(circuit).readings]
    run = {"procedure": "charging_drops", "readings": readings}
    body = json.dumps({"circuit": circuit.model_dump(mode="json"), "run": run}).encode()
    found = []
    with serving() as (host, port):
        for name, think in (
            (f"a draft judged, 30 branches, {CLIENTS} clients, each 4 a second", THINK_S),
            (f"the same, {CLIENTS} clients without a pause", 0.0),
        ):
            asyncio.run(_load(host, port, body, think))
            times = asyncio.run(_load(host, port, body, think))
            wanted = 60.0 if think else None
            found.append(
                Figure("server", name, "ms", statistics.median(times), statistics.quantiles(times, n=20)[-1], wanted, True)
            )
            if not think:
                found.append(Figure("server", "requests a second, without a pause", "1/s", len(times) / SECONDS, None, None))
    return found
