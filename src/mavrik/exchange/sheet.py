"""The job sheet for the customer and the file: HTML, and PDF by WeasyPrint."""

from __future__ import annotations

import threading
from base64 import b64encode
from collections.abc import Iterable
from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal
from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined, Template, select_autoescape
from markupsafe import Markup

from mavrik.core.drawing.pictures import draw
from mavrik.core.findings import VERDICT_WORDS, BranchFinding, Findings, judge
from mavrik.core.findings.headline import shown
from mavrik.core.isolation.proof import Proof, proof
from mavrik.core.isolation.verdict import IsolationVerdict, verdict
from mavrik.core.measuring.limits import limit_table
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Reading
from mavrik.core.planning.comparison import Comparison, compare
from mavrik.core.planning.drive import drive_in
from mavrik.core.planning.fitting import fit_points
from mavrik.core.planning.outlook import outlook_or_none
from mavrik.core.procedures import Limits
from mavrik.core.procedures.bench.disconnect import DISCONNECT
from mavrik.core.procedures.records import latest_of
from mavrik.core.workflow.cautions import cautions_for
from mavrik.domain.job import CircuitRole
from mavrik.exchange.build_json import work_done
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.capture_svg import draw_capture
from mavrik.exchange.loop_svg import draw_loop

ASSETS = Path(__file__).parent / "sheet_assets"

VERDICT_SIGNS = {
    "pass": "✓", "excess": "▲", "fail": "✕", "undecided": "?", "too_close_to_call": "≈", "check_probes": "⇄", "not_measured": "–",
}  # fmt: skip

_environment = Environment(
    loader=FileSystemLoader(ASSETS),
    autoescape=select_autoescape(default=True, default_for_string=True),
    undefined=StrictUndefined,
    auto_reload=False,
)


def _css_string(text: str) -> str:
    """Text for between the quotes of a style sheet: whatever could end the string there is written by its number."""
    return "".join(c if c.isascii() and (c.isalnum() or c in " -_.") else f"\\{ord(c):06x}" for c in text)


def _written(text: str) -> str:
    """Units in a text of the core as a page writes them."""
    return text.replace("mm2", "mm²").replace("degC", "°C")


_environment.filters["css_string"] = _css_string
_environment.filters["written"] = _written


@cache
def _pages() -> dict[str, Template]:
    """All pages, read at once: a program that is replaced while it runs must not put its next template beside its old code."""
    return {path.name: _environment.get_template(path.name) for path in ASSETS.glob("*.j2")}


def page_of(name: str) -> Template:
    """A page of `sheet_assets`, by its file's name."""
    return _pages()[name]


def _mv(volts: float | None) -> str:
    return "–" if volts is None else f"{volts * 1000:.0f}"


def _value(reading: Reading) -> str:
    """A reading as it was shown, whatever this program would show today."""
    of = QUANTITIES.get(reading.quantity)
    if of is not None and of.yes_or_no:
        return "yes" if reading.value > 0.5 else "no"
    value = reading.shown if reading.shown is not None else reading.value
    digits = of.digits if of is not None else 2
    return f"{value:.{digits}f} {reading.shown_unit or reading.unit}"


def _whole(value: float) -> str:
    """A number without decimals; a half goes up, as on the screens."""
    rounded = Decimal(value).quantize(Decimal(1), ROUND_HALF_UP)
    return str(rounded if rounded else abs(rounded))


def _doubt(reading: Reading) -> str:
    of = QUANTITIES.get(reading.quantity)
    if not reading.uncertainty or of is None:
        return ""
    return f"± {of.shown(reading.uncertainty):.2g}"


def render_sheet(
    bundle: Bundle, workshop: str, printed_at: datetime, nonce: str = "", asset_root: str = "", findings: Findings | None = None
) -> str:
    """The sheet of a job as a whole HTML page.

    bundle: the job
    workshop: name at the head
    printed_at: date and time at the foot
    nonce: for the page's own style under a strict content security policy
    asset_root: where the fonts are served from
    findings: of the job, where they are known; left out, it is judged
    Raises ValueError for a job whose circuit is not described.
    """
    as_found = bundle.latest(CircuitRole.AS_FOUND)
    if as_found is None:
        raise ValueError("The circuit is not described yet: there is nothing to print.")
    runs, superseded = bundle.runs_on(CircuitRole.AS_FOUND)
    profile = bundle.job.limit_profile
    if findings is None:
        findings = judge(as_found.document, runs, Limits(profile, bundle.job.maker_limits), bundle.wants, superseded)
    pictures = draw(as_found.document, findings)
    proposed = bundle.latest(CircuitRole.PROPOSAL)
    comparison: Comparison | None = None
    plan = bundle.plan_of(proposed.id) if proposed is not None else None
    if proposed is not None and plan is not None:
        comparison = compare(as_found.document, proposed.document, plan.target.limit_profile)
    drive, use, fit = bundle.drive(), bundle.use(), bundle.fit()
    disconnect = disconnect_of(bundle)
    after_loop = None
    if proposed is not None and comparison is not None:
        after_loop = Markup(draw_loop(proposed.document, comparison.pictures_after.loop, comparison.after))  # noqa: S704
    steps = (
        "job",
        "circuit",
        "measure",
        "plan",
        *(("drive",) if drive is not None else ()),
        *(("isolate",) if disconnect is not None else ()),
        "build",
        "hand_over",
    )
    cautions = {c.id: c.text for step in steps for c in cautions_for(step)}
    return page_of("sheet.html.j2").render(
        bundle=bundle,
        workshop=workshop,
        printed_at=printed_at,
        nonce=nonce,
        asset_root=asset_root,
        findings=findings,
        drops=next((t for t in findings.tests if t.procedure == "charging_drops"), None),
        last_run=runs[-1] if runs else None,
        rules=_rules(findings),
        in_branches=(folded := _in_branches(findings)),
        probes={
            r.element: f"{r.red.label} → {r.black.label}"
            for t in findings.tests
            for r in t.readings
            if r.point in folded and r.red and r.black
        },
        same_step=_same_step,
        work=work_done(bundle),
        captures=[(c, Markup(draw_capture(c.least_v, c.most_v))) for c in bundle.captures],  # noqa: S704
        shown=shown,
        value=_value,
        doubt=_doubt,
        # The drawing is made by draw_loop, which escapes every word that a person typed.
        loop=Markup(draw_loop(as_found.document, pictures.loop, findings)),  # noqa: S704
        comparison=comparison,
        after_loop=after_loop,
        plan=plan,
        use=outlook_or_none(
            as_found.document, proposed.document if proposed is not None else None, drive, use, plan.accepted if plan else None
        )
        if use is not None
        else None,
        disconnect=disconnect,
        disconnect_proof=proof_of(bundle),
        fit=fit,
        fit_points={p.name: p for p in fit_points()},
        photos={p.key: PICTURE + b64encode(p.jpeg).decode() for p in bundle.photos},
        days=bundle.simulation(),
        drive=drive,
        drive_view=drive_in(as_found.document, drive, proposed.document if proposed is not None else None)
        if drive is not None
        else None,
        profile=limit_table().profiles[profile],
        cautions=list(cautions.values()),
        verdicts={name.value: f"{VERDICT_SIGNS[name]} {word}" for name, word in VERDICT_WORDS.items()},
        mv=_mv,
        whole=_whole,
    )


