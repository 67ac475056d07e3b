"""A captured voltage as an SVG picture for print."""

from __future__ import annotations

from collections.abc import Sequence

WIDTH, HEIGHT, LEFT = 900.0, 150.0, 60.0


def draw_capture(least_v: Sequence[float | None], most_v: Sequence[float | None]) -> str:
    """Everything between the least and the most of each stretch, with the extremes as figures beside it.

    least_v, most_v: of even stretches [V]; None where nothing was captured
    Returns an `<svg>` element; it holds numbers only.

    >>> draw_capture([12.0, None, 9.5], [12.6, None, 10.0]).count("<line")
    2
    """
    seen = [v for v in (*least_v, *most_v) if v is not None]
    if not seen:
        return "<svg></svg>"
    low, high = min(seen), max(seen)
    span = max(high - low, 1e-3)
    step = (WIDTH - LEFT) / len(least_v)

    def y(volts: float) -> float:
        return 8 + (high - volts) / span * (HEIGHT - 16)

    lines = "".join(
        f'<line x1="{x:.1f}" x2="{x:.1f}" y1="{y(most) - 0.6:.1f}" y2="{y(least) + 0.6:.1f}" stroke="#9c4a1f" stroke-width="{max(step, 0.8):.2f}"/>'
        for k, (least, most) in enumerate(zip(least_v, most_v, strict=True))
        if least is not None and most is not None
        for x in (LEFT + (k + 0.5) * step,)
    )
    words = "".join(
        f'<text x="{LEFT - 8:g}" y="{at:.1f}" text-anchor="end" font-size="13" font-family="B612, DejaVu Sans">{volts:.2f} V</text>'
        for volts, at in ((high, 14.0), (low, HEIGHT - 4))
    )
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:g} {HEIGHT:g}" role="img" aria-label="Captured voltage">{lines}{words}</svg>'
