"""Who sends slowly holds nothing but a connection; real sockets, a real server."""

from __future__ import annotations

import asyncio
import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import Any

import pytest
import uvicorn

from mavrik.jobs.links import LIVE_AT_ONCE, LONGEST_S
from mavrik.ops.server import serving
from mavrik.web.connections import Bounded
from mavrik.web.front import THREADS, Patient
from tests.api.conftest import Caller
from tests.standin import meters_on

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(scope="module")
def port(database_url: str) -> Iterator[int]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        free = int(probe.getsockname()[1])
    environment = {
        **os.environ, "MAVRIK_DATABASE_URL": database_url, "MAVRIK_SECRET_KEY": "test", "PYTHONPATH": str(ROOT / "src")
    }  # fmt: skip
    command = [sys.executable, "-m", "uvicorn", *serving("127.0.0.1", free, 1)]
    with subprocess.Popen(command, env=environment, cwd=ROOT, stderr=subprocess.DEVNULL) as server:
        for _ in range(600):
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{free}/api/live", timeout=1)
                break
            except OSError:
                time.sleep(0.1)
        yield free
        server.terminate()


BEGUN = {
    "nothing": b"",
    "half a head": b"GET /api/health HTTP/1.1\r\nHost: x\r\nX-Slow: ",
    "half a body": b"POST /api/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{",
}


@pytest.mark.parametrize("begun", BEGUN)
def test_slow_connections_hold_up_nobody(port: int, begun: str) -> None:
    """Six for each thread of the server. Before, 24 of them stopped all others for 25 s."""
    with ExitStack() as held:
        for _ in range(6 * THREADS):
            link = held.enter_context(socket.create_connection(("127.0.0.1", port), timeout=30))
            link.sendall(BEGUN[begun])
        began = time.monotonic()
        assert urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=60).status == 200
        # A thread would be free only when one of them gives up: not before the deadline of a body.
        assert time.monotonic() - began < 25


@pytest.fixture
def hurried() -> Iterator[int]:
    """A server that waits half a second for a head, at its port."""

    class Hurried(Bounded):
        head_s = 0.5

    async def application(scope: Any, receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"2")]})
        await send({"type": "http.response.body", "body": b"ok"})

    listening = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(
        uvicorn.Config(application, http=Hurried, lifespan="off", log_level="critical", timeout_keep_alive=60)
    )
    with ThreadPoolExecutor(1) as apart:
        running = apart.submit(asyncio.run, server.serve([listening]))
        yield listening.getsockname()[1]
        server.should_exit = True
        running.result()


@pytest.mark.parametrize("kept", [False, True])
def test_a_head_that_drips_is_given_up_on(hurried: int, kept: bool) -> None:
    with socket.create_connection(("127.0.0.1", hurried), timeout=60) as link:
        if kept:
            link.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
            assert link.recv(1000).startswith(b"HTTP/1.1 200")
            # Between two requests nobody waits for a head.
            time.sleep(0.7)
        begun = time.monotonic()
        with suppress(OSError):
            for byte in b"GET / HTTP/1.1\r\n" + b"X-Slow: drip\r\n" * 1000:
                link.sendall(bytes([byte]))
                time.sleep(0.05)
                assert time.monotonic() - begun < 40
        with suppress(ConnectionError):
            while block := link.recv(1000):
                assert not block.startswith(b"HTTP/1.1 200")


def test_a_head_without_end_is_refused(hurried: int) -> None:
    with socket.create_connection(("127.0.0.1", hurried), timeout=60) as link:
        with suppress(OSError):
            link.sendall(b"GET / HTTP/1.1\r\n" + b"X-More: " + b"a" * 400_000)
        received = b""
        with suppress(ConnectionError):
            received = link.recv(1000)
        assert received == b"" or received.startswith(b"HTTP/1.1 431")


def test_a_body_of_no_known_length_is_refused(port: int) -> None:
    with socket.create_connection(("127.0.0.1", port), timeout=30) as link:
        link.sendall(b"POST /api/session HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n")
        assert link.recv(200).startswith(b"HTTP/1.1 411")


def test_a_body_that_does_not_come_is_given_up_on() -> None:
    """The application is never asked, and who sent it is told."""
    events: list[dict[str, object]] = []

    async def application(*_: object) -> None:
        raise AssertionError("asked")

    async def receive() -> dict[str, object]:
        await asyncio.sleep(60)
        return {}

    async def send(message: object) -> None:
        events.append(message)  # type: ignore[arg-type]

    scope = {"type": "http", "headers": [(b"content-length", b"10")]}
    # In a thread of its own: the browser of other tests may have a loop in this one.
    with ThreadPoolExecutor(1) as apart:
        apart.submit(asyncio.run, Patient(application, within_s=0.05)(scope, receive, send)).result()
    assert events[0]["status"] == 408 and b"was not here within" in events[1]["body"]  # type: ignore[operator]


def test_a_live_view_that_is_closed_lets_go_of_its_meter(port: int, boss: Caller, tech: Caller) -> None:
    """Before, five pages that were closed kept everybody from looking at any meter for two minutes."""
    with meters_on("none:") as servers:
        assert boss.put("/api/instruments/dmm/address", {"address": servers["multimeter"].address}).status_code == 200
        cookie = tech.client.get_cookie("mavrik")
        assert cookie is not None
        request = f"GET /api/instruments/dmm/live HTTP/1.1\r\nHost: x\r\nUser-Agent: {tech.client.environ_base['HTTP_USER_AGENT']}\r\nCookie: mavrik={cookie.value}\r\n\r\n".encode()

        def looked_at() -> tuple[socket.socket, str]:
            link = socket.create_connection(("127.0.0.1", port), timeout=60)
            link.sendall(request)
            received = b""
            while b"\n\n" not in received.partition(b"data: ")[2]:
                block = link.recv(4096)
                assert block, received
                received += block
            return link, json.loads(received.partition(b"data: ")[2].partition(b"\n")[0])["lost"]

        views = [looked_at() for _ in range(LIVE_AT_ONCE)]
        assert [lost for _, lost in views] == [""] * LIVE_AT_ONCE
        for link, _ in views:
            link.close()
        until = time.monotonic() + LONGEST_S / 2
        while True:
            link, lost = looked_at()
            link.close()
            if not lost:
                break
            assert time.monotonic() < until, lost
        boss.put("/api/instruments/dmm/address", {"address": None})
