"""The job sheet for the customer and the file: HTML, and PDF by WeasyPrint."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup

from mavrik.core.assessment.documents import VERDICT_WORDS
from mavrik.core.bench_report import BenchReport, bench_report
from mavrik.core.cautions import cautions_for
from mavrik.core.circuit import Circuit
from mavrik.core.judged import Comparison, Judged, compare, judge
from mavrik.core.limits import limit_table
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.network import NoOperatingPointError
from mavrik.core.procedures import Limits, Unit
from mavrik.core.uncertainty import expanded_uncertainty
from mavrik.exchange.bundle import Bundle, CircuitRole
from mavrik.exchange.capture_svg import draw_capture
from mavrik.exchange.loop_svg import draw_loop

ASSETS = Path(__file__).parent / "sheet_assets"

VERDICT_SIGNS = {"pass": "✓", "excess": "▲", "fail": "✕", "too_close_to_call": "≈", "check_probes": "⇄", "not_measured": "–"}

QUANTITY_WORDS = {
    Quantity.STUD_VOLTAGE: "Stud to case",
    Quantity.BATTERY_VOLTAGE: "Across the battery",
    Quantity.FEED_DROP: "Whole feed side",
    Quantity.RETURN_DROP: "Whole return side",
    Quantity.BRANCH_DROP: "Drop",
    Quantity.BRANCH_CURRENT: "Current",
}

_environment = Environment(
    loader=FileSystemLoader(ASSETS),
    autoescape=select_autoescape(default=True, default_for_string=True),
    undefined=StrictUndefined,
)


def _mv(volts: float | None) -> str:
    return "–" if volts is None else f"{volts * 1000:.0f}"


def _reading_rows(test: DropTest, labels: dict[str, str], nodes: dict[str, str]) -> list[dict[str, Any]]:
    rows = []
    for reading in test.readings:
        amps = reading.quantity is Quantity.BRANCH_CURRENT
        meter = test.clamp if amps else test.voltmeter
        drop = reading.quantity in (Quantity.BRANCH_DROP, Quantity.FEED_DROP, Quantity.RETURN_DROP)
        scale, unit, places = (1000, "mV", 0) if drop else (1, "A" if amps else "V", 1 if amps else 2)
        rows.append(
            {
                "what": QUANTITY_WORDS[reading.quantity]
                + (f", {labels.get(reading.branch_id, reading.branch_id)}" if reading.branch_id else ""),
                "probes": " → ".join(nodes.get(n or "", "–") for n in (reading.red_node, reading.black_node)),
                "value": f"{reading.value * scale:.{places}f} {unit}",
                "uncertainty": f"± {expanded_uncertainty(reading.value, meter.spec) * scale:.{1 if drop else 2}f}",
                "meter": meter.label,
            }
        )
    return rows


def _shown(value: float, unit: str) -> str:
    if unit == Unit.YES_NO:
        return "yes" if value > 0.5 else "no"
    return f"{value:.{0 if unit == Unit.AMPERE and abs(value) >= 10 else 2}f} {unit}"


def _bench(bundle: Bundle, circuit: Circuit, ids: set[int], test: DropTest | None) -> BenchReport | None:
    """The bench tests of the circuit as found; without an answer where it has no operating point."""
    try:
        return bench_report(
            circuit,
            [r.run for r in bundle.runs if r.circuit_id in ids],
            test,
            Limits(bundle.job.limit_profile, bundle.job.maker_limits),
        )
    except NoOperatingPointError:
        return None


def render_sheet(bundle: Bundle, workshop: str, printed_at: datetime, nonce: str = "", asset_root: str = "") -> str:
    """The sheet of a job as a whole HTML page.

    bundle: the job
    workshop: name at the head
    printed_at: date and time at the foot
    nonce: for the page's own style under a strict content security policy
    asset_root: where the fonts are served from
    Raises ValueError for a job whose circuit is not described.
    """
    found = bundle.latest(CircuitRole.AS_FOUND)
    if found is None:
        raise ValueError("The circuit is not described yet: there is nothing to print.")
    ids = {c.id for c in bundle.circuits if c.role is CircuitRole.AS_FOUND}
    tests = [t.test for t in bundle.tests if t.circuit_id in ids]
    test = tests[-1] if tests else None
    profile = bundle.job.limit_profile
    judged: Judged = judge(found.document, test, profile)
    proposed = bundle.latest(CircuitRole.PROPOSAL)
    comparison: Comparison | None = None
    if proposed is not None and proposed.proposal is not None:
        comparison = compare(found.document, proposed.document, proposed.proposal.target.limit_profile)
    labels = {b.id: b.label for b in found.document.branches}
    nodes = {n.id: n.label for n in found.document.nodes}
    steps = ("job", "circuit", "measure", "propose", "build", "sheet")
    cautions = {c.id: c.text for step in steps for c in cautions_for(step)}
    return _environment.get_template("sheet.html.j2").render(
        bundle=bundle,
        workshop=workshop,
        printed_at=printed_at,
        nonce=nonce,
        asset_root=asset_root,
        judged=judged,
        captures=[(c, Markup(draw_capture(c.least_v, c.most_v))) for c in bundle.captures],  # noqa: S704
        bench=_bench(bundle, found.document, ids, test),
        shown=_shown,
        test=test,
        readings=_reading_rows(test, labels, nodes) if test else [],
        # The drawing is made by draw_loop, which escapes every word that a person typed.
        loop=Markup(draw_loop(found.document, judged)),  # noqa: S704
        comparison=comparison,
        after_loop=Markup(draw_loop(proposed.document, comparison.after)) if proposed and comparison else None,  # noqa: S704
        proposal=proposed.proposal if proposed else None,
        profile=limit_table().profiles[profile],
        cautions=list(cautions.values()),
        verdicts={name.value: f"{VERDICT_SIGNS[name]} {word}" for name, word in VERDICT_WORDS.items()},
        mv=_mv,
    )


def render_pdf(html: str) -> bytes:
    """A sheet as PDF.

    html: a page from `render_sheet`
    Nothing but this program's own assets is fetched, whatever the page says.
    """
    from weasyprint import HTML  # it loads slowly, and only a print needs it
    from weasyprint.urls import URLFetcher

    class OwnAssets(URLFetcher):  # type: ignore[misc]
        """Serves the sheet's fonts and refuses everything else."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> Any:
            if url not in {path.as_uri() for path in ASSETS.glob("*.woff2")}:
                raise ValueError(f"not an asset of the sheet: {url}")
            return super().fetch(url, headers)

    made: bytes = HTML(string=html, base_url=ASSETS.as_uri() + "/", url_fetcher=OwnAssets()).write_pdf()
    return made
