"""docs/diagnosis.md: what the count on vehicles that share no code with the findings came to, in tables and words."""

from __future__ import annotations

import argparse
import sys
from collections import defaultdict
from collections.abc import Mapping, Sequence

from scipy.stats import binomtest

from bench.strangers import (
    ANSWER,
    FIRST_CASE,
    NOTHING,
    SURE,
    Outcome,
    Walk,
    by_chance,
    calibration,
    mixed_calibration,
    one_of_three,
    outcomes,
    ratio_of,
    to_one_cause,
)

NEARLY_ALL = 0.995
"""From here on a share in whole per cent would be 100 %."""


def _share(rows: Sequence[bool]) -> str:
    """A share in whole per cent; all but a few of many are not 100 %."""
    if not rows:
        return "–"
    share = sum(rows) / len(rows)
    return f"{share:.1%}" if NEARLY_ALL <= share < 1 else f"{share:.0%}"


def _known(rows: Sequence[bool]) -> str:
    """A share, and between what it lies with 95 % by so many cases. Source: Wilson's interval, as scipy has it."""
    if not rows:
        return "–"
    between = binomtest(sum(rows), len(rows)).proportion_ci(method="wilson")
    return f"{_share(rows)} ({between.low * 100:.0f} to {between.high * 100:.0f})"


GROUPS: dict[str, tuple[str, ...]] = {
    "one fault": ("single",),
    "two faults": ("pair",),
    "nothing broken": ("healthy",),
    "nothing broken, but more hangs on it than is listed": ("budget",),
    "nothing broken, one probe in the wrong place": ("slip",),
}


def _walks(walks: Sequence[Walk], least: Sequence[float]) -> list[str]:
    """How long it takes.

    least: how long the shortest way takes in the first of them, with hindsight
    """

    def mean(of: Sequence[float]) -> float:
        return sum(of) / len(of)

    guided, fixed = [w.by_information.answer for w in walks], [w.in_order.answer for w in walks]
    reached = [w for w in walks if w.by_information.answer.reached or w.in_order.answer.reached]
    broken, sound = [w for w in walks if w.broken], [w for w in walks if not w.broken]
    parts = ""
    if broken and sound:
        parts = (
            f" With something broken it is {ratio_of(broken):.2f} of the time ({len(broken)} cases), with nothing broken {ratio_of(sound):.2f} ({len(sound)}): "
            "that nothing is broken is as sure only once what would show it is read, or asked for, in whatever order."
        )
    known = f" In the {len(reached)} that either comes to an answer in: {ratio_of(reached):.2f}." if reached else ""
    return [
        f"Until there is an answer, {ANSWER:.0%} sure of one cause, of the part that is bad or that nothing is broken, or nothing is left that would tell more, taking what tells most a minute needs "
        f"{mean([s.tests for s in guided]):.1f} tests and {mean([s.minutes for s in guided]):.0f} minutes on average of {len(walks)} cases; the fixed order of the work "
        f"{mean([s.tests for s in fixed]):.1f} and {mean([s.minutes for s in fixed]):.0f}: {ratio_of(walks):.2f} of the time (wanted: at most 0.35).{known} "
        f"Until one cause by itself is as sure: {ratio_of(walks, to_one_cause):.2f}.{parts}{_hindsight(walks, least)}"
    ]


