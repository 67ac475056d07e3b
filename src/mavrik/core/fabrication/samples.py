"""Samples: of every crimp that the work has, one is made on a short end, pulled and cut open before the first lead."""

from __future__ import annotations

import re
from collections.abc import Sequence

from pydantic import Field

from mavrik.core.catalogue.lugs import Palm
from mavrik.core.document import Document
from mavrik.core.fabrication.cards import EndCard, LeadCard
from mavrik.core.fabrication.crimping import CrimpTool
from mavrik.core.fabrication.schools import School

SAMPLE_MIN = 4.0
"""To crimp one, pull it and saw it open. Common practice, rough, no source."""
PULLED = frozenset({School.CRIMP, School.CRIMP_SOLDER, School.TUBE})
"""What is joined by force, and so hangs on the right die."""


class Sample(Document):
    """One crimp to be proven."""

    step: str = Field(description="Id of its step")
    size: str
    lug: str = Field(description="Empty: a lug of tube")
    stud: str
    palm: Palm
    leads: tuple[str, ...] = Field(description="Ids of the leads that have it")
    holds_n: float | None = Field(description="What it has to hold for a minute [N]; null: none is listed")
    words: str


def samples_of(cards: Sequence[LeadCard]) -> tuple[Sample, ...]:
    """One for each conductor in each lug, in the order in which they are first needed.

    cards: of the leads that are made; those that cannot be made, post clamps and contacts of plugs have none
    Source: common practice of the trade; forces as `pull_out_n`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.fabrication.cards import lead_cards
    >>> from mavrik.core.fabrication.documents import BuildBook
    >>> car = front_battery(12)
    >>> [(s.step, s.leads) for s in samples_of(lead_cards(car, car, BuildBook(anew=("charge_cable",))))]
    [('sample:25_mm2:25_mm2_m8', ('charge_cable',))]
    """
    samples: dict[str, Sample] = {}
    for card in (c for c in cards if not c.problem):
        for end in card.ends:
            if end.school not in PULLED or not end.stud:
                continue
            step = f"sample:{_plain(card.size)}:{_plain(f'{end.lug or end.tube} {end.stud}{_how(end)}')}"
            known = samples.get(step)
            leads = (*known.leads, card.branch_id) if known else (card.branch_id,)
            samples[step] = Sample(
                step=step, size=card.size, lug=end.lug, stud=end.stud, palm=end.palm, leads=tuple(dict.fromkeys(leads)), holds_n=card.pull_out_n,
                words=_words(card, end),
            )  # fmt: skip
    return tuple(samples.values())


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")


def _how(end: EndCard) -> str:
    """What makes it another crimp than the usual one: a bent palm, another tool, a shim."""
    bent = "" if end.palm is Palm.FLAT else f" {end.palm.value}"
    if end.pressed is None or (end.pressed.tool is CrimpTool.HEX and not end.pressed.shim_mm):
        return bent
    return f"{bent} {end.pressed.tool.value}{f' {end.pressed.shim_mm:g}' if end.pressed.shim_mm else ''}"


def _words(card: LeadCard, end: EndCard) -> str:
    lug = f"a {end.lug} lug for {end.stud}" if end.lug else f"a lug of {end.tube} for {end.stud}"
    holds = f"it holds {card.pull_out_n:.0f} N for a minute" if card.pull_out_n is not None else "it must not slip"
    return (
        f"Sample: crimp {lug} onto a short end of {card.size} and pull it: {holds}. Saw it open: no strand cut, no gap, no crack."
    )
