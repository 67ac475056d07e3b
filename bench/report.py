"""Figures, and the page they are kept on."""

from __future__ import annotations

import platform
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path

PAGE = Path(__file__).resolve().parents[1] / "docs" / "performance.md"

PARTS = (
    "core",
    "solving",
    "judging",
    "diagnosis",
    "meters",
    "planning",
    "proposals",
    "building",
    "server",
    "captures",
    "browser",
)
"""A module of the bench each, in the order of the page."""


@dataclass(frozen=True)
class Figure:
    """One measured thing."""

    part: str
    name: str
    unit: str
    median: float
    p95: float | None
    wanted: float | None
    """What the design points for, of the 95th percentile where `judged_by_p95`, else of the median."""
    judged_by_p95: bool = False
    more_is_better: bool = False

    def row(self) -> str:
        """A row of the table."""
        p95 = "" if self.p95 is None else f"{self.p95:.2f}"
        wanted = (
            ""
            if self.wanted is None
            else f"{'over' if self.more_is_better else 'under'} {self.wanted:g}{' (p95)' if self.judged_by_p95 else ''}"
        )
        return f"| {self.part} | {self.name} | {self.unit} | {self.median:.2f} | {p95} | {wanted} |"


def machine() -> str:
    """What it ran on."""
    import os

    lines = Path("/proc/cpuinfo").read_text().splitlines() if Path("/proc/cpuinfo").exists() else []
    model = next((line.split(":", 1)[1].strip() for line in lines if line.startswith("model name")), platform.machine())
    cores = len(os.sched_getaffinity(0))
    return f"{cores} cores of {model}, {platform.system()} {platform.release().split('-')[0]}, Python {platform.python_version()}"


HEAD = """# Performance

Measured by `./mavrik bench`, never asserted in a test: machines are noisy. With `--write` the rows of the parts that are measured are
replaced; all other rows, and what stands below the table, are kept. The load generator, the server and the database share the same
cores. Compare figures of different days by the yardstick in the first row.
"""
COLUMNS = "| part | what | unit | median | 95th percentile | wanted | measured |\n|---|---|---|---|---|---|---|"
NOTES = "\n## "
"""Where what is written by hand begins."""


def page(figures: Sequence[Figure], before: str, on: date) -> str:
    """The page as text.

    figures: measured now, all of the parts that they are of; before: the page as it was; on: the day
    """
    measured = {f.part for f in figures}
    rows: dict[str, list[str]] = {}
    table, _, notes = before.partition(NOTES)
    for line in table.splitlines():
        part = line.removeprefix("| ").split(" | ")[0]
        if line.startswith("| ") and part not in ("part", *measured):
            rows.setdefault(part, []).append(line)
    for f in figures:
        rows.setdefault(f.part, []).append(f"{f.row()} {on:%Y-%m-%d} |")
    order = [*dict.fromkeys([*(p for p in PARTS if p in rows), *rows])]
    lines = [HEAD, f"Machine of the last one: {machine()}.", "", COLUMNS, *(row for part in order for row in rows[part])]
    return "\n".join(lines) + "\n" + (NOTES + notes if notes else "")
