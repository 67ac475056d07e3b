"""Conditions on which a contact closes: names joined by and, or, not, and brackets; read into a small tree, never run as code."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Annotated, TypeAlias

import numpy as np
from lark import Lark, Token, Transformer
from lark.exceptions import UnexpectedInput
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

Bools: TypeAlias = NDArray[np.bool_]

LONGEST, DEEPEST = 400, 20
"""No switching of a vehicle needs more; what is longer or deeper is refused before anything looks into it."""

GRAMMAR = r"""
    ?start: either
    ?either: both ("or" both)*
    ?both: other ("and" other)*
    ?other: "not" other -> negated
          | "always" -> always
          | "never" -> never
          | NAME -> name
          | "(" either ")"
    NAME: /(?!(?:and|or|not|always|never)\b)[a-z][a-z0-9_]{0,39}/
    %ignore /[ \t\n]+/
"""


class ConditionError(ValueError):
    """Text that is no condition."""


@dataclass(frozen=True)
class Name:
    """A control, the key, a sense: on or off."""

    name: str


@dataclass(frozen=True)
class Constant:
    """Always, or never."""

    value: bool


@dataclass(frozen=True)
class Not:
    """The opposite."""

    part: Condition


@dataclass(frozen=True)
class AllOf:
    """Every one of them."""

    parts: tuple[Condition, ...]


@dataclass(frozen=True)
class AnyOf:
    """At least one of them."""

    parts: tuple[Condition, ...]


Condition: TypeAlias = Name | Constant | Not | AllOf | AnyOf


class _Tree(Transformer[Token, Condition]):
    def name(self, children: list[Token]) -> Condition:
        return Name(str(children[0]))

    def always(self, _: list[Token]) -> Condition:
        return Constant(True)

    def never(self, _: list[Token]) -> Condition:
        return Constant(False)

    def negated(self, children: list[Condition]) -> Condition:
        return Not(children[0])

    def both(self, children: list[Condition]) -> Condition:
        return AllOf(tuple(children))

    def either(self, children: list[Condition]) -> Condition:
        return AnyOf(tuple(children))


@cache
def _parser() -> Lark:
    """Made where the first condition is read: most programs that load this read none."""
    return Lark(GRAMMAR, parser="lalr", lexer="contextual")


@lru_cache(maxsize=1024)
def read_condition(text: str) -> Condition:
    """A condition as a tree.

    text: as "key and not (kill or service)"; names are small letters, digits and underscores
    Raises ConditionError, with the place, for what is none; at once for what is longer or deeper than any, or has odd letters.

    >>> read_condition("key and not kill")
    AllOf(parts=(Name(name='key'), Not(part=Name(name='kill'))))
    """
    if len(text) > LONGEST:
        raise ConditionError(f"A condition has at most {LONGEST} letters.")
    if not text.isascii():
        odd = next(c for c in text if not c.isascii())
        raise ConditionError(f"A condition is written with plain letters: {odd!a} is none.")
    depth = 0
    for c in text:
        depth += (c == "(") - (c == ")")
        if depth > DEEPEST:
            raise ConditionError(f"Brackets lie at most {DEEPEST} deep.")
    if text.split().count("not") > DEEPEST:
        raise ConditionError(f"'not' comes at most {DEEPEST} times.")
    try:
        return _Tree().transform(_parser().parse(text))
    except UnexpectedInput as error:
        place, token = getattr(error, "pos_in_stream", None), getattr(error, "token", None)
        at = "at its end" if place is None or (token is not None and token.type == "$END") else f"at '{text[place : place + 12]}'"
        raise ConditionError(f"No condition {at}: names are joined by and, or, not, and brackets.") from error


def names_in(condition: Condition) -> Iterator[str]:
    """Every name of a condition, as often as it is there."""
    if isinstance(condition, Name):
        yield condition.name
    elif isinstance(condition, Not):
        yield from names_in(condition.part)
    elif isinstance(condition, AllOf | AnyOf):
        for part in condition.parts:
            yield from names_in(part)


def holds(condition: Condition, on: Mapping[str, Bools]) -> Bools:
    """Whether a condition holds, row by row.

    condition: a tree; on: every name that may be in it, arrays of one length
    Raises KeyError for a name that is not there.

    >>> holds(read_condition("key and not kill"), {"key": np.array([True, True]), "kill": np.array([True, False])}).tolist()
    [False, True]
    """
    if isinstance(condition, Name):
        return on[condition.name]
    if isinstance(condition, Not):
        return ~holds(condition.part, on)
    if isinstance(condition, Constant):
        return np.full(len(next(iter(on.values()))), condition.value)
    parts = [holds(p, on) for p in condition.parts]
    return np.asarray(np.logical_and.reduce(parts) if isinstance(condition, AllOf) else np.logical_or.reduce(parts))


def _is_one(text: str) -> str:
    read_condition(text)
    return text


ConditionText = Annotated[str, Field(min_length=1, max_length=LONGEST), AfterValidator(_is_one)]
"""A condition as it is typed and kept."""
