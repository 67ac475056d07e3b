"""What `./mavrik test` runs before pytest."""

from __future__ import annotations

import os
import sys

import pytest

from mavrik.ops.checks import Step, _first_failure


def python(name: str, words: str) -> Step:
    return name, [sys.executable, "-c", words]


def test_the_first_failure_ends_a_lane_and_its_words_are_told_in_one_piece(capfd: pytest.CaptureFixture[str]) -> None:
    steps = [
        python("good", "print('fine')"),
        python("bad", "import sys; print('broken here', file=sys.stderr); sys.exit(3)"),
        python("never", "print('not run')"),
    ]
    assert _first_failure(steps, dict(os.environ), live=False) == 3
    said = capfd.readouterr().err
    assert "== good\nfine\n   good: ok" in said and "== bad\nbroken here\n   bad: exit 3" in said
    assert "not run" not in said and "never" not in said
    assert _first_failure(steps[:1], dict(os.environ), live=True) == 0
    told = capfd.readouterr()
    assert told.out == "fine\n" and "== good" in told.err
