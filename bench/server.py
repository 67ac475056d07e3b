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
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType

from sqlalchemy import text

from bench.core import full_test, thirty_branches
from bench.report import Figure
from mavrik.jobs.demo import DEMO_LOGIN, DEMO_PASSWORD, load_demo
from mavrik.jobs.work import JobInput
from mavrik.ops.server import serving as told
from mavrik.store.database import Database, drop_database, ensure_database

ROOT = Path(__file__).resolve().parents[1]
CLIENTS = 16
SECONDS = 8.0
THINK_S = 0.25
"""A person who drags or types points a few times a second."""


@contextmanager
def serving(more_jobs: int = 0) -> Iterator[tuple[str, int]]:
    """A server with the demo data, and as many jobs more, as `./mavrik demo` starts it: two workers."""
    admin = os.environ["MAVRIK_TEST_ADMIN_URL"]
    head, _, tail = admin.partition("?")
    url = f"{head.rsplit('/', 1)[0]}/mavrik_bench_{uuid.uuid4().hex[:8]}?{tail}"
    ensure_database(admin, url)
    database = Database(url)
    database.migrate()
    with database.session() as session:
        load_demo(session, datetime.now(UTC).date())
    if more_jobs:
        _fill(database, more_jobs)
    database.dispose()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "uvicorn", *told("127.0.0.1", port, 2)]
    environment = {**os.environ, "MAVRIK_DATABASE_URL": url, "MAVRIK_SECRET_KEY": "bench"}
    server = subprocess.Popen(command, env=environment, cwd=ROOT, stderr=subprocess.DEVNULL)
    try:
        for _ in range(1200):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.05)
        yield "127.0.0.1", port
    finally:
        server.terminate()
        server.wait(60)
        drop_database(admin, url)


def _fill(database: Database, count: int) -> None:
    """Jobs like those of the demo, in the database as the program would have put them there."""
    with database.engine.begin() as connection:
        for statement in (
            "INSERT INTO customers (name, contact) SELECT 'Customer ' || k, '' FROM generate_series(1, :n / 4) k",
            "INSERT INTO vehicles (customer_id, description, kind, system_voltage_v) "
            "SELECT c.id, 'Cart no. ' || c.id || ', diesel', 'van', 12 FROM customers c WHERE c.name LIKE 'Customer %'",
            "INSERT INTO jobs (number, vehicle_id, complaint, loads_to_add, promised, state, limit_profile, purposes, added_stages, lock) "
            "SELECT to_char(k % 20 + 5, 'FM00') || '-' || to_char(k, 'FM000000'), v.least + k % v.total, 'Dims at the kerb, battery flat by day ' || k, '[]', "
            "CASE WHEN k % 5 = 0 THEN NULL ELSE DATE '2020-01-01' + (k % 3000) END, (ARRAY['done','done','done','open','waiting'])[k % 5 + 1], "
            "'common', '[\"find_fault\"]', '[]', 1 "
            "FROM generate_series(1, :n) k, (SELECT min(id) AS least, count(*) AS total FROM vehicles WHERE description LIKE 'Cart no.%') v",
            "INSERT INTO job_summaries (job_id, made_by, progress, headline, text) "
            "SELECT j.id, s.made_by, s.progress, s.headline, concat_ws(E'\\n', j.number, c.name, v.description, j.complaint) "
            "FROM jobs j JOIN vehicles v ON v.id = j.vehicle_id JOIN customers c ON c.id = v.customer_id, "
            "(SELECT made_by, progress, headline FROM job_summaries ORDER BY job_id LIMIT 1) s "
            "WHERE NOT EXISTS (SELECT 1 FROM job_summaries x WHERE x.job_id = j.id)",
        ):
            connection.execute(text(statement), {"n": count} if ":n" in statement else {})
    with database.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("VACUUM ANALYZE"))


LISTED = (
    ("the list", "/api/jobs"),
    ("searched for two words", "/api/jobs?search=kerb%20day%20123"),
    ("narrowed to what is open and overdue", "/api/jobs?state=open&due=overdue"),
)
READS = ("/api/jobs", "/api/jobs/1", "/api/instruments")
MANY = ((50, 20_000, 150.0), (200, 0, 250.0))
PAUSE_S = 2.0
NO_PAUSE_CLIENTS = 8
SAVES_EVERY_S = 1.0
MEANWHILE = ((False, ""), (True, ", somebody saves every second"))


async def _save(client: Client, until: float) -> None:
    """Change a job's details time and again, as a workshop does while others read."""
    status, answer = await client.ask("GET", f"/api/jobs/{JOB}")
    assert status == 200, answer[:300]
    job = json.loads(answer)
    while time.perf_counter() < until:
        given = {name: job[name] for name in JobInput.model_fields if name in job}
        body = json.dumps({**given, "complaint": f"Dims, {time.time():.0f}", "lock": job["lock"]}).encode()
        status, answer = await client.ask("PUT", f"/api/jobs/{JOB}", body)
        assert status == 200, answer[:300]
        job = json.loads(answer)
        await asyncio.sleep(SAVES_EVERY_S)


