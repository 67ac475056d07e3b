"""What happens while a battery selector is turned with the engine running."""

from __future__ import annotations

from mavrik.core.circuit import SwitchBranch
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.rules.base import Answer, Rule, broken, met, unknown


def _selectors(case: Case) -> dict[str, set[str]]:
    """The contacts of each battery selector, by what it is called; one contact alone selects nothing."""
    selectors: dict[str, set[str]] = {}
    for b in case.circuit.branches:
        if isinstance(b, SwitchBranch) and b.selector:
            selectors.setdefault(b.selector, set()).add(b.id)
    return {label: contacts for label, contacts in selectors.items() if len(contacts) > 1}


def _makes_first(case: Case) -> Answer:
    off = "; turned to off it takes the battery away all the same: stop the engine first"
    for label, contacts in _selectors(case).items():
        if case.keeps_a_battery(contacts):
            continue
        makes_first = case.circuit.control(label).makes_first
        if makes_first is None:
            return unknown(
                f"Nobody has said whether {label} makes the next contact before it breaks the last.",
                "Look at its maker's sheet; until then turn it with the engine stopped only.",
            )
        if not makes_first:
            return broken(
                f"{label} breaks before it makes: turned with the engine running, the alternator has no battery for a moment, a load dump.", None,
                "A selector that makes first, or the charge lead to a battery's own post.",
            )  # fmt: skip
    every = list(_selectors(case).items())
    through = [label for label, contacts in every if not case.keeps_a_battery(contacts)]
    if through:
        return met(f"{', '.join(through)} makes before it breaks{off}.")
    return met("The alternator keeps a battery wherever the selector stands.")


SELECTOR = Rule(
    355,
    "selector_makes_first",
    "A selector that never leaves the alternator alone",
    _makes_first,
    applies=lambda c: bool(_selectors(c)),
)
