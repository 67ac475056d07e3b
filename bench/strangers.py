"""How often the cause is found on vehicles that share no code with the findings, and how far what is said of it can be trusted."""

from __future__ import annotations

import argparse
import sys
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.stats import binomtest
from tests.reference.strangers.faults import LATER
from tests.reference.strangers.reading import CORE, Hands
from tests.reference.strangers.spice import UnsolvedError
from tests.reference.strangers.vehicle import Stranger
from tests.reference.strangers.yard import Case, alone, documents, draw, draw_altered, draw_rare, read

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import judge
from mavrik.core.findings.documents import SettledPart
from mavrik.core.measuring.readings import Run
from mavrik.core.procedures import PROCEDURES, complete_run, procedure
from mavrik.core.procedures.base import Limits

NOTHING = "none:"
BINS = 10
CHANCES = 4000
SURE = 0.9
FIRST_CASE = 17000
"""What is published is counted from here on: no case of these numbers was looked at while the model was made."""

ANSWER = 0.95
"""What is at least so likely is an answer, and no more tests are made."""


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
    settled: SettledPart | None = None
    """A part that is said to be bad where what it has is not settled."""

    @property
    def settled_rightly(self) -> bool:
        """Whether that part has one of the true causes."""
        return self.settled is not None and bool(set(self.settled.causes) & set(self.truth))

    @property
    def first(self) -> bool:
        """Whether the likeliest is one of the true ones."""
        return bool(self.causes) and self.causes[0][0] in self.truth

    def among(self, count: int) -> bool:
        """Whether all true ones are among the first so many; of a pair both, of what nobody listed either word for it."""
        if NOTHING in self.truth:
            return bool(set(self.truth) & {c for c, _ in self.causes[:count]})
        return set(self.truth) <= {c for c, _ in self.causes[:count]}


def rare_outcome(number: int) -> Outcome:
    """The same of one that looks like something else, or is the test's own."""
    return _judged(number, draw_rare(drawn(), number), False)


def later_outcome(number: int) -> Outcome:
    """The same of one of those that came later, see `LATER`."""
    return _judged(number, draw_rare(drawn(), number, tuple(LATER)), False)


def altered_outcome(number: int) -> Outcome:
    """The same of a vehicle that is wired as no drawing has it."""
    return _judged(number, draw_altered(drawn(), number), False)


def outcome(number: int, core_only: bool = False) -> Outcome:
    """Draw a case, read it, judge it."""
    return _judged(number, draw(drawn(), number), core_only)


def _judged(number: int, case: Case, core_only: bool) -> Outcome:
    circuit = Circuit.model_validate(case.vehicle.document)
    tests = [(p.name, list(p.points(circuit))) for p in PROCEDURES if not core_only or p.name in CORE]
    runs = [complete_run(circuit, Run.model_validate(r)) for r in read(case, tests)]
    findings = judge(circuit, runs, Limits(), ahead=False)
    return Outcome(
        number, case.drawn, case.sort, case.vehicle.truth.causes, tuple((c.cause, c.probability) for c in findings.causes), findings.headline.text,
        findings.settled_part,
    )  # fmt: skip


METER_SHARE = {"dmm": (0.005, 0.002), "clamp": (0.02, 0.3), "": (0.15, 0.0)}
"""What a meter of the yard may err, of what it shows and beside that [V, A]; of what is looked at so much is no difference."""


