"""Run the benchmarks: all, or the parts named (see `bench.report.PARTS`); --write puts what was measured on the page."""

from __future__ import annotations

import importlib
import sys
from datetime import UTC, datetime

from bench.report import PAGE, PARTS, Figure, page


def main(words: list[str]) -> int:
    """Measure and print."""
    parts = [w for w in words if not w.startswith("-")] or list(PARTS)
    if unknown := set(parts) - set(PARTS):
        print(f"No such part: {', '.join(sorted(unknown))}. Parts: {', '.join(PARTS)}.", file=sys.stderr)
        return 2
    figures: list[Figure] = []
    for part in parts:
        for figure in importlib.import_module(f"bench.{part}").figures():
            figures.append(figure)
            print(figure.row(), flush=True)
    if "--write" in words:
        PAGE.write_text(page(figures, PAGE.read_text(encoding="utf-8"), datetime.now(UTC).date()), encoding="utf-8")
        print(f"Written: {PAGE.name}")
    return 0


sys.exit(main(sys.argv[1:]))
