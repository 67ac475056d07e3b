"""Does it run as it is used, and does each control alone stop it?"""

from __future__ import annotations

from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import KEEPS_RUNNING
from mavrik.core.isolation.rules.base import SITUATION_WORDS, Answer, Rule, broken, labels_of, met, unknown


def _runs_as_used(case: Case) -> Answer:
    row = case.used.row("idle")
    if not row.runs or not case.used.row("fast").runs:
        missing = {x.id for x in case.circuit.loads} - row.fed
        return broken(
            "With all controls on the engine does not keep running.",
            row,
            f"See to what has no supply: {labels_of(case, missing)}.",
        )
    starters = any(x.cranking for x in case.circuit.loads)
    cranks = case.used.row("cranking")
    if starters and not cranks.cranks:
        return broken(
            "With all controls on the starter does not turn it.", cranks, "Bring the starter's lead to the switched side."
        )
    return met(
        "With all controls on it cranks and runs." if starters else "With all controls on it runs; no starter is drawn.", row
    )


def _engine_stops(case: Case) -> Answer:
    if not any(c.role in KEEPS_RUNNING for c in case.switching.consumers):
        return unknown(
            "Nobody has said what keeps the engine running: a mechanical diesel stops by its fuel alone.",
            "Say which consumer is ignition, injection or fuel pump.",
        )
    if not case.controls:
        return broken("There is no control.", None, "Put a disconnect in.")
    for control in case.controls:
        for row in case.running((control.id,)):
            if row.runs:
                kept = "the alternator keeps feeding it" if row.stud_v > 1 else "its supply is still there"
                return broken(
                    f"With {control.label} off it runs on {SITUATION_WORDS[row.situation]}: {kept}, {row.stud_v:.1f} V at the alternator's stud.",
                    row, "Take the charge lead to the battery's side of the contact, or cut the ignition with the same control.",
                )  # fmt: skip
    row = case.bare.row("fast", (case.controls[0].id,))
    return met("Each control alone stops it, at idle and under way, with loads on and off.", row)


def _two_controls(case: Case) -> Answer:
    if len(case.controls) < 2:
        return broken(
            "There is one control only.",
            None,
            "A relay whose coil runs through a second small switch, or a pull cable to the one there is.",
        )
    return met(f"{len(case.controls)} controls.")


def _held_in(case: Case) -> Answer:
    for control in case.controls:
        # What is open with the engine standing and closed while it turns is held in by what the alternator makes.
        standing = case.used.row("key_on", (control.id,)).closed
        for row in case.running((control.id,)):
            if held := row.closed - standing:
                return broken(
                    f"With {control.label} off {labels_of(case, held)} stays closed {SITUATION_WORDS[row.situation]}: the alternator holds its coil in.",
                    row, "Feed the coil from the battery's own post through the controls, not from a side that the alternator feeds.",
                )  # fmt: skip
    return met("No contact is held in by what it feeds.")


def _chatters(case: Case) -> Answer:
    for table in (case.used, case.bare):
        for row in table.read_first():
            if row.chatters:
                labels = ", ".join(s.label for s in case.switching.senses if s.id in row.chatters)
                return broken(
                    f"{labels} goes on and off for ever, {SITUATION_WORDS[row.situation]}.", row,
                    "Wider thresholds, or a supply that its own contact does not cut.",
                )  # fmt: skip
    return met("Everything comes to rest.")


def _does_not_crank(case: Case) -> Answer:
    if not any(x.cranking for x in case.circuit.loads):
        return unknown("No starter is drawn.", "Draw the starter.")
    for control in case.controls:
        row = case.used.row("cranking", (control.id,))
        if row.cranks:
            return broken(
                f"With {control.label} off the starter still turns.", row, "Bring the starter's lead behind the contact."
            )
    return met("With a control off the starter does not turn.", case.used.row("cranking", (case.controls[0].id,)))


RUNS_AS_USED = Rule(10, "runs_as_used", "Runs with all on", _runs_as_used)
ENGINE_STOPS = Rule(20, "engine_stops", "Each control alone stops a running engine", _engine_stops)
TWO_CONTROLS = Rule(30, "two_controls", "More than one control", _two_controls)
HELD_IN = Rule(40, "held_in", "A contact held in by what it feeds", _held_in, names_a_fault=True)
CHATTERS = Rule(50, "chatters", "Something that never comes to rest", _chatters, names_a_fault=True)
DOES_NOT_CRANK = Rule(60, "does_not_crank", "Does not crank", _does_not_crank)
