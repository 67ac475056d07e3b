"""How often the cause is found on vehicles that share no code with the findings, how far that can be trusted, and how long a walk takes."""

from __future__ import annotations

from pathlib import Path

from tests.reference.strangers import faults

from bench.diagnosis_page import diagram, page
from bench.report import Figure
from bench.strangers import (
    SURE,
    altered_outcome,
    calibration,
    hidden_in,
    later_outcome,
    one_of_three,
    other_laws_outcome,
    other_outcomes,
    outcomes,
    rare_outcome,
    ratio_of,
    stopped,
    textbook_outcome,
    walked,
    with_hindsight,
    worked_outcome,
)

PAGE = Path(__file__).resolve().parents[1] / "docs" / "diagnosis.md"
DIAGRAM = PAGE.with_name("diagnosis.svg")
STRANGERS = 480
"""Cases that are counted."""

RARE = 64
"""Cases of faults that look like others."""

ALTERED = 120
"""Cases of vehicles wired as no drawing has it."""

OTHER_LAWS = 72
"""Cases of vehicles by other laws than the yard's."""

BY_THE_BOOK = 120
"""Cases of vehicles as a textbook has them."""

WORKED = 48
"""Cases of bad isolators and links."""

WALKED = 48
"""Cases that are walked through, one test after the other."""

STOPPED = 120
"""Cases of which somebody stops before all is read."""

HINDSIGHT = 12
"""Of those so many of which the shortest way is looked for."""


def figures() -> list[Figure]:
    """Measures, and writes docs/diagnosis.md with its picture."""
    all_read, with_five, walks = outcomes(STRANGERS), outcomes(STRANGERS, core_only=True), walked(WALKED)
    rare = [*other_outcomes(rare_outcome, RARE), *other_outcomes(later_outcome, RARE // len(faults.RARE))]
    otherwise, by_other_laws = other_outcomes(altered_outcome, ALTERED), other_outcomes(other_laws_outcome, OTHER_LAWS)
    by_the_book = other_outcomes(textbook_outcome, BY_THE_BOOK)
    worked, hidden, least = other_outcomes(worked_outcome, WORKED), hidden_in(all_read), with_hindsight(HINDSIGHT)
    lines = page(all_read, with_five, walks, rare, otherwise, by_other_laws, by_the_book, worked, hidden, least, stopped(STOPPED))
    PAGE.write_text("\n".join(lines) + "\n", encoding="utf-8")
    DIAGRAM.write_text(diagram(all_read), encoding="utf-8")
    sure = [o for o in all_read if o.causes and o.causes[0][1] >= SURE]
    count = len(all_read)
    return [
        Figure("diagnosis", "true cause not ranked first", "%", 100 * sum(not o.first for o in all_read) / count, None, 5.0),
        Figure(
            "diagnosis",
            "none of the true ones among the first three",
            "%",
            100 * sum(not one_of_three(o) for o in all_read) / count,
            None,
            1.0,
        ),
        Figure(
            "diagnosis",
            "wrong of what is called 90 % sure",
            "%",
            100 * sum(not o.first for o in sure) / max(len(sure), 1),
            None,
            3.0,
        ),
        Figure("diagnosis", "expected calibration error", "%", 100 * calibration(all_read)[1], None, 3.0),
        Figure("diagnosis", "minutes to a sure answer, by information over fixed order", "ratio", ratio_of(walks), None, 0.35),
    ]
