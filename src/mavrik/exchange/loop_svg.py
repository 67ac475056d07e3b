"""The loop as an SVG picture for print: the same coordinates and rules as on the screen."""

from __future__ import annotations

import math
from xml.sax.saxutils import escape

from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.drawing.loop import BranchPlace, LoopLayout
from mavrik.core.findings import VERDICT_WORDS, BranchFinding, BranchVerdict, Findings

FEED, RETURN = "#9c4a1f", "#35506a"
COLOURS = {
    BranchVerdict.PASS: "#2f6b3a",
    BranchVerdict.EXCESS: "#9a5f00",
    BranchVerdict.FAIL: "#a3201d",
    BranchVerdict.CLOSE: "#5b4690",
    BranchVerdict.UNDECIDED: "#8a5a00",
    BranchVerdict.CHECK_PROBES: "#7c2f80",
}


def stroke_width(area_mm2: float | None) -> float:
    """Line width of a branch: its diameter, so that areas compare as on the bench [drawing units].

    area_mm2: cross-section of all its runs; None for a part that is no conductor

    >>> stroke_width(25.0), stroke_width(100.0)
    (7.0, 14.0)
    """
    return 6.0 if area_mm2 is None else round(min(1.4 * math.sqrt(area_mm2), 22.0), 1)


def _path(place: BranchPlace) -> str:
    return " ".join(f"{x:g},{y:g}" for x, y in place.points)


def _label(x: float, y: float, lines: list[str], colour: str, upwards: bool, words: float) -> str:
    start = y - 14 - 16 * words * (len(lines) - 1) if upwards else y + 10 + 16 * words
    return "".join(
        f'<text x="{x:g}" y="{start + 16 * words * k:g}" text-anchor="middle" font-size="{13 * words:g}" fill="{colour if k == 1 else "#23262b"}"'
        f' font-weight="{700 if k == 1 else 400}">{escape(line)}</text>'
        for k, line in enumerate(lines)
    )


def _named(x: float, y: float, lines: tuple[str, ...], width: float) -> str:
    """A source's name inside its symbol, as large as fits; B612 is about 0.55 of its size wide a letter."""
    size = min(14.0, width / (0.55 * max(len(line) for line in lines)))
    top = y + 5 - 8 * (len(lines) - 1)
    return "".join(
        f'<text x="{x:g}" y="{top + 16 * k:g}" text-anchor="middle" font-size="{size:.1f}">{escape(line)}</text>'
        for k, line in enumerate(lines)
    )


def draw_loop(circuit: Circuit, layout: LoopLayout, findings: Findings) -> str:
    """The loop with sizes, drops and verdicts.

    circuit, layout, findings: a circuit, where its parts are drawn, and what was found of it
    Returns an `<svg>` element; all text is escaped.
    """
    by_id: dict[str, BranchFinding] = {b.branch_id: b for b in findings.branches}
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {layout.width:g} {layout.height:g}" role="img" font-family="B612, DejaVu Sans" '
        'aria-label="The charging circuit as a loop">'
    ]
    alternator = next(s for s in layout.sources if s.kind == "alternator")
    middle = (alternator.start[1] + alternator.end[1]) / 2
    for place in layout.branches:
        branch, finding = circuit.branch(place.branch_id), by_id.get(place.branch_id)
        area = branch.conductor.area_mm2 * branch.parallel if isinstance(branch, ConductorBranch) else None
        colour = FEED if place.side == "feed" else RETURN
        dash = "" if isinstance(branch, ConductorBranch) else ' stroke-dasharray="3 5"'
        parts.append(
            f'<polyline points="{_path(place)}" fill="none" stroke="{colour}" stroke-width="{stroke_width(area):g}" '
            f'stroke-linejoin="round"{dash}/>'
        )
        if not place.named:
            continue
        lines = [branch.label]
        mark = "#23262b"
        if finding is None:
            lines.append("open")
        elif finding.measured_drop_v is not None:
            mark = COLOURS.get(finding.verdict, mark)
            lines.append(f"{finding.measured_drop_v * 1000:.0f} mV {VERDICT_WORDS[finding.verdict]}")
        else:
            lines.append(f"({abs(finding.predicted_drop_v) * 1000:.0f} mV)")
        lines.append(branch.in_words)
        parts.append(_label(*place.label_at, lines, mark, upwards=place.label_at[1] < middle, words=layout.words))
    for source in layout.sources:
        (x0, y0), (x1, y1) = source.start, source.end
        x, y = (x0 + x1) / 2, (y0 + y1) / 2
        parts.append(f'<line x1="{x0:g}" y1="{y0:g}" x2="{x1:g}" y2="{y1:g}" stroke="#23262b" stroke-width="2"/>')
        for lead in source.leads:
            at = " L".join(f"{px:g} {py:g}" for px, py in lead)
            parts.append(f'<path d="M{at}" fill="none" stroke="#23262b" stroke-width="1.2" stroke-dasharray="4 4"/>')
        # A converter lies along the feed side, everything else stands between feed and return.
        half_w, half_h = (48, 22) if source.kind in ("load", "converter", "charger") else (54, 36)
        shape = (
            f'<circle cx="{x:g}" cy="{y:g}" r="44" fill="#fbf8f2" stroke="#23262b" stroke-width="2"/>'
            if source.kind == "alternator"
            else f'<rect x="{x - half_w:g}" y="{y - half_h:g}" width="{2 * half_w}" height="{2 * half_h}" rx="6" fill="#fbf8f2" '
            'stroke="#23262b" stroke-width="2"/>'
        )
        parts.append(shape + _named(x, y, source.lines, 80 if source.kind == "alternator" else 2 * half_w - 10))
    parts += [f'<circle cx="{n.x:g}" cy="{n.y:g}" r="6" fill="#fbf8f2" stroke="#23262b" stroke-width="2"/>' for n in layout.nodes]
    parts.append("</svg>")
    return "".join(parts)
