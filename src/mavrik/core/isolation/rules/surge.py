"""What an alternator does to a vehicle when a control takes its battery away, and what takes its current then."""

from __future__ import annotations

from mavrik.core.isolation.case import Case
from mavrik.core.isolation.purposes import LoadDump, isolation_table
from mavrik.core.isolation.rules.base import Answer, Rule, broken, met, unknown
from mavrik.core.isolation.run_down import RunDown, run_down


def _dump(case: Case) -> LoadDump:
    return isolation_table().load_dump[case.circuit.system_voltage_v]


def _band(case: Case) -> str:
    dump = _dump(case)
    (low, high), (short, long) = dump.unclamped_v, dump.unclamped_ms
    return f"{low:g} to {high:g} V for {short:g} to {long:g} ms where nothing clamps it, {dump.clamped_v:g} V behind a clamping rectifier (ISO 16750-2, from memory)"


def _surge(case: Case) -> Answer:
    for control in case.controls:
        row = case.used.row("fast", (control.id,))
        if case.taken_away(row):
            after = any(row.live & {a.stud_node} for a in case.circuit.alternators)
            more = (
                "it goes on feeding what is left"
                if row.runs and after
                else "what is left of the vehicle takes it until the engine has stopped"
            )
            return broken(
                f"Opened while the alternator charges, {control.label} takes its battery away: a load dump, {_band(case)}; {more}.", row,
                "Stop the engine by the key first, and this only in need; a run-down resistor and a clamping rectifier take the worst of it.",
            )  # fmt: skip
    return met(f"The alternator keeps its battery whatever is opened: no load dump of {_band(case)}.")


def _takes_it(case: Case) -> Answer:
    run_downs = [f for c in case.controls if (f := run_down(case, c.id)) is not None]
    worst = max(run_downs, key=lambda f: f.peak_v)
    clamped = _dump(case).clamped_v
    words = f"{_before(worst)} {_after(worst)} {_ends(worst)}"
    if worst.peak_v <= clamped:
        return met(words)
    return unknown(
        f"{words} Whether its rectifier clamps at {clamped:g} V nobody has said.",
        "Look in its maker's data; one that does not clamp wants less resistance across it, or the engine stopped first.",
    )


def _before(after: RunDown) -> str:
    return f"An estimate at the worst: into a flat battery the alternator gives up to {after.before_a:.0f} A when {after.control} opens."


def _after(after: RunDown) -> str:
    if after.left_ohm is None:
        return f"Nothing is left across it: up to {after.peak_v:.0f} V."
    return f"What is left across it, {after.left_ohm:.2g} Ω, lets that rise to about {after.peak_v:.0f} V."


def _ends(after: RunDown) -> str:
    resistor = f" {after.resistor} takes up to {after.resistor_j:.0f} J of it." if after.resistor else ""
    if after.field_cut:
        return f"Its field is cut with it: it dies away within that time.{resistor}"
    if after.below_rpm is None:
        return f"A magnet keeps it live until the engine stands.{resistor}"
    return f"It keeps itself live until the engine has fallen below {after.below_rpm:.0f} /min.{resistor}"


SURGE = Rule(360, "surge", "No surge when it opens", _surge)
RUN_DOWN = Rule(
    365, "run_down", "Something takes what the alternator still makes", _takes_it,
    applies=lambda case: any(run_down(case, c.id) is not None for c in case.controls),
)  # fmt: skip
