"""What `./mavrik test` and `./mavrik bench` run."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeAlias

from mavrik.ops import cluster
from mavrik.ops.base import ROOT, VENV, VENV_PYTHON, say
from mavrik.ops.debian import BROWSER_PACKAGES, PDF_PACKAGES, SPICE_PACKAGES, ensure_packages
from mavrik.ops.environment import FRONTEND, ensure_frontend, ensure_node_modules, ensure_python

BIN = VENV / "bin"
Step: TypeAlias = tuple[str, list[str]]

FOLDERS = (
    "tests/reference", "tests/core", "tests/ops", "tests/instruments", "tests/api", "tests/browser", "tests/exchange", "src/mavrik/core"
)  # fmt: skip
"""Where tests are, long files first: what is short comes last, so that both workers end together."""

ALL = "--all"
"""Long tests as well: sweeps over every layout and fault, further journeys through the product."""


def _environment() -> dict[str, str]:
    settings = cluster.ensure_cluster()
    return {
        **os.environ,
        "MAVRIK_TEST_ADMIN_URL": os.environ.get("MAVRIK_TEST_ADMIN_URL") or cluster.url_of(settings, "postgres"),
        "PYTHONPATH": str(ROOT / "src"),
        # A hundred programs are started by the tests, each of five hundred modules.
        "PYTHONDONTWRITEBYTECODE": "",
        "NO_COLOR": "1",
    }


def prepare(browser: bool = True) -> dict[str, str]:
    """Everything the tests need; returns their environment."""

    def of_python() -> None:
        ensure_packages(PDF_PACKAGES + SPICE_PACKAGES + (BROWSER_PACKAGES if browser else ()), "the tests")
        ensure_python(test=True)

    def of_front() -> None:
        ensure_node_modules()
        ensure_frontend()

    with ThreadPoolExecutor() as lanes:
        for lane in [lanes.submit(of_python), lanes.submit(of_front)]:
            lane.result()
    return _environment()


def run_tests(words: list[str]) -> int:
    """Linters, types, import rules, then pytest; returns the first failure's exit code.

    words: none; `--all`, for the long tests too; or what only pytest runs with, as it stands
    """
    environment, every = prepare(), words == [ALL]
    pytest = [str(VENV_PYTHON), "-m", "pytest", "--doctest-modules"]
    if words and not every:
        return subprocess.run([*pytest, *words], cwd=ROOT, env=environment, check=False).returncode
    quick: list[Step] = [
        ("ruff", [str(BIN / "ruff"), "check", "src", "tests", "bench", "mavrik"]),
        ("ruff format", [str(BIN / "ruff"), "format", "--check", "src", "tests", "bench"]),
        ("mypy", [str(BIN / "mypy")]),
        ("import rules", [str(BIN / "lint-imports")]),
        ("published formats", [str(VENV_PYTHON), "-m", "mavrik.cli", "formats", "docs/formats", "--check"]),
        ("eslint", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "lint"]),
        ("prettier", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "format:check"]),
    ]
    slow: list[Step] = [
        ("vue-tsc", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "check"]),
        ("front-end units", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "test"]),
    ]
    # What only reads takes one processor each; what it says is told in one piece.
    with ThreadPoolExecutor() as lanes:
        codes = list(lanes.map(lambda steps: _first_failure(steps, environment, live=False), (quick, slow)))
    if any(codes):
        return next(code for code in codes if code)
    # By number of tests a few long files would be left to the end, and one worker idle. Three, for what is in a browser or starts the whole
    # product waits for it most of the time.
    of_these = [] if every else ["--without-long"]
    tests: Step = "pytest", [*pytest, "-n", "3", "--dist", "loadfile", "--no-loadscope-reorder", *of_these, *FOLDERS]
    return _first_failure([tests], environment, live=True)


def _first_failure(steps: Sequence[Step], environment: dict[str, str], live: bool) -> int:
    """Run steps up to the first that fails; returns its exit code, 0 where none does.

    live: whether a step writes to the terminal itself; otherwise what it says follows once it has ended
    """
    for name, command in steps:
        if live:
            say(f"== {name}")
        started = time.monotonic()
        done = subprocess.run(
            command, cwd=ROOT, env=environment, check=False, text=True, errors="replace",
            stdout=None if live else subprocess.PIPE, stderr=None if live else subprocess.STDOUT,
        )  # fmt: skip
        words = "" if live else f"== {name}\n{done.stdout}"
        say(
            f"{words}   {name}: {'ok' if done.returncode == 0 else f'exit {done.returncode}'}, {time.monotonic() - started:.1f} s"
        )
        if done.returncode:
            return done.returncode
    return 0


def run_attack(words: list[str]) -> int:
    """Kill, race and confuse a product of our own; what was acknowledged has to be there, and nothing may be a mistake of the server."""
    prepare(browser=False)
    environment = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    return subprocess.run([str(VENV_PYTHON), "-m", "bench.attack", *words], cwd=ROOT, env=environment, check=False).returncode


def run_bench(words: list[str]) -> int:
    """All benchmarks; their figures go to the terminal."""
    environment = prepare()
    return subprocess.run([str(VENV_PYTHON), "-m", "bench", *words], cwd=ROOT, env=environment, check=False).returncode
