"""The stand-in from the shell: `./mavrik standin` and the one that the demo starts."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from mavrik.ops import standin
from tests.ops.conftest import free_port

ROOT = Path(__file__).resolve().parents[2]


def command(*words: str) -> list[str]:
    return [sys.executable, "-m", "mavrik.cli", "standin", *words]


ENVIRONMENT = {**os.environ, "PYTHONPATH": str(ROOT / "src")}


def replies(port: int, *words: str) -> list[str]:
    with socket.create_connection(("127.0.0.1", port), timeout=5) as link:
        lines = link.makefile("rw", newline="\n")
        answers = []
        for word in words:
            lines.write(word + "\n")
            lines.flush()
            if word.endswith("?"):
                answers.append(lines.readline().strip())
        return answers


@pytest.fixture
def running() -> Iterator[int]:
    port = free_port(2)
    process = subprocess.Popen(
        command("--vehicle", "car", "--fault", "dead_cell:battery", "--port", str(port)),
        env=ENVIRONMENT,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    assert [process.stdout.readline().split()[0] for _ in range(2)] == ["multimeter", "clamp"]
    yield port
    process.terminate()
    process.wait(10)


def test_a_vehicle_with_a_dead_cell_reads_like_one(running: int) -> None:
    who, volts = replies(running, "*IDN?", "MEAS:VOLT:DC?")
    assert "multimeter" in who and 9.5 < float(volts) < 11
    amps = replies(running + 1, "SIM:STAT full_output", "SIM:ELEM alternator", "MEAS:CURR:DC?")
    assert float(amps[0]) > 40


@pytest.mark.long(but=1)
@pytest.mark.parametrize(
    ("words", "message"),
    [(("--vehicle", "tank"), "no vehicle"), (("--fault", "gremlin:x"), "no fault"), (("--port", "1"), "taken")],
)
def test_what_it_cannot_do_is_one_line(words: tuple[str, ...], message: str) -> None:
    if words[0] == "--port" and os.geteuid() == 0:
        with socket.socket() as held:
            held.bind(("127.0.0.1", 0))
            held.listen()
            words = ("--port", str(held.getsockname()[1]))
            done = subprocess.run(command(*words), env=ENVIRONMENT, capture_output=True, text=True, timeout=300, check=False)
    else:
        done = subprocess.run(command(*words), env=ENVIRONMENT, capture_output=True, text=True, timeout=300, check=False)
    assert done.returncode == 2 and message in done.stderr and len(done.stderr.strip().splitlines()) == 1


def test_it_is_started_once_found_again_and_stopped(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(standin, "VAR", tmp_path)
    monkeypatch.setattr(standin, "STATE", tmp_path / "standin.json")
    monkeypatch.setattr(standin, "LOG", tmp_path / "standin.log")
    monkeypatch.setattr(standin, "VENV_PYTHON", Path(sys.executable))
    monkeypatch.setattr(standin, "DEMO", ("--port", str(free_port(2))))
    assert standin.find_running() is None and not standin.stop()
    standin.start()
    first = standin.find_running()
    standin.start()
    assert first is not None and standin.find_running() == first
    until = time.monotonic() + 20
    while "clamp" not in (tmp_path / "standin.log").read_text() and time.monotonic() < until:
        time.sleep(0.1)
    assert "multimeter at 127.0.0.1" in (tmp_path / "standin.log").read_text()
    assert standin.stop()
    os.waitpid(first, 0)
    assert standin.find_running() is None
