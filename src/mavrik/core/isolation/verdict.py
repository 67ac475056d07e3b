"""Whether a disconnect does what it is for: every rule of the purpose, the row that decides it, the least change that meets it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import IsolationPurpose, PurposeProfile, Switching
from mavrik.core.isolation.purposes import isolation_table
from mavrik.core.isolation.rules import RULES, RuleOutcome
from mavrik.core.isolation.rules.base import SITUATION_WORDS, labels_of
from mavrik.core.isolation.table import Row


class RowView(Document):
    """One row of the table, to be shown."""

    on: tuple[str, ...] = Field(description="Labels of the controls that are on")
    off: tuple[str, ...]
    situation: str
    situation_label: str
    live: tuple[str, ...] = Field(description="Nodes with more than 1 V against the alternator's case, by id")
    live_v: dict[str, float] = Field(description="How many volts those nodes have, either sign [V]")
    lit: tuple[str, ...] = Field(description="Branches with both ends live and no gap between, by id")
    runs: bool
    cranks: bool
    fed: tuple[str, ...] = Field(description="Loads that have what they need, by id")
    closed: tuple[str, ...] = Field(description="Contacts, by branch id")
    pulled_in: tuple[str, ...] = Field(description="Coils and inputs that are on")
    drain_a: float
    stud_v: float
    chatters: tuple[str, ...]
    read_first: bool = Field(False, description="Whether it is one of the few that a person needs to read")


class RuleAnswer(Document):
    """What came of one rule."""

    rule: str
    label: str
    kind: Literal["requires", "forbids", "advises"]
    outcome: RuleOutcome
    words: str
    row: RowView | None = Field(description="Of the table, that decides it")
    change: str = Field(description="The least that meets it; empty where it is met")


class IsolationVerdict(Document):
    """What a disconnect does and does not do for a purpose."""

    purpose: IsolationPurpose
    label: str
    does: bool | None = Field(description="null: something that decides has not been said")
    headline: str
    answers: tuple[RuleAnswer, ...]
    owner: tuple[str, ...] = Field(description="What the switch does and does not do, in the owner's words")
    source: str


def row_view(case: Case, row: Row) -> RowView:
    """A row of the table, to be shown.

    case: whose it is; row: of its table
    """
    return case.once(f"view {row.situation} {sorted(row.on)} {id(row)}", lambda: _view(case, row))


def _view(case: Case, row: Row) -> RowView:
    labels = {c.id: c.label for c in case.controls}
    moved = {c.branch_id for c in case.switching.contacts}
    shut = row.closed | {b.id for b in case.circuit.branches if b.conducts and b.id not in moved}
    lit = tuple(b.id for b in case.circuit.branches if b.id in shut and {b.from_node, b.to_node} <= row.live)
    return RowView(
        on=tuple(v for i, v in labels.items() if i in row.on), off=tuple(v for i, v in labels.items() if i not in row.on),
        situation=row.situation, situation_label=SITUATION_WORDS[row.situation], live=tuple(sorted(row.live)),
        live_v={i: round(row.node_v[i], 2) for i in sorted(row.live)}, lit=lit, runs=row.runs, cranks=row.cranks, fed=tuple(sorted(row.fed)), closed=tuple(sorted(row.closed)), pulled_in=tuple(sorted(row.pulled_in)),
        drain_a=row.drain_a, stud_v=row.stud_v, chatters=tuple(sorted(row.chatters)),
    )  # fmt: skip


def verdict(
    circuit: Circuit, switching: Switching, purpose: IsolationPurpose, profile: PurposeProfile | None = None
) -> IsolationVerdict:
    """Whether a switching does what it is for.

    circuit: the document; switching: of it; purpose: why it is wanted; profile: what that asks, left out what is usual
    Raises CircuitError for what does not fit together.
    Source: the profile of the purpose, see ``isolation.json``; rows of the truth table, see `truth_table`.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> made = topology_of("positive").build(build_layout("competition_car", 12))
    >>> verdict(made.circuit, made.switching, IsolationPurpose.EMERGENCY).headline
    'Not fit for: emergency stop in competition'
    """
    return verdict_of(Case(circuit, switching), purpose, profile)


def verdict_of(case: Case, purpose: IsolationPurpose, profile: PurposeProfile | None = None) -> IsolationVerdict:
    """The same of a case whose tables may be looked at again.

    case: circuit and switching; purpose: why it is wanted; profile: what that asks, left out what is usual
    """
    profile = profile or isolation_table().purposes[purpose]
    answers = tuple(_answers(case, _whole(purpose, profile)))
    decisive = [a for a in answers if a.kind != "advises"]
    wrong = any(a.outcome is RuleOutcome.BROKEN for a in decisive)
    open_ = any(a.outcome is RuleOutcome.UNKNOWN for a in decisive)
    does = False if wrong else None if open_ else True
    word = {True: "Fit for", False: "Not fit for", None: "Not yet proven fit for"}[does]
    return IsolationVerdict(
        purpose=purpose, label=profile.label, does=does, headline=f"{word}: {profile.label[0].lower()}{profile.label[1:]}",
        answers=answers, owner=case.once("owner", lambda: tuple(_owner(case))), source=_source(purpose, profile),
    )  # fmt: skip


def _whole(purpose: IsolationPurpose, profile: PurposeProfile) -> PurposeProfile:
    """A profile with what its purpose is not without: a job may come in a bundle whose workshop has left it out."""
    missing = tuple(n for n in isolation_table().stays[purpose] if n not in (*profile.requires, *profile.forbids))
    advised = tuple(n for n in profile.advises if n not in missing)
    return profile.model_copy(update={"requires": (*profile.requires, *missing), "advises": advised}) if missing else profile


def _source(purpose: IsolationPurpose, profile: PurposeProfile) -> str:
    table = isolation_table()
    named = f"Rulebook named by the workshop: {profile.rulebook}. " if profile.rulebook else ""
    same = profile.model_copy(update={"rulebook": ""}) == table.purposes[purpose]
    return f"{named}{'' if same else 'What is asked was changed by the workshop. '}{table.source}"


def _answers(case: Case, profile: PurposeProfile) -> Iterator[RuleAnswer]:
    kinds: tuple[tuple[Literal["requires", "forbids", "advises"], tuple[str, ...]], ...] = (
        ("requires", profile.requires), ("forbids", profile.forbids), ("advises", profile.advises),
    )  # fmt: skip
    for kind, names in kinds:
        # A file of a later program may ask what this one cannot answer: then nothing is certain.
        for name in (n for n in names if n not in RULES):
            words = "This program has no such rule."
            yield RuleAnswer(rule=name, label=name, kind=kind, outcome=RuleOutcome.UNKNOWN, words=words, row=None, change="")
        for rule in sorted((RULES[n] for n in names if n in RULES), key=lambda r: r.order):
            answers = rule.answer(case)
            if answers is None:
                continue
            yield RuleAnswer(
                rule=rule.name, label=rule.label, kind=kind, outcome=answers.outcome, words=answers.words,
                row=row_view(case, answers.row) if answers.row is not None else None, change=answers.change,
            )  # fmt: skip


def _owner(case: Case) -> Iterator[str]:
    """What the owner is told, and what the label on the dash says."""
    if not case.controls:
        yield "There is no switch."
        return
    for control in case.controls:
        rows = case.running((control.id,))
        runs = {SITUATION_WORDS[r.situation] for r in rows if r.runs}
        if runs:
            yield f"{control.label} does NOT stop a running engine ({', '.join(sorted(runs))}). Stop it with the key."
        else:
            yield f"{control.label} stops a running engine."
    every = tuple(c.id for c in case.controls)
    off = case.used.row("off", every)
    live = off.live - {n for b in case.circuit.batteries for n in (b.positive_node, b.negative_node)}
    thin = live & case.wire_nodes
    words = [*([labels_of(case, live - thin)] if live - thin else []), *(["the fused wire to the switches"] if thin else [])]
    yield (
        f"With everything off these stay live, beside the battery's posts: {' and '.join(words)}."
        if words
        else ("With everything off nothing but the battery's posts is live.")
    )
    yield (
        f"With everything off the battery loses {1000 * off.drain_a:.0f} mA."
        if off.drain_a > isolation_table().drain_a
        else ("With everything off the battery loses next to nothing.")
    )
    if off.drain_a < case.used.row("off").drain_a - isolation_table().drain_a:
        yield f"Left on, it loses {1000 * case.used.row('off').drain_a:.0f} mA."
    yield "After it was off clock, radio code and learned values may have to be set again."
