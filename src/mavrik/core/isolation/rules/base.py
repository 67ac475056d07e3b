"""What a rule is: one question to a switching, answered with the row of the table that decides it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.isolation.case import Case
from mavrik.core.isolation.table import Row


class RuleOutcome(StrEnum):
    """What came of a rule."""

    MET = "met"
    BROKEN = "broken"
    UNKNOWN = "unknown"
    """Something has not been said, or is not there to be asked about."""


@dataclass(frozen=True)
class Answer:
    """What came of it, why, and the least change that meets it."""

    outcome: RuleOutcome
    words: str
    row: Row | None = None
    change: str = ""


@dataclass(frozen=True)
class Rule:
    """One question."""

    order: int
    name: str
    label: str
    ask: Callable[[Case], Answer]
    names_a_fault: bool = False
    """Whether its label says what must not be, and not what must."""
    applies: Callable[[Case], bool] = lambda _: True
    """Whether the circuit has what it asks about; where not, it is not asked."""

    def answer(self, case: Case) -> Answer | None:
        """What comes of it; None where it does not apply."""
        return case.once(f"rule {self.name}", lambda: self.ask(case) if self.applies(case) else None)


def met(words: str, row: Row | None = None) -> Answer:
    """It holds."""
    return Answer(RuleOutcome.MET, words, row)


def broken(words: str, row: Row | None = None, change: str = "") -> Answer:
    """It does not."""
    return Answer(RuleOutcome.BROKEN, words, row, change)


def unknown(words: str, change: str = "") -> Answer:
    """It cannot be said."""
    return Answer(RuleOutcome.UNKNOWN, words, None, change)


SITUATION_WORDS = {
    "off": "engine and key off", "key_on": "engine off, key on", "cranking": "while cranking", "idle": "at idle", "fast": "under way",
    "key_off": "the key turned off",
}  # fmt: skip


def labels_of(case: Case, ids: frozenset[str] | set[str], most: int = 4) -> str:
    """Loads, nodes and branches by their labels, not more than a few of them."""
    known = {n.id: n.label for n in case.circuit.nodes} | {e.id: e.label for e in case.circuit.elements}
    named = [known[i] for i in known if i in ids]
    more = len(named) - most
    return ", ".join(named[:most]) + (f" and {more} more" if more > 0 else "") if named else "nothing"
