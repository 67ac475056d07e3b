"""Figures, and the page they are kept on."""

from __future__ import annotations

import platform
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

PAGE = Path(__file__).resolve().parents[1] / "docs" / "performance.md"


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


def page(figures: list[Figure]) -> str:
    """The page as text."""
    head = [
        "# Performance",
        "",
        "Measured by `./mavrik bench --write`, never asserted in a test: machines are noisy. The load generator, the server",
        "and the database share the same cores. Compare figures of different days by the yardstick in the first row.",
        "",
        f"Machine: {machine()}. Date: {datetime.now(UTC):%Y-%m-%d}.",
        "",
        "| part | what | unit | median | 95th percentile | wanted |",
        "|---|---|---|---|---|---|",
    ]
    return "\n".join([*head, *(f.row() for f in figures)]) + "\n"
