"""What `./mavrik test` runs before pytest."""

from __future__ import annotations

import ast
import os
import subprocess
import sys

import pytest

from mavrik.ops.base import ROOT
from mavrik.ops.checks import ALL, FOLDERS, Step, _first_failure


def python(name: str, words: str) -> Step:
    return name, [sys.executable, "-c", words]


def test_the_first_failure_ends_a_lane_and_its_words_are_told_in_one_piece(capfd: pytest.CaptureFixture[str]) -> None:
    steps = [
        python("good", "print('fine')"),
        python("bad", "import sys; print('broken here', file=sys.stderr); sys.exit(3)"),
        python("never", "print('not run')"),
    ]
    assert _first_failure(steps, dict(os.environ), live=False) == 3
    output = capfd.readouterr().err
    assert "== good\nfine\n   good: ok" in output and "== bad\nbroken here\n   bad: exit 3" in output
    assert "not run" not in output and "never" not in output
    assert _first_failure(steps[:1], dict(os.environ), live=True) == 0
    output = capfd.readouterr()
    assert output.out == "fine\n" and "== good" in output.err


def test_every_file_of_tests_lies_in_a_folder_that_is_run() -> None:
    files = [path.relative_to(ROOT) for path in (ROOT / "tests").rglob("test_*.py")]
    assert len(files) > 100 and [f for f in files if not any(f.is_relative_to(folder) for folder in FOLDERS)] == []


def test_of_a_long_test_the_first_cases_are_run_by_every_run() -> None:
    file = "tests/core/test_belt_off.py"
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "--collect-only", "--without-long", file]
    environment = {**os.environ, "PYTEST_ADDOPTS": ""}
    done = subprocess.run(command, cwd=ROOT, env=environment, check=True, capture_output=True, text=True)
    swept = "test_belt_lamp_and_shaft_part_it_from_a_unit_without_a_field"
    assert (ROOT / file).read_text(encoding="utf-8").count("mark.long(but=3)") == 1
    assert done.stdout.count(f"::{swept}[") == 3 and "(3 deselected)" in done.stdout and done.stdout.count("::") > 3


def test_of_every_file_something_is_run_by_every_run() -> None:
    for path in (ROOT / "tests").rglob("test_*.py"):
        body = ast.parse(path.read_text(encoding="utf-8")).body
        tests = [n for n in body if isinstance(n, ast.FunctionDef) and n.name.startswith("test_")]
        long = [n for n in tests if "pytest.mark.long" in map(ast.unparse, n.decorator_list)]
        assert not tests or len(long) < len(tests), path


def test_everything_is_run_where_a_change_is_checked() -> None:
    assert f"./mavrik test {ALL}" in (ROOT / ".ci" / "run").read_text(encoding="utf-8")