def hidden(number: int) -> tuple[str, ...]:
    """Which of the two faults of a pair show in no reading: solved again without it, none moves by more than its meter may err."""
    both, ones = draw(drawn(), number).vehicle, alone(drawn(), number)

    def shown(vehicle: Stranger) -> dict[tuple[str, str], tuple[float, str]]:
        # The same hands on both.
        vehicle.rng = np.random.default_rng(number)
        circuit = Circuit.model_validate(vehicle.document)
        runs = Hands(vehicle).runs([(p.name, list(p.points(circuit))) for p in PROCEDURES])
        return {(run["procedure"], r["point"]): (r["value"], r.get("instrument", "")) for run in runs for r in run["readings"]}

    with_both = shown(both)

    def differs(other: dict[tuple[str, str], tuple[float, str]]) -> bool:
        if other.keys() != with_both.keys():
            return True
        return any(
            abs(value - other[place][0]) > METER_SHARE[meter][0] * abs(value) + METER_SHARE[meter][1]
            for place, (value, meter) in with_both.items()
        )

    # Without one of them there is the other alone.
    return tuple(cause for cause in ones if not differs(shown(next(v for other, v in ones.items() if other != cause))))


def hidden_in(cases: Sequence[Outcome]) -> dict[int, tuple[str, ...]]:
    """The same of all pairs among some cases, by their number."""
    numbers = [o.number for o in cases if o.sort == "pair"]
    with ProcessPoolExecutor(2) as pool:
        return dict(zip(numbers, pool.map(hidden, numbers, chunksize=4), strict=True))


def outcomes(count: int, core_only: bool = False, start: int = FIRST_CASE) -> list[Outcome]:
    """So many cases, on two processors, without those that ngspice does not solve."""
    with ProcessPoolExecutor(2) as pool:
        return _solved(pool.map(_if_solved, [outcome] * count, range(start, start + count), [(core_only,)] * count, chunksize=8))


def other_outcomes(of: Callable[[int], Outcome], count: int) -> list[Outcome]:
    """So many of `rare_outcome`, `later_outcome` or `altered_outcome`, on two processors, without those that ngspice does not solve."""
    with ProcessPoolExecutor(2) as pool:
        return _solved(pool.map(_if_solved, [of] * count, range(FIRST_CASE, FIRST_CASE + count), chunksize=8))


def _if_solved(judge_case: Callable[..., Outcome], number: int, others: Sequence[Any] = ()) -> Outcome | None:
    try:
        return judge_case(number, *others)
    except UnsolvedError:
        return None


def _solved(cases: Iterable[Outcome | None]) -> list[Outcome]:
    return [o for o in cases if o is not None]


def mixed_calibration(cases: Sequence[Outcome], rare: Sequence[Outcome], share: float) -> tuple[float, float]:
    """The expected calibration error where such a share of all vehicles has a rare fault, and what is then right of what is called sure.

    cases: those without; rare: those with one
    Source: as `calibration`, each case by how often it is then met.
    """
    met = [(o, (1 - share) / len(cases)) for o in cases] + [(o, share / len(rare)) for o in rare]
    bins: dict[int, float] = defaultdict(float)
    sure = right = 0.0
    for o, weight in met:
        p = o.causes[0][1]
        bins[min(int(p * BINS), BINS - 1)] += weight * (p - o.first)
        sure += weight * (p >= SURE)
        right += weight * (p >= SURE and o.first)
    return sum(map(abs, bins.values())), right / sure if sure else 1.0


def calibration(cases: Sequence[Outcome]) -> tuple[list[tuple[float, float, int]], float]:
    """Of what was called so likely, how much was right: by bins of the likeliest cause's probability, and the expected calibration error.

    Source: Brier 1950; expected calibration error over ten bins.
    """
    rows: list[list[tuple[float, bool]]] = [[] for _ in range(BINS)]
    for o in cases:
        if o.causes:
            p = o.causes[0][1]
            rows[min(int(p * BINS), BINS - 1)].append((p, o.first))
    table = [(sum(p for p, _ in r) / len(r), sum(ok for _, ok in r) / len(r), len(r)) for r in rows if r]
    total = sum(n for *_, n in table)
    return table, sum(abs(p - right) * n for p, right, n in table) / total


