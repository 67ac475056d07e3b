"""A lead drawn to scale, as SVG: the whole of it, and each end at full size."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from mavrik.core.fabrication.cards import EndCard, LeadCard
from mavrik.core.fabrication.drawing import EndDrawing, LeadDrawing, Span

COPPER, SLEEVE, RUBBER, PAPER, INK = "#c27a4a", "#35506a", "#2b2d31", "#fff", "#17191c"
MARGIN_MM = 4.0
CLAMP_MM = 22.0
"""A post clamp is drawn so wide."""
END_MM = 84.0
"""So much of an end is drawn at full size."""


def _rect(x: float, y: float, width: float, height: float, fill: str, more: str = "") -> str:
    return f'<rect x="{x:.2f}" y="{y:.2f}" width="{width:.2f}" height="{height:.2f}" fill="{fill}"{more}/>'


def _text(x: float, y: float, words: str, size: float = 3.0, anchor: str = "middle") -> str:
    return f'<text x="{x:.2f}" y="{y:.2f}" font-size="{size:g}" text-anchor="{anchor}" fill="{INK}">{escape(words)}</text>'


def _svg(width: float, height: float, parts: Sequence[str], name: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{height:g}mm" viewBox="0 0 {width:g} {height:g}" role="img" '
        f'aria-label="{escape(name, quote=True)}" font-family="B612, DejaVu Sans, sans-serif">{"".join(parts)}</svg>'
    )


def draw_lead(card: LeadCard, drawn: LeadDrawing) -> str:
    """The whole lead, straight, at its scale; one millimetre of the picture is one on paper.

    card: of the lead; drawn: `lead_drawing` of it
    """
    n, x0, middle = drawn.scale, MARGIN_MM + 10.0, 12.0
    thick = max(card.over_mm / n, 1.6)
    length = drawn.finished_mm / n
    parts = [_rect(x0 + drawn.insulation.from_mm / n, middle - thick / 2, _long(drawn.insulation) / n, thick, RUBBER)]
    for end, flipped in zip(drawn.ends, (False, True), strict=True):
        for span in end.spans:
            a, b = span.from_mm / n, span.to_mm / n
            left = x0 + (length - b if flipped else a)
            if span.what == "clamp":
                parts.append(_rect(left, middle - thick * 0.65, b - a, thick * 1.3, COPPER, ' fill-opacity="0.4"'))
            elif span.what in ("palm", "neck", "barrel"):
                parts.append(_rect(left, middle - thick * 0.65, b - a, thick * 1.3, COPPER))
            elif span.what == "sleeve":
                parts.append(_rect(left, middle - thick * 0.7, b - a, thick * 1.4, SLEEVE, ' fill-opacity="0.75"'))
            elif span.what == "label":
                parts.append(_rect(left, middle - thick, b - a, thick * 2, PAPER, f' stroke="{INK}" stroke-width="0.3"'))
    foot = middle + thick + 5
    parts.append(
        f'<path d="M{x0:.2f} {foot - 3:g}v6M{x0 + length:.2f} {foot - 3:g}v6M{x0:.2f} {foot:g}H{x0 + length:.2f}" stroke="{INK}" stroke-width="0.25" fill="none"/>'
    )
    parts.append(
        _text(
            x0 + length / 2,
            foot - 1,
            f"{drawn.finished_mm:.0f} ± {card.tolerance_mm or 0:.0f} mm, middle of stud to middle of stud; 1 : {n}",
        )
    )
    parts.append(_text(x0, 4, drawn.ends[0].at, anchor="start"))
    parts.append(_text(x0 + length, 4, drawn.ends[1].at, anchor="end"))
    return _svg(length + 2 * x0, foot + 4, parts, card.label)


def _long(span: Span) -> float:
    return span.to_mm - span.from_mm


def draw_end(card: LeadCard, end: EndCard, drawn: EndDrawing) -> str:
    """One end at full size, cut off where the cable goes on: a lug laid on the paper covers its picture.

    card: of the lead; end: of it; drawn: the same, of `lead_drawing`
    """
    of = {s.what: s for s in drawn.spans}
    head = of.get("palm") or of["clamp"]
    x0, middle = MARGIN_MM - head.from_mm, 18.0
    over, outer = card.over_mm, end.barrel_outer_mm
    right = x0 + END_MM
    bare, barrel, sleeve = of["bare"], of["barrel"], of["sleeve"]
    width = end.palm_mm or CLAMP_MM
    # A clamp is as its maker has it: only where it ends is known.
    shape = f' rx="3" stroke="{INK}" stroke-width="0.3"' + (
        "" if end.palm_mm else ' stroke-dasharray="1.5 1" fill-opacity="0.25"'
    )
    parts = [
        _rect(x0 + bare.to_mm, middle - over / 2, max(right - x0 - bare.to_mm, 0), over, RUBBER),
        _rect(x0 + bare.from_mm, middle - over * 0.38, _long(bare), over * 0.76, "#e0a878"),
        _rect(x0 + head.from_mm, middle - width / 2, _long(head), width, COPPER, shape),
    ]
    if "neck" in of:
        parts.append(_rect(x0 + of["neck"].from_mm, middle - outer / 2, _long(of["neck"]), outer, COPPER))
    parts.append(
        _rect(x0 + barrel.from_mm, middle - outer / 2, _long(barrel), outer, COPPER, f' stroke="{INK}" stroke-width="0.2"')
    )
    if end.hole_mm:
        parts.append(
            f'<circle cx="{x0:.2f}" cy="{middle:g}" r="{end.hole_mm / 2:.2f}" fill="{PAPER}" stroke="{INK}" stroke-width="0.2"/>'
        )
    tall = max(outer, over) + 1.2
    parts.append(_rect(x0 + sleeve.from_mm, middle - tall / 2, _long(sleeve), tall, SLEEVE, ' fill-opacity="0.35"'))
    for span, y, words in (
        (bare, middle + 13, f"strip {_long(bare):.1f}"),
        (sleeve, middle + 17.5, f"sleeve {_long(sleeve):.0f}"),
    ):
        a, b = x0 + span.from_mm, x0 + span.to_mm
        parts.append(
            f'<path d="M{a:.2f} {y - 1.5:g}v3M{b:.2f} {y - 1.5:g}v3M{a:.2f} {y:g}H{b:.2f}" stroke="{INK}" stroke-width="0.2" fill="none"/>'
        )
        parts.append(_text(b + 1.5, y + 1, words, 2.6, "start"))
    what = f"{end.lug} lug" if end.lug else end.tube or end.contact or "post clamp"
    parts.append(
        _text(MARGIN_MM, 4, f"{end.at}: {what.replace('mm2', 'mm²')}{f', {end.stud}' if end.stud else ''}; 1 : 1", 2.9, "start")
    )
    return _svg(END_MM + 2 * MARGIN_MM, 38, parts, f"{card.label}, end for {end.at}")
