"""A folder for cluster and server apart from that of the person who runs the tests."""

from __future__ import annotations

import os
import random
import shutil
import socket
import subprocess
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]


def free_port(in_a_row: int = 1) -> int:
    """A port that is free, and the next ones too.

    Of those that no outgoing connection is given: one that the system hands out may be taken again before a server has it.
    """
    for port in random.sample(range(20_000, 32_000, in_a_row), 500):
        with ExitStack() as held:
            try:
                for k in range(in_a_row):
                    held.enter_context(socket.socket()).bind(("127.0.0.1", port + k))
            except OSError:
                continue
            return port
    raise OSError("no port is free")


class Place:
    """A folder for cluster and server apart from that of the person who runs the tests."""

    def __init__(self, var: Path) -> None:
        self.var = var
        self.port = free_port()

    def run(self, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        clean = {k: v for k, v in os.environ.items() if k not in ("MAVRIK_DATABASE_URL", "MAVRIK_ADMIN_URL")}
        return subprocess.run(
            ["./mavrik", *words], cwd=ROOT, env={**clean, "MAVRIK_VAR": str(self.var), "MAVRIK_PROCESSES": "1", **environment}, capture_output=True, text=True,
            timeout=900, check=False, stdin=subprocess.DEVNULL,
        )  # fmt: skip

    def get(self, path: str) -> int:
        try:
            return int(urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", timeout=5).status)
        except urllib.error.HTTPError as error:
            return error.code


@pytest.fixture(scope="module")
def place() -> Iterator[Place]:
    # Not in pytest's own folder: the unprivileged account of the database must be able to enter it.
    var = ROOT / "var" / f"test-{os.getpid()}"
    made = Place(var)
    yield made
    made.run("reset", "--everything", "--yes")
    shutil.rmtree(var, ignore_errors=True)
