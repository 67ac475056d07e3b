"""Where controls are, what is on them, and on which side they cut."""

from __future__ import annotations

from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.rules.base import Answer, Rule, broken, met, unknown


def _has(case: Case, place: ControlPlace, where: str) -> Answer:
    labels = [c.label for c in case.controls if c.place is place]
    if labels:
        return met(f"{labels[0]} {where}.")
    change = "Place one there; thin wires are enough where it switches a coil."
    return _not_stated(case, "place", f"No control that {where} is known", change) or broken(f"No control {where}.", None, change)


def _not_stated(case: Case, field: str, words: str, change: str) -> Answer | None:
    """That nobody has said it of some control; None where it has been said of all."""
    unsaid = [c.label for c in case.controls if getattr(c, field) is None]
    return unknown(f"{words}: nobody has said it of {', '.join(unsaid)}. Look.", change) if unsaid else None


def _every(case: Case, field: str, is_so: str, change: str) -> Answer:
    missing = [c.label for c in case.controls if getattr(c, field) is False]
    if missing:
        return broken(f"Not {is_so}: {', '.join(missing)}.", None, change)
    return _not_stated(case, field, f"Whether every control is {is_so} is not known", change) or met(f"Every control is {is_so}.")


def _some(case: Case, field: str, is_so: str, change: str) -> Answer:
    labels = [c.label for c in case.controls if getattr(c, field)]
    if labels:
        return met(f"{labels[0]} is {is_so}.")
    return _not_stated(case, field, f"Whether a control is {is_so} is not known", change) or broken(
        f"No control is {is_so}.", None, change
    )


def _hidden(case: Case) -> Answer:
    labels = [c.label for c in case.controls if c.place is ControlPlace.HIDDEN]
    if labels:
        return met(f"{labels[0]} is hidden.")
    change = "Place one where nobody looks."
    return _not_stated(case, "place", "Whether a control is hidden is not known", change) or broken(
        "No control is hidden.", None, change
    )


def _negative_side(case: Case) -> Answer:
    posts = {b.negative_node for b in case.circuit.batteries}
    if any(posts & {c.from_node, c.to_node} for c in case.contacts):
        return met("It cuts the negative: nothing that falls on the body makes a spark.")
    return broken(
        "It cuts the positive only: a spanner from the live post to the body still burns.",
        None,
        "Cut the negative, or take it off first and put it on last.",
    )


REACH_DRIVER = Rule(
    210, "reach_driver", "Reached by the seated driver", lambda c: _has(c, ControlPlace.DRIVER, "is reached by the seated driver")
)
REACH_OUTSIDE = Rule(
    220,
    "reach_outside",
    "Reached from outside",
    lambda c: _has(c, ControlPlace.OUTSIDE, "is reached from outside, near the pillar"),
)
MARKED = Rule(230, "marked", "Marked", lambda c: _every(c, "marked", "marked", "The sign of the rulebook at each."))
LOCKABLE = Rule(240, "lockable", "Can be locked open", lambda c: _some(c, "lockable", "lockable", "One that takes a padlock."))
REMOVABLE = Rule(
    250, "removable", "Its key comes off", lambda c: _some(c, "removable", "to be taken along", "One with a key that comes off.")
)
HIDDEN = Rule(260, "hidden", "Hidden", _hidden)
NEGATIVE_SIDE = Rule(270, "negative_side", "In the negative", _negative_side)
