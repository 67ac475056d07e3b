"""What is live, what drains and what is kept alive with everything off."""

from __future__ import annotations

from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import ConsumerRole
from mavrik.core.isolation.purposes import isolation_table
from mavrik.core.isolation.rules.base import SITUATION_WORDS, Answer, Rule, broken, labels_of, met, unknown
from mavrik.core.procedures.bench.drain import USABLE_SHARE

KEPT = (ConsumerRole.MEMORY, ConsumerRole.ALARM)


def _all(case: Case) -> tuple[str, ...]:
    return tuple(c.id for c in case.controls)


def _kept(case: Case) -> set[str]:
    return {c.load_id for c in case.switching.consumers if c.role in KEPT}


def _consumers_dead(case: Case) -> Answer:
    for control in case.controls:
        for row in case.running((control.id,)):
            if fed := row.fed - _kept(case):
                return broken(
                    f"With {control.label} off {labels_of(case, fed)} still has its supply, {SITUATION_WORDS[row.situation]}.", row,
                    "Move its feed behind the contact.",
                )  # fmt: skip
    return met("With any control off nothing of the vehicle has its supply.", case.used.row("idle", _all(case)[:1]))


def _dead_standing(case: Case) -> Answer:
    posts = {n for b in case.circuit.batteries for n in (b.positive_node, b.negative_node)}
    ends = {n for x in case.circuit.loads if x.id not in _kept(case) for n in (x.from_node, x.to_node)} - posts
    for situation in ("off", "key_on"):
        row = case.used.row(situation, _all(case))
        if live := row.live & ends:
            return broken(
                f"With everything off {labels_of(case, live)} is live, {SITUATION_WORDS[situation]}.",
                row,
                "Move its feed behind the contact.",
            )
    return met(
        "With everything off and the engine standing no consumer is live, the key on or off.", case.used.row("key_on", _all(case))
    )


def _charge_lead_dead(case: Case) -> Answer:
    row = case.used.row("off", _all(case))
    studs = {a.stud_node for a in case.circuit.alternators}
    if live := row.live & studs:
        return broken(
            f"{labels_of(case, live)} stays live with everything off: the charge lead lies on the battery's side. Say so on the label.", row,
            "Where that must not be, cut ignition and field with the control instead, and leave the charge lead on the switched side.",
        )  # fmt: skip
    return met("With everything off the alternator's stud is dead, too.", row)


def _no_drain(case: Case) -> Answer:
    row, most = case.used.row("off", _all(case)), isolation_table().drain_a
    if row.drain_a > most:
        return broken(
            f"With everything off {1000 * row.drain_a:.1f} mA still flow.",
            row,
            "Move what draws it behind the contact, or give it a contact of its own.",
        )
    return met(f"With everything off less than {1000 * most:g} mA flow.", row)


def _days_to_flat(case: Case) -> Answer:
    on, off = case.used.row("off"), case.used.row("off", _all(case))
    usable = USABLE_SHARE * sum(b.capacity_ah * b.parallel * b.state_of_charge for b in case.circuit.batteries)

    def days(amps: float) -> str:
        return (
            f"{usable / amps / 24:.0f} days"
            if amps > isolation_table().drain_a
            else "as long as the battery itself keeps its charge"
        )

    return met(f"Flat after {days(on.drain_a)} left on ({1000 * on.drain_a:.0f} mA); off, {days(off.drain_a)}.", off)


def _memory_kept(case: Case) -> Answer:
    if not _kept(case):
        return unknown(
            "Nobody has said what has to be kept: clock, radio code, alarm, learned values.",
            "Say which consumers are memory or alarm.",
        )
    row = case.used.row("off", _all(case))
    if lost := _kept(case) - row.fed:
        return broken(
            f"With everything off {labels_of(case, lost)} is lost and has to be learned again.", row,
            "A keeper at the socket while it is off, or a small fused wire past the contact.",
        )  # fmt: skip
    return met("Memory and alarm keep their supply.", row)


def _charger_reaches(case: Case) -> Answer:
    posts = {(b.positive_node, b.negative_node) for b in case.circuit.batteries}
    if not case.circuit.chargers:
        return unknown(
            "No charger is drawn: a socket at the battery's posts lets one stay on while it is stored.", "Add a charger's socket."
        )
    if any((c.positive_node, c.negative_node) in posts for c in case.circuit.chargers):
        return met("The charger sits at the posts, whatever is off.")
    return broken("The charger does not reach the battery with everything off.", None, "Take its leads to the posts.")


def _bank_off_runs_on(case: Case) -> Answer:
    others = case.circuit.batteries[1:]
    if not others:
        return unknown("There is one battery only.")
    for control in case.controls:
        row = case.used.row("idle", (control.id,))
        if not row.runs:
            return broken(f"With {control.label} off the engine stops.", row, "Isolate the second bank alone, at its own posts.")
        dead = [b.label for b in others if not _joined(case, control.id, b.positive_node, b.negative_node)]
        if not dead:
            return broken(
                f"With {control.label} off no second bank is taken off.", row, "Put the contact at the second bank's post."
            )
    return met("The second bank goes off alone, and the engine runs on.", case.used.row("idle", _all(case)[:1]))


def _joined(case: Case, control: str, plus: str, minus: str) -> bool:
    """Whether a battery still has leads on both posts that something closed leads on from."""
    off = case.moved_by(control)
    touching = [b for b in case.circuit.branches if b.id not in off and b.conducts]
    return all(any(post in (b.from_node, b.to_node) for b in touching) for post in (plus, minus))


CONSUMERS_DEAD = Rule(110, "consumers_dead", "Nothing of the vehicle has its supply", _consumers_dead)
DEAD_STANDING = Rule(115, "dead_standing", "Nothing of the vehicle is live, the engine standing", _dead_standing)
CHARGE_LEAD_DEAD = Rule(120, "charge_lead_dead", "The charge lead is dead, too", _charge_lead_dead)
NO_DRAIN = Rule(130, "no_drain", "No drain", _no_drain)
DAYS_TO_FLAT = Rule(140, "days_to_flat", "Days to flat, with and without", _days_to_flat)
MEMORY_KEPT = Rule(150, "memory_kept", "Memory and alarm", _memory_kept)
CHARGER_REACHES = Rule(160, "charger_reaches", "A charger reaches the battery", _charger_reaches)
BANK_OFF_RUNS_ON = Rule(170, "bank_off_runs_on", "The second bank goes off alone", _bank_off_runs_on)