def by_chance(cases: Sequence[Outcome]) -> tuple[float, float]:
    """The expected calibration error of one whose probabilities are exactly right, on so many cases with these: so few are never quite as
    often right as they should be.

    Returns it in the middle, and what it stays under in 19 of 20 such counts.
    Source: the binomial law, by draws (Bröcker and Smith, Weather and Forecasting 22, 2007, from memory).
    """
    p = np.array([o.causes[0][1] for o in cases if o.causes])
    right = np.random.default_rng(3).random((CHANCES, len(p))) < p
    bins = np.minimum((p * BINS).astype(int), BINS - 1)
    error = sum(np.abs((right - p)[:, bins == b].sum(axis=1)) for b in range(BINS)) / max(len(p), 1)
    return float(np.median(error)), float(np.percentile(error, 95))


def _share(rows: Sequence[bool]) -> str:
    return f"{sum(rows) / len(rows):.0%}" if rows else "–"


def _known(rows: Sequence[bool]) -> str:
    """A share, and between what it lies with 95 % by so many cases. Source: Wilson's interval, as scipy has it."""
    if not rows:
        return "–"
    between = binomtest(sum(rows), len(rows)).proportion_ci(method="wilson")
    return f"{_share(rows)} ({between.low * 100:.0f} to {between.high * 100:.0f})"


def one_of_three(o: Outcome) -> bool:
    """Whether one of the true ones is among the first three."""
    return bool(set(o.truth) & {c for c, _ in o.causes[:3]})


GROUPS: dict[str, tuple[str, ...]] = {
    "one fault": ("single",),
    "two faults": ("pair",),
    "nothing broken": ("healthy",),
    "nothing broken, but more hangs on it than is listed": ("budget",),
    "nothing broken, one probe in the wrong place": ("slip",),
}


@dataclass(frozen=True)
class Walk:
    """One case until an answer is sure, by what tells most a minute and in the fixed order of the work."""

    by_information: tuple[int, float]
    """Tests and minutes."""
    in_order: tuple[int, float]
    broken: bool = True
    """Whether anything was."""


def _walk(circuit: Circuit, runs: dict[str, Run], by_information: bool) -> tuple[int, float]:
    left, made, minutes = list(runs), [], 0.0
    while left:
        findings = judge(circuit, made, Limits(), ahead=by_information)
        if made and findings.causes[0].probability >= ANSWER:
            break
        name = next((t.procedure for t in findings.next_tests if t.procedure in left), left[0]) if by_information else left[0]
        left.remove(name)
        made.append(runs[name])
        minutes += procedure(name).minutes
    return len(made), minutes


def walk(number: int) -> Walk:
    """One case, one test after the other."""
    case = draw(drawn(), number)
    circuit = Circuit.model_validate(case.vehicle.document)
    tests = [(p.name, list(p.points(circuit))) for p in PROCEDURES if any(not a.own_rule for a in p.points(circuit))]
    runs = {r["procedure"]: complete_run(circuit, Run.model_validate(r)) for r in read(case, tests)}
    return Walk(_walk(circuit, runs, True), _walk(circuit, runs, False), NOTHING not in case.vehicle.truth.causes)


def walked(count: int) -> list[Walk]:
    """So many, on two processors."""
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(walk, range(FIRST_CASE, FIRST_CASE + count), chunksize=2))


def ratio_of(walks: Sequence[Walk]) -> float:
    """Minutes by information over minutes in the fixed order, both on average."""
    return sum(w.by_information[1] for w in walks) / sum(w.in_order[1] for w in walks)


def _why_so_long(walks: Sequence[Walk]) -> str:
    """By whether anything was broken."""
    broken, sound = [w for w in walks if w.broken], [w for w in walks if not w.broken]
    if not broken or not sound:
        return ""
    return (
        f"With something broken it is {ratio_of(broken):.2f} of the time ({len(broken)} cases), with nothing broken {ratio_of(sound):.2f} ({len(sound)}): "
        "that nothing is broken is as sure only once what would show it is read, half an hour of drain with it, in whatever order."
    )


