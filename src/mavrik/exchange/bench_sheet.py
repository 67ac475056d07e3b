"""The sheet for the bench: each lead drawn to scale with how it is made, the cable to cut, the parts, and the steps to tick."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from markupsafe import Markup

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.fabrication.bench import WorkStep
from mavrik.core.fabrication.cards import LeadCard
from mavrik.core.fabrication.drawing import lead_drawing
from mavrik.core.workflow.cautions import Caution, cautions_for
from mavrik.exchange.build_json import build_bundle
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.lead_svg import draw_end, draw_lead
from mavrik.exchange.sheet import page_of

ROOM_MM = 150.0
"""Of the width of the page, for a lead."""


@dataclass(frozen=True)
class _Lead:
    """A lead with its pictures."""

    card: LeadCard
    whole: Markup
    ends: tuple[Markup, ...]


@dataclass(frozen=True)
class _Phase:
    """Steps that follow one another under the same cautions."""

    cautions: tuple[Caution, ...]
    steps: list[WorkStep]


def render_bench_sheet(bundle: Bundle, workshop: str, printed_at: datetime, prices: PriceList | None = None) -> str:
    """All of a job's work at the bench as a whole HTML page.

    bundle: the job; workshop, printed_at: at its head; prices: whose hours the steps take, None: as a workshop begins with
    Raises ValueError where there is no circuit, or nothing is made, taken out or fitted.
    """
    made = build_bundle(bundle, prices)
    if not made.view.steps:
        raise ValueError("Nothing is to be made: there is no sheet for the bench.")
    phases: list[_Phase] = []
    last = ""
    for step in made.view.steps:
        if step.caution_step != last:
            last = step.caution_step
            phases.append(_Phase(cautions_for(last), []))
        phases[-1].steps.append(step)
    return page_of("bench.html.j2").render(
        bundle=bundle, workshop=workshop, printed_at=printed_at, view=made.view, bill=made.bill, phases=phases,
        leads=[_drawn(c) for c in made.view.cards], left=made.view.minutes_left,
    )  # fmt: skip


def _drawn(card: LeadCard) -> _Lead:
    if card.problem:
        return _Lead(card, Markup(""), ())
    drawn = lead_drawing(card, ROOM_MM)
    # The pictures are made here of numbers, and of words that are escaped where they are put in.
    ends = tuple(Markup(draw_end(card, e, d)) for e, d in zip(card.ends, drawn.ends, strict=True))  # noqa: S704
    return _Lead(card, Markup(draw_lead(card, drawn)), ends)  # noqa: S704
