"""What a workshop may change in what a purpose asks, and what is wrong with what it has put in."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.document import Document, Problem
from mavrik.core.isolation.documents import IsolationPurpose, PurposeProfile
from mavrik.core.isolation.purposes import PurposeList, isolation_table
from mavrik.core.isolation.rules import RULES


class RuleChoice(Document):
    """A rule that a purpose may ask."""

    name: str
    label: str
    forbids: bool = Field(description="Whether it names what must not be, and not what must")
    stays: tuple[IsolationPurpose, ...] = Field(description="Purposes that are not without it")


def rule_choices() -> tuple[RuleChoice, ...]:
    """Every rule, in the order they are shown in.

    >>> [r.name for r in rule_choices() if r.forbids]
    ['held_in', 'chatters']
    """
    stays = isolation_table().stays
    return tuple(
        RuleChoice(
            name=r.name, label=r.label, forbids=r.names_a_fault, stays=tuple(p for p in IsolationPurpose if r.name in stays[p])
        )
        for r in RULES.values()
    )


def check_purposes(given: PurposeList) -> list[Problem]:
    """What is wrong with the purposes of a workshop: rules that there are not, and what a purpose is not without.

    given: all of them
    """
    return [problem for purpose, profile in given.purposes.items() for problem in _check(purpose, profile)]


def _check(purpose: IsolationPurpose, profile: PurposeProfile) -> list[Problem]:
    problems = []
    for field in ("requires", "forbids", "advises"):
        for name in getattr(profile, field):
            if name not in RULES:
                problems.append(Problem(purpose.value, field, f"There is no rule '{name}'. Rules: {', '.join(RULES)}."))
    for name in isolation_table().stays[purpose]:
        if name not in (*profile.requires, *profile.forbids):
            words = f"{RULES[name].label}: what does not decide on that is not {profile.label.lower()}. It cannot be left out."
            problems.append(Problem(purpose.value, name, words))
    return problems