def _rules(findings: Findings) -> list[tuple[str, str]]:
    """The limits that readings were judged by with their sources, each once, in the order of the readings."""
    return list(dict.fromkeys((j.limit, j.source) for t in findings.tests for j in t.judgements))


def _in_branches(findings: Findings) -> set[str]:
    """Points of readings of which the table of branches says all: what was read, the limit, the verdict. A repeated one has more to say."""
    in_branches = {(b.label, b.reason, b.measured_drop_v) for b in findings.branches}
    judged = {j.point for t in findings.tests for j in t.judgements if (j.label, j.why, j.value) in in_branches}
    return judged - {r.point for t in findings.tests for r in t.repeats}


def _same_step(branches: Iterable[BranchFinding]) -> list[tuple[str, list[BranchFinding]]]:
    """Branches of which the same is to be done next, together: what is to be done is written once."""
    of: dict[str, list[BranchFinding]] = {}
    for branch in branches:
        of.setdefault(branch.next_step, []).append(branch)
    return list(of.items())


def render_label(bundle: Bundle, workshop: str, printed_at: datetime) -> str:
    """What a disconnect does and does not do, to stand beside its controls: a whole HTML page of the size of a postcard.

    bundle: the job; workshop, printed_at: at the foot
    Raises ValueError for a job in which no disconnect was decided on.
    """
    kept, disconnect = bundle.isolation(), disconnect_of(bundle)
    if kept is None or disconnect is None:
        raise ValueError("No disconnect was decided on yet: there is nothing to say on a label.")
    return page_of("label.html.j2").render(
        number=bundle.job.number, vehicle=bundle.vehicle.description, controls=[c.label for c in kept[1].switching.controls],
        owner=disconnect.owner, proof=proof_of(bundle), workshop=workshop, printed_at=printed_at, nonce="", asset_root="",
    )  # fmt: skip


def proof_of(bundle: Bundle) -> Proof | None:
    """How far the disconnect that was decided on is proven on the vehicle; None where none was.

    bundle: the job
    """
    kept = bundle.isolation()
    if kept is None:
        return None
    read, _ = latest_of(DISCONNECT, kept[0], bundle.runs_for_isolation())
    return proof(kept[0], kept[1].switching, read)


def disconnect_of(bundle: Bundle) -> IsolationVerdict | None:
    """What the disconnect that was decided on does and does not do; None where none was.

    bundle: the job
    """
    kept = bundle.isolation()
    return verdict(kept[0], kept[1].switching, kept[1].purpose, kept[1].profile) if kept is not None else None


PICTURE = "data:image/jpeg;base64,"


def load_printer() -> None:
    """Have the pages and what `render_pdf` loads at hand: the command line, which seldom prints, does without."""
    import weasyprint  # noqa: F401

    _pages()


def render_pdf(html: str) -> bytes:
    """A sheet as PDF.

    html: a page from `render_sheet`
    Nothing but this program's own assets is fetched, whatever the page says.
    """
    from weasyprint import HTML  # it loads slowly, and only a print needs it
    from weasyprint.urls import URLFetcher

    class OwnAssets(URLFetcher):  # type: ignore[misc]
        """Serves the sheet's fonts and the photos in it, and refuses everything else."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> Any:
            if url.startswith(PICTURE):
                return super().fetch(url, headers)
            if url not in {path.as_uri() for path in ASSETS.glob("*.woff2")}:
                raise ValueError(f"not an asset of the sheet: {url}")
            return super().fetch(url, headers)

    made: bytes = HTML(string=html, base_url=ASSETS.as_uri() + "/", url_fetcher=OwnAssets()).write_pdf(font_config=_fonts())
    return made


_of_thread = threading.local()


def _fonts() -> Any:
    """The printer's fonts, set up once a thread: of a set-up of its own each print leaves a quarter of a megabyte in the process."""
    from weasyprint.text.fonts import FontConfiguration

    if not hasattr(_of_thread, "fonts"):
        _of_thread.fonts = FontConfiguration()
    return _of_thread.fonts
