"""How often the cause is found on vehicles that share no code with the findings, and how far what is said of it can be trusted."""

from __future__ import annotations

import argparse
import sys
from collections import defaultdict
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from typing import Any

from tests.reference.strangers.reading import CORE
from tests.reference.strangers.yard import documents, draw, read

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import judge
from mavrik.core.measuring.readings import Run
from mavrik.core.procedures import PROCEDURES, complete_run
from mavrik.core.procedures.base import Limits

BINS = 10
SURE = 0.9


def drawn() -> dict[str, dict[str, Any]]:
    """The drawn circuits."""
    return documents(lambda layout, volts: build_layout(layout, volts).model_dump(mode="json"))


@dataclass(frozen=True)
class Outcome:
    """What was said of one case."""

    number: int
    vehicle: str
    sort: str
    truth: tuple[str, ...]
    causes: tuple[tuple[str, float], ...]
    """The likeliest first."""
    headline: str

    @property
    def first(self) -> bool:
        """Whether the likeliest is one of the true ones."""
        return bool(self.causes) and self.causes[0][0] in self.truth

    def among(self, count: int) -> bool:
        """Whether all true ones are among the first so many; of a pair both."""
        return set(self.truth) <= {c for c, _ in self.causes[:count]}


def outcome(number: int, core_only: bool = False) -> Outcome:
    """Draw a case, read it, judge it."""
    case = draw(drawn(), number)
    circuit = Circuit.model_validate(case.vehicle.document)
    tests = [(p.name, list(p.points(circuit))) for p in PROCEDURES if not core_only or p.name in CORE]
    runs = [complete_run(circuit, Run.model_validate(r)) for r in read(case, tests)]
    found = judge(circuit, runs, Limits(), ahead=False)
    return Outcome(
        number, case.drawn, case.sort, case.vehicle.truth.causes, tuple((c.cause, c.probability) for c in found.causes), found.headline.text
    )  # fmt: skip


def outcomes(count: int, core_only: bool = False, start: int = 0) -> list[Outcome]:
    """So many cases, on two processors."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(outcome, range(start, start + count), [core_only] * count, chunksize=8))


def calibration(found: Sequence[Outcome]) -> tuple[list[tuple[float, float, int]], float]:
    """Of what was called so likely, how much was right: by bins of the likeliest cause's probability, and the expected calibration error.

    Source: Brier 1950; expected calibration error over ten bins.
    """
    rows: list[list[tuple[float, bool]]] = [[] for _ in range(BINS)]
    for o in found:
        if o.causes:
            p = o.causes[0][1]
            rows[min(int(p * BINS), BINS - 1)].append((p, o.first))
    table = [(sum(p for p, _ in r) / len(r), sum(ok for _, ok in r) / len(r), len(r)) for r in rows if r]
    total = sum(n for *_, n in table)
    return table, sum(abs(p - right) * n for p, right, n in table) / total


def _share(rows: Sequence[bool]) -> str:
    return f"{sum(rows) / len(rows):.0%}" if rows else "–"


def _found(o: Outcome) -> bool:
    """Whether one of the true ones is among the first three."""
    return bool(set(o.truth) & {c for c, _ in o.causes[:3]})


GROUPS: dict[str, tuple[str, ...]] = {
    "one fault": ("single",),
    "two faults": ("pair",),
    "nothing broken": ("healthy",),
    "nothing broken, but more hangs on it than is listed": ("budget",),
    "nothing broken, one probe in the wrong place": ("slip",),
}


def page(found: Sequence[Outcome], core_only: Sequence[Outcome]) -> list[str]:
    """The lines of docs/diagnosis.md: what was found, by what was wrong, and how far it can be trusted.

    found: with all tests read; core_only: the same cases with five
    """
    lines = [
        f"| {len(found)} cases | cases | first | one of the first three | all of the first three | first, with five tests only |",
        "|---|---|---|---|---|---|",
    ]
    few = {o.number: o for o in core_only}

    def row(words: str, rows: Sequence[Outcome]) -> str:
        return (
            f"| {words} | {len(rows)} | {_share([o.first for o in rows])} | {_share([_found(o) for o in rows])} | "
            f"{_share([o.among(3) for o in rows])} | {_share([few[o.number].first for o in rows if o.number in few])} |"
        )

    lines.append(row("all", found))
    lines += [row(words, rows) for words, sorts in GROUPS.items() if (rows := [o for o in found if o.sort in sorts])]
    kinds: dict[str, list[Outcome]] = defaultdict(list)
    for o in found:
        if o.sort == "single":
            kinds[o.truth[0].split(":")[0]].append(o)
    lines += [row(f"one fault: {kind.replace('_', ' ')}", rows) for kind, rows in sorted(kinds.items())]
    table, error = calibration(found)
    sure = [o for o in found if o.causes and o.causes[0][1] >= SURE]
    lines += [
        "",
        f"**How far it can be trusted.** Of {len(sure)} cases called {SURE:.0%} sure or more {_share([o.first for o in sure])} are right; "
        f"expected calibration error {error:.0%} (wanted: 97 %, and under 3 %).",
        "",
        "| called | right | cases |",
        "|---|---|---|",
        *(f"| {p:.0%} | {right:.0%} | {n} |" for p, right, n in table),
    ]
    return lines


def main(words: list[str]) -> int:
    """Print how it went."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=240)
    parser.add_argument("--core", action="store_true")
    parser.add_argument("--wrong", action="store_true", help="list what was not right")
    given = parser.parse_args(words)
    found = outcomes(given.cases, given.core)
    print("\n".join(page(found, found if given.core else [])))
    if given.wrong:
        for o in found:
            if not o.first:
                print(o.number, o.vehicle, o.sort, o.truth, [(c, round(p, 3)) for c, p in o.causes[:4]], "|", o.headline)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