async def _ask(
    host: str, port: int, paths: tuple[str, ...], clients: int, pause_s: float, seconds: float, saving: bool = False
) -> list[float]:
    """Times to answers of clients that ask for one path after the other [ms]; the first round of each is not counted.

    saving: whether somebody saves something every second meanwhile, so that no answer can be kept for longer
    """
    signed_in = Client(host, port)
    await signed_in.sign_in()
    all_of_them = [Client(host, port) for _ in range(clients)]
    for one in all_of_them:
        await one.open()
        one.cookie, one.token = signed_in.cookie, signed_in.token
    times: list[float] = []
    until = time.perf_counter() + seconds

    async def work(client: Client, k: int) -> None:
        await asyncio.sleep(pause_s * k / clients)
        turn = k
        while time.perf_counter() < until:
            start = time.perf_counter()
            status, answer = await client.ask("GET", paths[turn % len(paths)])
            assert status == 200, answer[:300]
            if turn >= k + len(paths):
                times.append((time.perf_counter() - start) * 1000)
            turn += 1
            await asyncio.sleep(pause_s)

    await asyncio.gather(*(work(c, k) for k, c in enumerate(all_of_them)), *([_save(signed_in, until)] if saving else []))
    return times


async def _once(host: str, port: int, paths: tuple[str, ...]) -> list[float]:
    """Times to answers that nobody has asked for before [ms]."""
    client, times = Client(host, port), []
    await client.sign_in()
    await client.ask("GET", LISTED[0][1])
    for path in paths:
        start = time.perf_counter()
        status, answer = await client.ask("GET", path)
        assert status == 200, answer[:300]
        times.append((time.perf_counter() - start) * 1000)
    return times


def _p95(times: list[float]) -> float:
    return statistics.quantiles(times, n=20)[-1]


def reading() -> list[Figure]:
    """Lists of a few and of many jobs, and how many readers at once a server bears, while nothing changes and while somebody saves."""
    measured = []
    for jobs, target in ((20_000, 30.0), (100_000, 50.0)):
        with serving(jobs) as (host, port):
            for words, path in LISTED:
                for saving, meanwhile in MEANWHILE:
                    times = asyncio.run(_ask(host, port, (path,), 1, 0.0, SECONDS / 2, saving))
                    name = f"{words}, {jobs:,} jobs, one client{meanwhile}"
                    measured.append(Figure("server", name, "ms", statistics.median(times), _p95(times), target))
            times = asyncio.run(_once(host, port, tuple(f"{LISTED[0][1]}?limit={k}" for k in range(40, 60))))
            measured.append(
                Figure(
                    "server", f"the list, {jobs:,} jobs, made anew each time", "ms", statistics.median(times), _p95(times), None
                )
            )
            for clients, of, most in MANY:
                if of == jobs:
                    for saving, meanwhile in MEANWHILE:
                        times = asyncio.run(_ask(host, port, ("/api/jobs",), clients, PAUSE_S, 3 * SECONDS, saving))
                        name = f"the list, {clients} clients, {jobs:,} jobs, a pause of 2 s{meanwhile}"
                        measured.append(Figure("server", name, "ms", statistics.median(times), _p95(times), most, True))
    with serving() as (host, port):
        times = asyncio.run(_ask(host, port, ("/api/jobs/1/findings",), 1, 0.0, SECONDS / 2))
        measured.append(
            Figure("server", "findings seen again, one client", "ms", statistics.median(times), _p95(times), 20.0, True)
        )
        for saving, meanwhile in MEANWHILE:
            for clients, of, most in MANY:
                if not of:
                    times = asyncio.run(_ask(host, port, READS, clients, PAUSE_S, 3 * SECONDS, saving))
                    name = f"ordinary reads, {clients} clients, the demo, a pause of 2 s{meanwhile}"
                    measured.append(Figure("server", name, "ms", statistics.median(times), _p95(times), most, True))
            times = asyncio.run(_ask(host, port, READS, NO_PAUSE_CLIENTS, 0.0, SECONDS, saving))
            name = f"ordinary reads a second, without a pause{meanwhile}"
            measured.append(Figure("server", name, "1/s", len(times) / SECONDS, None, 400.0, more_is_better=True))
    return measured


JOB = 8
"""Of the demo, with nothing read on it."""


class Client:
    """The least that speaks HTTP/1.1, so that the load does not eat the cores it measures."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.cookie = self.token = ""

    async def open(self) -> None:
        self.reader, self.writer = await asyncio.open_connection(self.host, self.port)

    async def ask(
        self, method: str, path: str, body: bytes = b"", more: Mapping[str, str] = MappingProxyType({})
    ) -> tuple[int, bytes]:
        head = f"{method} {path} HTTP/1.1\r\nHost: {self.host}:{self.port}\r\nContent-Length: {len(body)}\r\nContent-Type: application/json\r\n"
        head += f"Cookie: {self.cookie}\r\nX-CSRFToken: {self.token}\r\nUser-Agent: bench\r\n"
        head += "".join(f"{name}: {value}\r\n" for name, value in more.items()) + "\r\n"
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
    measured = []
    with serving() as (host, port):
        for name, think in (
            (f"a draft judged, 30 branches, {CLIENTS} clients, each 4 a second", THINK_S),
            (f"the same, {CLIENTS} clients without a pause", 0.0),
        ):
            asyncio.run(_load(host, port, body, think))
            times = asyncio.run(_load(host, port, body, think))
            target = 60.0 if think else None
            measured.append(
                Figure("server", name, "ms", statistics.median(times), statistics.quantiles(times, n=20)[-1], target, True)
            )
            if not think:
                measured.append(Figure("server", "requests a second, without a pause", "1/s", len(times) / SECONDS, None, None))
    return measured + reading()