def _missed(cases: Sequence[Outcome], hidden_ones: Mapping[int, tuple[str, ...]]) -> list[str]:
    """Pairs of which not both were among the first three, and what was sure and wrong.

    hidden_ones: of pairs, by number, what shows in no reading
    """
    pairs = [o for o in cases if o.sort == "pair" and not o.among(3)]
    wrong = [o for o in cases if o.causes and o.causes[0][1] >= SURE and not o.first]
    if not pairs and not wrong:
        return []

    def row(o: Outcome) -> str:
        causes = ", ".join(f"{c.replace('_', ' ')} {p:.0%}" for c, p in o.causes[:3])
        unseen = ", ".join(c.replace("_", " ") for c in hidden_ones.get(o.number, ()))
        return f"| {o.number} | {o.vehicle} | {', '.join(c.replace('_', ' ') for c in o.truth)} | {unseen} | {causes} |"

    every = [o for o in cases if o.sort == "pair"]
    seen = [o for o in every if not hidden_ones.get(o.number)]

    return [
        "",
        f"**Pairs of which not both are among the first three, and what was {SURE:.0%} sure and wrong.** A regulator says nothing where there is no field, and one set high and low at once is one set in between: what no reading can tell is counted here all the same. "
        f"Of {len(every)} pairs one of the two shows in no reading in {len(every) - len(seen)}: solved again without it nothing moves by more than its meter may err. Of the other {len(seen)} both are among the first three in {_known([o.among(3) for o in seen])}.",
        "",
        "| case | vehicle | true | of these in no reading | said |",
        "|---|---|---|---|---|",
        *(row(o) for o in dict.fromkeys([*pairs, *wrong])),
    ]


def diagram(cases: Sequence[Outcome]) -> str:
    """The reliability diagram as SVG: how likely the likeliest cause was called, and how often it was right."""
    size, edge = 320, 40
    table, _ = calibration(cases)
    most = max(n for *_, n in table)

    def at(x: float, y: float) -> str:
        return f"{edge + x * size:.1f},{edge + (1 - y) * size:.1f}"

    marks = "".join(
        f'<circle cx="{at(p, right).split(",")[0]}" cy="{at(p, right).split(",")[1]}" r="{3 + 11 * (n / most) ** 0.5:.1f}" fill="#2f6f73" '
        f'fill-opacity="0.75"><title>called {p:.0%}, right {right:.0%} of {n}</title></circle>'
        for p, right, n in table
    )
    (x0, y0), (x1, y1) = (at(v, v).split(",") for v in (0.0, 1.0))
    labels = "".join(
        f'<text x="{edge + v * size:.0f}" y="{edge + size + 16}" text-anchor="middle">{v:.0%}</text>'
        f'<text x="{edge - 6}" y="{edge + (1 - v) * size + 4:.0f}" text-anchor="end">{v:.0%}</text>'
        for v in (0.0, 0.5, 1.0)
    )
    whole = size + 2 * edge
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {whole} {whole + 10}" width="{whole}" font-family="sans-serif" font-size="11" fill="#333">'
        f'<rect width="{whole}" height="{whole + 10}" fill="#fff"/><rect x="{edge}" y="{edge}" width="{size}" height="{size}" fill="none" stroke="#999"/>'
        f'<line x1="{x0}" y1="{y0}" x2="{x1}" y2="{y1}" stroke="#999" stroke-dasharray="4 3"/>{marks}{labels}'
        f'<text x="{edge + size / 2}" y="{edge + size + 34}" text-anchor="middle">called</text>'
        f'<text x="{edge}" y="{edge - 10}">right (area: number of cases)</text></svg>\n'
    )


HEAD = """# How often the cause is found

Written by `./mavrik bench diagnosis`. The vehicles of `tests/reference/strangers/` share no code with the findings: copper, batteries, alternators, belts, meters and
hands of their own, drawn at random from wide ranges and solved by ngspice; what they share is the drawn circuit and the list of places that a test asks for. A cause
counts as found where its kind and its part are both right; where more hangs on a vehicle than is listed, "nothing broken" and "more hangs on it than is listed" both are.
The model was worked out on cases of other numbers than those counted here, from {first_case} on (decisions 0031, 0032, 0034, 0069, 0070, 0072, 0073, 0075, 0077 and 0078). The few that ngspice does not solve are left out.
"""


