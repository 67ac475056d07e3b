"""Do the contacts bear what passes them, and what happens when they open?"""

from __future__ import annotations

from mavrik.core.circuit import ContactBranch, LinkBranch
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.heat import contact_heat
from mavrik.core.isolation.purposes import isolation_table
from mavrik.core.isolation.rules.base import SITUATION_WORDS, Answer, Rule, broken, met, unknown

NOTHING_A = 0.5
"""What a contact carries at most that carries nothing for good."""


def _carries(case: Case) -> Answer:
    unrated = [c.label for c in case.contacts if c.rating_a is None and c.intermittent_a is None]
    for contact in case.contacts:
        amps = case.continuous_a[contact.id]
        if contact.rating_a is None and contact.intermittent_a is not None and amps > NOTHING_A:
            return broken(
                f"{contact.label} is made for short duty only, {contact.intermittent_a:g} A of it, and carries {amps:.0f} A for good.",
                None, "A contact made for continuous duty: one for short duty overheats, coil first.",
            )  # fmt: skip
        if contact.rating_a is not None and amps > contact.rating_a:
            return broken(
                f"{contact.label} carries {amps:.0f} A for good and is rated {contact.rating_a:g} A.", None,
                "A contact of the next class up: thin plastic melts.",
            )  # fmt: skip
    if unrated:
        return unknown(f"No rating is known of {', '.join(unrated)}.", "Read it off the part.")
    heat = max((h.heat_w for h in contact_heat(case, {})), default=0.0)
    return met(f"Every contact carries what passes it for good; the warmest makes {heat:.1f} W.")


def _cranks_through(case: Case) -> Answer:
    if not case.cranking_a:
        return unknown(
            "No starter is drawn: what passes the contacts while cranking is not known.", "Draw the starter with its current."
        )
    for contact in case.contacts:
        amps, bears = case.cranking_a.get(contact.id, 0.0), _bears(contact)
        if bears is not None and amps > bears:
            return broken(
                f"{contact.label} carries {amps:.0f} A while cranking and bears {bears:g} A for short.", None,
                "A contact rated for it, or the starter's lead on the battery's side.",
            )  # fmt: skip
    return met("Every contact bears the cranking that passes it.")


def _bears(contact: ContactBranch) -> float | None:
    return contact.intermittent_a if contact.intermittent_a is not None else contact.rating_a


def _breaks(case: Case) -> Answer:
    known = {c.branch_id: c.breaks_a for c in case.switching.contacts}
    unrated = []
    for contact in case.contacts:
        row = max((t.row(s) for t in (case.used, case.bare) for s in ("idle", "fast")), key=lambda r: r.contact_a[contact.id])
        amps, breaks = row.contact_a[contact.id], known[contact.id]
        if breaks is None:
            unrated.append(f"{contact.label} ({amps:.0f} A)")
        elif amps > breaks:
            return broken(
                f"{contact.label} would have to break {amps:.0f} A of direct current {SITUATION_WORDS[row.situation]} and breaks {breaks:g} A: it may weld or go on arcing.",
                row, "A contact made to break it at this voltage, or the field cut first.",
            )  # fmt: skip
    if unrated:
        return unknown(
            f"Nobody has said what direct current these break at {case.circuit.system_voltage_v} V: {', '.join(unrated)} while running.",
            "Read it off the maker's sheet.",
        )
    return met("Every contact breaks what flows through it while the engine runs.")


def _winch_contacts(case: Case) -> tuple[list[str], list[ContactBranch]]:
    winches = [x for x in case.circuit.loads if x.role == "winch"]
    near = [
        c for c in case.contacts if any(x.from_node in (c.from_node, c.to_node) or _feeds(case, c, x.from_node) for x in winches)
    ]
    return [x.id for x in winches], near


def _feeds(case: Case, contact: ContactBranch, node: str) -> bool:
    """Whether a contact lies on a winch's own lead: one branch further on."""
    ends = {contact.from_node, contact.to_node}
    return any(node in (b.from_node, b.to_node) and ends & {b.from_node, b.to_node} for b in case.circuit.branches)


def _winch_dead(case: Case) -> Answer:
    winches, _ = _winch_contacts(case)
    if not winches:
        return unknown("No winch is drawn.", "Draw the winch.")
    node = {x.from_node for x in case.circuit.loads if x.id in winches}
    for control in case.controls:
        row = case.used.row("idle", (control.id,))
        if live := row.live & node:
            return broken(
                f"With {control.label} off the winch's stud is live.", row, f"Put the contact before {sorted(live)[0]}."
            )
    return met("With a control off the winch is dead.")


def _winch_rating(case: Case) -> Answer:
    winches, near = _winch_contacts(case)
    table = isolation_table()
    if not winches or not near:
        return unknown("No contact lies on a winch's lead.")
    for contact in near:
        least = table.winch_solenoid_a if contact.kind == "relay" else table.winch_continuous_a
        if contact.rating_a is None or contact.rating_a < least:
            short = f"for short duty only, {contact.intermittent_a:g} A" if contact.intermittent_a else "nobody knows what"
            rated = f"{contact.rating_a:g} A" if contact.rating_a else short
            return broken(
                f"{contact.label} is rated {rated}; a winch asks for at least {least:g} A continuous.",
                None,
                "A heavy isolator, not a thin plastic one.",
            )
    return met(f"Rated {table.winch_continuous_a:g} A continuous or more.")


def _link_override(case: Case) -> Answer:
    links = [b for b in case.circuit.branches if isinstance(b, LinkBranch)]
    if not links:
        return met("There is no voltage link that could drop out.")
    if any(b.override != "none" for b in links):
        return met("The link can be held.")
    return broken(
        f"{links[0].label} drops out at {links[0].cut_out_v:g} V, just when the second battery is needed.",
        None,
        "Fit an override to it.",
    )


CARRIES = Rule(310, "carries", "Carries what passes it for good", _carries)
CRANKS_THROUGH = Rule(320, "cranks_through", "Bears cranking", _cranks_through)
BREAKS = Rule(325, "breaks", "Breaks what flows", _breaks)
WINCH_DEAD = Rule(330, "winch_dead", "The winch is dead when off", _winch_dead)
WINCH_RATING = Rule(340, "winch_rating", "Heavy enough for a winch", _winch_rating)
LINK_OVERRIDE = Rule(350, "link_override", "An override of the link", _link_override)
