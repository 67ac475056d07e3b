"""Sets of three causes, each without one of them: what a third was tried beside may have been there for it alone."""

from __future__ import annotations

from functools import reduce
from types import SimpleNamespace
from typing import cast

import numpy as np

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.fit_problem import Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import both, hypotheses
from mavrik.core.findings.second_look import without_one

CAR = build_layout("front_battery", 12)
SINGLE = {h.causes[0]: h for h in reversed(hypotheses(CAR))}
THREE = ("missing:charge_cable", "dead_cell:battery", "field_open:alternator")


def fitted(*causes: str, evidence: float = 0.0) -> Fitted:
    """A set that ended at some evidence."""

    trial = Trial.of(reduce(both, [SINGLE[c] for c in causes]))
    made = SimpleNamespace(trial=trial, log_evidence=evidence, row=np.ones(3), problem=SimpleNamespace(runs=(0,)))
    return cast(Fitted, made)


def tried(*fits: Fitted, near: float = 4.0) -> set[frozenset[str]]:
    return {frozenset(t.causes) for t in without_one(fits, list(SINGLE.values()), near)}


def test_every_two_of_three_that_were_not_tried_are_and_begin_where_those_ended() -> None:
    pair = fitted(*THREE[:2], evidence=0.3)
    trials = without_one([fitted(*THREE), pair], list(SINGLE.values()), 4.0)
    assert {frozenset(t.causes) for t in trials} == {frozenset(THREE[1:]), frozenset((THREE[0], THREE[2]))}
    assert all(t.start is not None and t.start.tolist() == [1.0, 1.0, 1.0, 0.0] for t in trials)


def test_three_far_behind_and_two_are_left() -> None:
    assert tried(fitted(*THREE[:2]), fitted(*THREE, evidence=-9.0)) == set()
    assert tried(fitted(*THREE[:2])) == set()


def test_two_that_contradict_each_other_are_no_set() -> None:
    three = fitted("regulator_low:alternator", "regulator_high:alternator", "drain:battery")
    assert tried(three) == {
        frozenset(("regulator_low:alternator", "drain:battery")),
        frozenset(("regulator_high:alternator", "drain:battery")),
    }