def _rare(rare: Sequence[Outcome]) -> list[str]:
    kinds: dict[str, list[Outcome]] = defaultdict(list)
    for o in rare:
        kinds[o.sort].append(o)
    sure = [o for o in rare if o.causes and o.causes[0][1] >= SURE]
    return [
        f"**What looks like something else, comes and goes, or is the test's own**, {len(rare)} cases, one fault each: a strap that is missing reads like one with half an ohm, a sulphated battery like a "
        f"weak one. Of {len(sure)} called {SURE:.0%} sure {_share([o.first for o in sure])} are right.",
        "",
        "| fault | cases | first | one of the first three |",
        "|---|---|---|---|",
        *(
            f"| {kind.replace('_', ' ')} | {len(rows)} | {_share([o.first for o in rows])} | {_share([one_of_three(o) for o in rows])} |"
            for kind, rows in (("all", rare), *sorted(kinds.items()))
        ),
    ]


MIXED = (0.1, 0.2)
"""Of all vehicles so many have a rare fault. Our choice, no source."""


def _mixed(cases: Sequence[Outcome], rare: Sequence[Outcome]) -> str:
    """How far it can be trusted where rare faults are met as well."""
    ways = []
    for share in MIXED:
        error, right = mixed_calibration(cases, rare, share)
        ways.append(
            f"where they are {share:.0%} of all vehicles {right:.0%} of what is called {SURE:.0%} sure is right, and the expected calibration error is {error:.1%}"
        )
    return f"These are not among the cases of the tables above, and the model expects them: {'; '.join(ways)}."


def _settled(cases: Sequence[Outcome]) -> str:
    """How often it is settled which part is bad where the cause is not."""
    of = [o for o in cases if o.settled is not None]
    return (
        f"In {len(of)} of {len(cases)} cases what a part has is not {SURE:.0%} sure, and that it is bad is: a unit inside, its regulation, a battery, a lead. "
        f"In {sum(o.settled_rightly for o in of)} of them it is."
    )


def _altered(cases: Sequence[Outcome]) -> list[str]:
    """What is found on vehicles wired as no drawing has it."""
    sure = [o for o in cases if o.causes and o.causes[0][1] >= SURE]
    healthy, pairs = [o for o in cases if o.sort in ("healthy", "slip")], [o for o in cases if o.sort == "pair"]
    return [
        f"**Wired as no ready drawing has it**, {len(cases)} cases: leads mended with a joint, fuses bolted through, grounds doubled, routes of other lengths, other units, batteries and loads, two to four of these at once. "
        f"First in {_share([o.first for o in cases])}, one of the first three in {_share([one_of_three(o) for o in cases])}, both of a pair among them in {_share([o.among(3) for o in pairs])} of {len(pairs)}, nothing broken called so in "
        f"{_share([o.first for o in healthy])} of {len(healthy)}; of {len(sure)} called {SURE:.0%} sure {_share([o.first for o in sure])} are right. {_settled(cases)}",
        "",
    ]


