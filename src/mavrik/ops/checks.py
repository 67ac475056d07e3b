"""What `./mavrik test` and `./mavrik bench` run."""

from __future__ import annotations

import os
import subprocess
import time

from mavrik.ops import cluster
from mavrik.ops.base import ROOT, VENV, VENV_PYTHON, say
from mavrik.ops.debian import BROWSER_PACKAGES, PDF_PACKAGES, SPICE_PACKAGES, ensure_packages
from mavrik.ops.environment import FRONTEND, ensure_frontend, ensure_node_modules, ensure_python

BIN = VENV / "bin"


def _environment() -> dict[str, str]:
    settings = cluster.ensure_cluster()
    return {
        **os.environ,
        "MAVRIK_TEST_ADMIN_URL": os.environ.get("MAVRIK_TEST_ADMIN_URL") or cluster.url_of(settings, "postgres"),
        "PYTHONPATH": str(ROOT / "src"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "NO_COLOR": "1",
    }


def prepare(browser: bool = True) -> dict[str, str]:
    """Everything the tests need; returns their environment."""
    ensure_packages(PDF_PACKAGES + SPICE_PACKAGES + (BROWSER_PACKAGES if browser else ()), "the tests")
    ensure_python(test=True)
    ensure_node_modules()
    ensure_frontend()
    return _environment()


def run_tests(words: list[str]) -> int:
    """Linters, types, import rules, then pytest; returns the first failure's exit code.

    words: given, only pytest runs, with these arguments
    """
    environment = prepare()
    pytest = [str(VENV_PYTHON), "-m", "pytest", "--doctest-modules"]
    if words:
        return subprocess.run([*pytest, *words], cwd=ROOT, env=environment, check=False).returncode
    steps: list[tuple[str, list[str]]] = [
        ("ruff", [str(BIN / "ruff"), "check", "src", "tests", "bench", "mavrik"]),
        ("ruff format", [str(BIN / "ruff"), "format", "--check", "src", "tests", "bench"]),
        ("mypy", [str(BIN / "mypy")]),
        ("import rules", [str(BIN / "lint-imports")]),
        ("published formats", [str(VENV_PYTHON), "-m", "mavrik.cli", "formats", "docs/formats", "--check"]),
        ("eslint", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "lint"]),
        ("prettier", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "format:check"]),
        ("vue-tsc", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "check"]),
        ("front-end units", ["npm", "--prefix", str(FRONTEND), "run", "--silent", "test"]),
        # In the order of the folders: by number of tests a few long files would be left to the end, and one worker idle.
        ("pytest", [*pytest, "-n", "2", "--dist", "loadfile", "--no-loadscope-reorder"]),
    ]
    for name, command in steps:
        say(f"== {name}")
        started = time.monotonic()
        code = subprocess.run(command, cwd=ROOT, env=environment, check=False).returncode
        say(f"   {name}: {'ok' if code == 0 else f'exit {code}'}, {time.monotonic() - started:.1f} s")
        if code:
            return code
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
