"""Labels of leads: printed on ordinary label sheets, drawn one by one, and read back from a photo."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import datetime

import segno
import zxingcpp
from markupsafe import Markup

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit
from mavrik.core.fabrication.bench import BuildView, build_view, first_book
from mavrik.core.fabrication.labels import LeadLabel, lead_labels
from mavrik.core.fabrication.plates import plates_of
from mavrik.core.workflow.purposes import Purpose
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.lead_address import lead_address, lead_at
from mavrik.exchange.photos import opened_picture
from mavrik.exchange.sheet import page_of

ROWS, COLUMNS = 8, 3
"""Of an A4 sheet with labels of 70 x 37 mm, one of the sizes that every stationer has."""
MOST_SIDE = 2400
"""A code is found in a photo of that size or not at all."""


@dataclass(frozen=True)
class _Printed:
    """A label with its code."""

    label: LeadLabel
    code: Markup


def labels_of(bundle: Bundle) -> tuple[LeadLabel, ...]:
    """The labels of the leads that a job makes.

    bundle: the job
    Raises ValueError where there is no circuit, or nothing is made.
    """
    work = _work(bundle)
    made = lead_labels(work.planned, work.view.cards)
    if not made:
        raise ValueError("No lead is made: there is nothing to label.")
    return made


@dataclass(frozen=True)
class _Work:
    """The circuit that the labels are of, and how it is built."""

    planned: Circuit
    view: BuildView


def _work(bundle: Bundle) -> _Work:
    as_found, planned = bundle.latest(CircuitRole.AS_FOUND), bundle.latest(CircuitRole.PROPOSAL)
    if as_found is None:
        raise ValueError("The circuit is not described yet: there is nothing to label.")
    to: Circuit = (planned or as_found).document
    book = bundle.build() or first_book(as_found.document, planned is None and Purpose.MAKE_LEADS in bundle.job.purposes)
    return _Work(to, build_view(as_found.document, to, book, usual_prices()))


def _code(bundle: Bundle, label: LeadLabel, address: str) -> Markup:
    """As SVG without a size of its own."""
    made = segno.make(lead_address(address, bundle.job.number, label.branch_id), error="m", micro=False)
    out = io.BytesIO()
    made.save(out, kind="svg", xmldecl=False, svgns=True, omitsize=True, border=2, dark="#000", light="#fff", nl=False)
    return Markup(out.getvalue().decode())  # noqa: S704 made by the library of nothing but modules


def render_labels(bundle: Bundle, workshop: str, printed_at: datetime, address: str) -> str:
    """Sheets of labels as a whole HTML page, three across and eight down.

    bundle: the job; workshop, printed_at: on every label; address: where the workshop's server is reached
    Raises ValueError as `labels_of`.
    """
    made = [_Printed(x, _code(bundle, x, address)) for x in labels_of(bundle)]
    sheets = [made[k : k + ROWS * COLUMNS] for k in range(0, len(made), ROWS * COLUMNS)]
    return page_of("lead_labels.html.j2").render(bundle=bundle, sheets=sheets, workshop=workshop, printed_at=printed_at)


def render_plates(bundle: Bundle, workshop: str, printed_at: datetime) -> str:
    """Plates for switches, fuses and spares on the same sheets, as a whole HTML page.

    bundle: the job; workshop, printed_at: on every one
    Raises ValueError where there is no circuit, or nothing that wants a plate.
    """
    work = _work(bundle)
    made = plates_of(work.planned, work.view.old)
    if not made:
        raise ValueError("There is no switch and no fuse: nothing wants a plate.")
    sheets = [made[k : k + ROWS * COLUMNS] for k in range(0, len(made), ROWS * COLUMNS)]
    return page_of("plates.html.j2").render(bundle=bundle, sheets=sheets, workshop=workshop, printed_at=printed_at)


def label_svg(bundle: Bundle, branch_id: str, workshop: str, printed_at: datetime, address: str) -> str:
    """The label of the first end of one lead as SVG, 70 x 37 mm.

    Raises ValueError as `labels_of`, KeyError for a lead that is not made.
    """
    label = next((x for x in labels_of(bundle) if x.branch_id == branch_id), None)
    if label is None:
        raise KeyError(branch_id)
    page = page_of("lead_label.svg.j2")
    return page.render(bundle=bundle, label=label, code=_code(bundle, label, address), workshop=workshop, printed_at=printed_at)


def read_label(photo: bytes) -> tuple[str, str] | None:
    """The job's number and the lead that a photographed label names; None where no code of ours is seen.

    photo: JPEG, PNG or WebP
    Raises PhotoError for what is no photo.
    """
    picture = opened_picture(photo, MOST_SIDE)
    for barcode in zxingcpp.read_barcodes(picture, formats=zxingcpp.BarcodeFormats(zxingcpp.BarcodeFormat.QRCode)):
        if (lead := lead_at(barcode.text)) is not None:
            return lead
    return None
