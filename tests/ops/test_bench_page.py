"""The page of what was measured: who measures one part loses nothing of the others, nor of what is written below."""

from __future__ import annotations

import importlib.util
from datetime import date
from pathlib import Path

from bench.report import PAGE, PARTS, Figure, page

ROOT = Path(__file__).resolve().parents[2]
DAY = date(2026, 3, 4)


def rows(text: str, part: str) -> list[str]:
    return [line for line in text.splitlines() if line.startswith(f"| {part} |")]


def test_only_the_rows_of_what_was_measured_are_replaced() -> None:
    first = page(
        [Figure("server", "a list", "ms", 3.0, 9.0, 60.0, True), Figure("core", "yardstick", "ms", 3.2, None, None)], "", DAY
    )
    before = first + "\n## Notes\n\n| core | of a table of the notes |\n"
    after = page([Figure("core", "yardstick", "ms", 4.1, None, None)], before, date(2026, 3, 9))
    table, _, notes = after.partition("\n## ")
    assert rows(table, "core") == ["| core | yardstick | ms | 4.10 |  |  | 2026-03-09 |"]
    assert rows(table, "server") == ["| server | a list | ms | 3.00 | 9.00 | under 60 (p95) | 2026-03-04 |"]
    assert notes == "Notes\n\n| core | of a table of the notes |\n"
    # As the bench runs them, whatever was measured first.
    assert table.index("| core |") < table.index("| server |")


def test_measured_again_it_is_the_same_page() -> None:
    figures = [Figure("judging", "all of it", "ms", 120.0, 150.0, 150.0)]
    once = page(figures, PAGE.read_text(encoding="utf-8"), DAY)
    assert page(figures, once, DAY) == once


def test_every_part_is_a_module_and_every_row_of_a_part() -> None:
    for part in PARTS:
        assert importlib.util.find_spec(f"bench.{part}"), part
    table = PAGE.read_text(encoding="utf-8").partition("\n## ")[0]
    named = {line.removeprefix("| ").split(" | ")[0] for line in table.splitlines() if line.startswith("| ")} - {"part"}
    assert named and named <= set(PARTS)