def _hindsight(walks: Sequence[Walk], least: Sequence[float]) -> str:
    """What there was to be gained at all."""
    if not least:
        return ""
    same = walks[: len(least)]
    share = sum(least) / sum(w.in_order.answer.minutes for w in same)
    return (
        f" Who knew beforehand what every test will say would need {share:.2f} of the fixed order's time in the first {len(least)} of these cases, "
        f"where what tells most a minute needs {ratio_of(same):.2f} (the shortest set of tests that a search finds): that much there is to be gained."
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
hands of their own, drawn at random from wide ranges and solved by ngspice, and who drives them notices by laws of his own what they do; what they share is the drawn circuit and the list of places that a test asks for. A cause
counts as found where its kind and its part are both right; where more hangs on a vehicle than is listed, "nothing broken" and "more hangs on it than is listed" both are.
The model was worked out on cases of other numbers than those counted here, from {first_case} on (decisions 0031, 0032, 0034, 0069, 0070, 0072, 0073, 0075, 0077, 0078, 0079, 0080, 0081, 0082, 0083, 0084, 0085, 0086, 0087 and 0088). The few that ngspice does not solve are left out.
"""


RARE = """**What looks like something else, comes and goes, or is the test's own**, {count} cases, one fault each: a strap that is missing reads like one with half an ohm, a sulphated battery like a \
weak one. Of {sure} called {threshold:.0%} sure {right} are right."""

WORKED = """**Isolators and voltage links**, {count} cases, one fault each: a way of an isolator, of diodes or of transistors, that loses too much, is open or conducts both ways, and burnt contacts of a \
link. Of {sure} called {threshold:.0%} sure {right} are right."""


def _by_kind(words: str, cases: Sequence[Outcome]) -> list[str]:
    """Cases of their own, by what is wrong with them.

    words: what is said before, with places for `count`, `sure`, `threshold` and `right`
    """
    kinds: dict[str, list[Outcome]] = defaultdict(list)
    for o in cases:
        kinds[o.sort].append(o)
    sure = [o for o in cases if o.causes and o.causes[0][1] >= SURE]
    return [
        words.format(count=len(cases), sure=len(sure), threshold=SURE, right=_share([o.first for o in sure])),
        "",
        "| fault | cases | first | one of the first three |",
        "|---|---|---|---|",
        *(
            f"| {kind.replace('_', ' ')} | {len(rows)} | {_share([o.first for o in rows])} | {_share([one_of_three(o) for o in rows])} |"
            for kind, rows in (("all", cases), *sorted(kinds.items()))
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


def _first_lines(cases: Sequence[Outcome]) -> str:
    """What the line that is read first says of vehicles with nothing broken, and how often it says that of others."""
    sound, broken = [o for o in cases if o.sort == "healthy"], [o for o in cases if NOTHING not in o.truth]
    return (
        f"Of {len(sound)} vehicles with nothing broken and no slip of a probe the first line says so of {_known([o.said_whole for o in sound])}, whatever limit a flat battery, a thin "
        f"cable or a budget misses; of {len(broken)} broken ones it says that of {_share([o.said_whole for o in broken])}."
    )


def _not_shown(cases: Sequence[Outcome]) -> str:
    """How often a fault that was not found is named as one that the readings would not show, and how often one is that is not there."""
    missed = [o for o in cases if o.sort == "single" and o.causes and o.causes[0][0] == NOTHING]
    sound = [o for o in cases if o.sort == "healthy"]
    named = [len(o.not_shown) for o in sound if o.not_shown]
    return (
        f"Of {len(missed)} vehicles with one fault of which nothing broken was called the likeliest {sum(bool(set(o.truth) & set(o.not_shown)) for o in missed)} had it named as one that what was read "
        f"would not show. Of {len(sound)} vehicles with nothing broken {len(named)} have any so named{f', {sum(named) / len(named):.1f} on average' if named else ''}."
    )


WIRED = "**Wired as no ready drawing has it**, {} cases: leads mended with a joint, fuses bolted through, grounds doubled, routes of other lengths, other units, batteries and loads, two to four of these at once."
OTHER_LAWS = (
    "**By other laws**, {} cases, and further from their documents: units whose output bends by a table, batteries that rest and take by other formulas, every lead and contact 0.8 to 1.3 times what it is "
    "in the yard and up to a third of a milliohm in its ends more, more that nobody lists, other speeds, coarser meters. No figure of the model was chosen on cases of these numbers, but that sound leads "
    "differ by so much was learned from others of the same make."
)
BY_THE_BOOK = (
    "**As a textbook has them**, {} cases, one fault at most: parts as long and as thick as their documents say, engines at 800 and 2000 /min, batteries that take a charge through one resistance however full "
    "they are, a belt that slips by the same share whatever is on, a dead cell that leaves its battery's resistance as it was, and readings of which nobody says what they were read with."
)


def _stopped(cases: Sequence[Outcome]) -> list[str]:
    """What is said before all is read, by where somebody stopped."""
    if not cases:
        return []
    by_stop: dict[str, list[Outcome]] = defaultdict(list)
    for o in cases:
        by_stop[o.sort].append(o)
    sure = [o for o in cases if o.causes and o.causes[0][1] >= SURE]

    def row(words: str, rows: Sequence[Outcome]) -> str:
        surest = [o for o in rows if o.causes and o.causes[0][1] >= SURE]
        return (
            f"| {words} | {len(rows)} | {_share([o.first for o in rows])} | {_share([one_of_three(o) for o in rows])} | {len(surest)} | "
            f"{_share([o.first for o in surest])} | {calibration(rows)[1]:.1%} |"
        )

    return [
        f"**Stopped before all was read**, {len({o.number for o in cases})} of the cases: after one test, two or three, drawn at random, and with some of all readings left in, drawn at random, too. "
        f"Whoever stops there is told little and should be told nothing wrong: of {len(sure)} times that something was called {SURE:.0%} sure {_known([o.first for o in sure])} are right.",
        "",
        f"| read | times | first | one of the first three | called {SURE:.0%} sure | of these right | expected calibration error |",
        "|---|---|---|---|---|---|---|",
        *(row(words, rows) for words, rows in (("all of these", cases), *by_stop.items())),
    ]


def _elsewhere(words: str, cases: Sequence[Outcome]) -> list[str]:
    """What is found on other vehicles than those of the tables.

    words: what they are, with how many
    """
    sure = [o for o in cases if o.causes and o.causes[0][1] >= SURE]
    healthy, pairs = [o for o in cases if o.sort in ("healthy", "slip")], [o for o in cases if o.sort == "pair"]
    both = f", both of a pair among them in {_share([o.among(3) for o in pairs])} of {len(pairs)}" if pairs else ""
    return [
        f"{words.format(len(cases))} "
        f"First in {_share([o.first for o in cases])}, one of the first three in {_share([one_of_three(o) for o in cases])}{both}, nothing broken called so in "
        f"{_share([o.first for o in healthy])} of {len(healthy)}; of {len(sure)} called {SURE:.0%} sure {_share([o.first for o in sure])} are right. {_settled(cases)}",
        "",
    ]


def page(
    cases: Sequence[Outcome],
    core_only: Sequence[Outcome],
    walks: Sequence[Walk],
    rare: Sequence[Outcome],
    otherwise: Sequence[Outcome],
    by_other_laws: Sequence[Outcome],
    by_the_book: Sequence[Outcome],
    worked: Sequence[Outcome],
    hidden_ones: Mapping[int, tuple[str, ...]],
    least: Sequence[float],
    stopped: Sequence[Outcome],
) -> list[str]:
    """All of docs/diagnosis.md.

    cases: with all tests read; core_only: the same cases with five; walks: some of them, one test after the other
    rare: cases that look like something else; otherwise: vehicles wired as no drawing has it; by_other_laws: vehicles of
    other laws than the yard's; by_the_book: as a textbook has them; worked: those with a bad isolator or link
    hidden_ones: of the pairs among `cases`, by number, what shows in no reading
    least: how long the first of `walks` take with hindsight
    stopped: some of `cases` where somebody stopped before all was read
    """
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
        _first_lines(cases),
        "",
        _not_shown(cases),
        "",
        *_elsewhere(WIRED, otherwise),
        *_elsewhere(OTHER_LAWS, by_other_laws),
        *_elsewhere(BY_THE_BOOK, by_the_book),
        f"With five tests only (rest, key on, regulated voltage, full output, charging drops; {len(core_only)} of the cases) one of the true ones is among the first three in "
        f"{_share([one_of_three(o) for o in core_only])}; of {len(few)} called {SURE:.0%} sure or more {_share([o.first for o in few])} are right.",
        "",
        *_stopped(stopped),
        "",
        *_walks(walks, least),
        "",
        *_by_kind(RARE, rare),
        "",
        _mixed(cases, rare),
        "",
        *_by_kind(WORKED, worked),
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