def page(
    cases: Sequence[Outcome],
    core_only: Sequence[Outcome],
    walks: Sequence[Walk],
    rare: Sequence[Outcome],
    otherwise: Sequence[Outcome],
    hidden_ones: Mapping[int, tuple[str, ...]],
) -> list[str]:
    """All of docs/diagnosis.md.

    cases: with all tests read; core_only: the same cases with five; walks: some of them, one test after the other
    rare: cases that look like something else; otherwise: vehicles wired as no drawing has it
    hidden_ones: of the pairs among `cases`, by number, what shows in no reading
    """
    both = {
        b: (sum(getattr(w, b)[0] for w in walks) / len(walks), sum(getattr(w, b)[1] for w in walks) / len(walks))
        for b in ("by_information", "in_order")
    }
    few = [o for o in core_only if o.causes and o.causes[0][1] >= SURE]
    return [
        HEAD.format(first_case=FIRST_CASE),
        *counted(cases, core_only),
        *_missed(cases, hidden_ones),
        "",
        "![Reliability diagram](diagnosis.svg)",
        "",
        _settled(cases),
        "",
        *_altered(otherwise),
        f"With five tests only (rest, key on, regulated voltage, full output, charging drops) one of the true ones is among the first three in "
        f"{_share([one_of_three(o) for o in core_only])}; of {len(few)} called {SURE:.0%} sure or more {_share([o.first for o in few])} are right.",
        "",
        f"Until one cause is {ANSWER:.0%} sure, or all is read, taking what tells most a minute needs {both['by_information'][0]:.1f} tests and {both['by_information'][1]:.0f} minutes on average of "
        f"{len(walks)} cases; the fixed order of the work {both['in_order'][0]:.1f} and {both['in_order'][1]:.0f}: {ratio_of(walks):.2f} of the time (wanted: at most 0.35). {_why_so_long(walks)}",
        "",
        *_rare(rare),
        "",
        _mixed(cases, rare),
    ]


def counted(cases: Sequence[Outcome], core_only: Sequence[Outcome]) -> list[str]:
    """The tables: what was found, by what was wrong, and how far it can be trusted.

    found: with all tests read; core_only: the same cases with five
    """
    lines = [
        f"| {len(cases)} cases | cases | first | one of the first three | all of the first three | first, with five tests only |",
        "|---|---|---|---|---|---|",
    ]
    few = {o.number: o for o in core_only}

    def row(words: str, rows: Sequence[Outcome]) -> str:
        return (
            f"| {words} | {len(rows)} | {_known([o.first for o in rows])} | {_share([one_of_three(o) for o in rows])} | "
            f"{_share([o.among(3) for o in rows])} | {_share([few[o.number].first for o in rows if o.number in few])} |"
        )

    lines.append(row("all", cases))
    lines += [row(words, rows) for words, sorts in GROUPS.items() if (rows := [o for o in cases if o.sort in sorts])]
    kinds: dict[str, list[Outcome]] = defaultdict(list)
    for o in cases:
        if o.sort == "single":
            kinds[o.truth[0].split(":")[0]].append(o)
    lines += [row(f"one fault: {kind.replace('_', ' ')}", rows) for kind, rows in sorted(kinds.items())]
    table, error = calibration(cases)
    chance, most = by_chance(cases)
    sure = [o for o in cases if o.causes and o.causes[0][1] >= SURE]
    lines += [
        "",
        f"**How far it can be trusted.** Of {len(sure)} cases called {SURE:.0%} sure or more {_known([o.first for o in sure])} are right; "
        f"expected calibration error {error:.1%} (wanted: 97 %, and under 3 %). One whose probabilities are exactly right would show {chance:.1%} of it "
        f"on so many cases by chance, and less than {most:.1%} in 19 of 20 such counts. In brackets: between what a share lies with 95 % by so many cases.",
        "",
        "| called | right | cases |",
        "|---|---|---|",
        *(f"| {p:.0%} | {right:.0%} | {n} |" for p, right, n in table),
    ]
    return lines


def main(words: list[str]) -> int:
    """Print how it went."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=480)
    parser.add_argument("--core", action="store_true")
    parser.add_argument("--wrong", action="store_true", help="list what was not right")
    given = parser.parse_args(words)
    cases = outcomes(given.cases, given.core)
    print("\n".join(counted(cases, cases if given.core else [])))
    if given.wrong:
        for o in cases:
            if not o.first:
                print(o.number, o.vehicle, o.sort, o.truth, [(c, round(p, 3)) for c, p in o.causes[:4]], "|", o.headline)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
