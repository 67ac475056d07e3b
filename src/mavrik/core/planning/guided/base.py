"""What a guided change is: a few questions, a circuit made of the answers, and what else there is to do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document

Answer = Annotated[str | float, Field(union_mode="left_to_right")]
Answers = Mapping[str, str | float]


class GuideProblemError(ValueError):
    """An answer that cannot be, and to which question."""

    def __init__(self, field: str, message: str) -> None:
        """field: name of the question; message: in plain words."""
        super().__init__(message)
        self.field = field


class AnswerChoice(Document):
    """One of the answers to choose from."""

    name: str
    label: str


class Question(Document):
    """One thing that a guided change asks: one of its choices, or a number between two bounds."""

    name: str
    label: str
    why: str = ""
    choices: tuple[AnswerChoice, ...] = Field((), description="Empty: a number")
    unit: str = ""
    least: float | None = None
    most: float | None = None
    usual: Answer


@dataclass(frozen=True)
class Fit:
    """Whether a change does what it is for, and what decides."""

    does: bool | None
    """None: something that decides has not been said."""
    words: str


@dataclass(frozen=True)
class Changed:
    """What came of it."""

    circuit: Circuit
    to_do: tuple[str, ...]
    """What the drawing does not show: to be done and looked at, in order."""
    fit: Fit | None = None
    """Whether it does what it is for; None: nobody asks that of it."""


@dataclass(frozen=True)
class Guide:
    """One guided change; a file of this package each, found by itself."""

    order: int
    name: str
    label: str
    when: str
    not_here: Callable[[Circuit], str]
    """Why this circuit has no place for it; empty where it has."""
    asks: Callable[[Circuit], tuple[Question, ...]]
    build: Callable[[Circuit, Answers], Changed]
    compares: str = ""
    """Name of the question whose answers are worth setting side by side."""


def pick(name: str, label: str, choices: Mapping[str, str], usual: str | None = None, why: str = "") -> Question:
    """A question with choices, by name and label; the first is usual."""
    made = tuple(AnswerChoice(name=n, label=x) for n, x in choices.items())
    return Question(name=name, label=label, why=why, choices=made, usual=usual if usual is not None else made[0].name)


def number(name: str, label: str, unit: str, least: float, most: float, usual: float, why: str = "") -> Question:
    """A question for a number."""
    return Question(name=name, label=label, why=why, unit=unit, least=least, most=most, usual=usual)


def checked(guide: Guide, circuit: Circuit, answers: Answers) -> dict[str, str | float]:
    """The answers, those left out as usual. Raises GuideProblemError for one that cannot be, or to no question."""
    questions = {q.name: q for q in guide.asks(circuit)}
    if unknown := next((n for n in answers if n not in questions), None):
        raise GuideProblemError(unknown, f"Nothing is asked that is called '{unknown}'.")
    given: dict[str, str | float] = {}
    for name, q in questions.items():
        value = answers.get(name, q.usual)
        if q.choices:
            if value not in {c.name for c in q.choices}:
                raise GuideProblemError(name, f"{q.label}: one of {', '.join(c.label for c in q.choices)}.")
            given[name] = value
            continue
        if not isinstance(value, int | float) or not (q.least or 0.0) <= value <= (q.most or float("inf")):
            raise GuideProblemError(name, f"{q.label}: {q.least:g} to {q.most:g} {q.unit}.")
        given[name] = float(value)
    return given


def amount(answers: Answers, name: str) -> float:
    """A number that was answered."""
    return float(answers[name])
