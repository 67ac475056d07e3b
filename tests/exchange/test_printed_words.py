"""What stands in the printed files, read back out of the PDFs by a library that had no part in making them."""

from __future__ import annotations

import io
import re
from datetime import UTC, datetime

import pytest
from pypdf import PdfReader

from mavrik.core.fabrication.plates import plates_of
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bench_sheet import render_bench_sheet
from mavrik.exchange.build_json import build_bundle
from mavrik.exchange.bundle import Bundle, read_bundle
from mavrik.exchange.lead_labels import COLUMNS, ROWS, labels_of, render_labels, render_plates
from mavrik.exchange.sheet import render_pdf
from tests.exchange.test_build_json import to_make

AT = datetime(2026, 3, 4, 9, 30, tzinfo=UTC)


@pytest.fixture(scope="module")
def bundle(tmp_path_factory: pytest.TempPathFactory) -> Bundle:
    return read_bundle(to_make(tmp_path_factory.mktemp("printed")).read_bytes())


def words_of(page: str) -> tuple[str, int]:
    """All that is printed, without the breaks of lines, and how many pages it has."""
    reader = PdfReader(io.BytesIO(render_pdf(page)))
    return plain(" ".join(p.extract_text() for p in reader.pages)), len(reader.pages)


def plain(text: str) -> str:
    # A break may stand wherever a line was too long, also behind a hyphen.
    return re.sub(r"\s+", "", text.replace("mm2", "mm²"))


def test_the_printed_sheet_says_what_the_core_says(bundle: Bundle) -> None:
    printed, _ = words_of(render_bench_sheet(bundle, "Fennick Yard", AT))
    made = build_bundle(bundle)
    assert made.view.cards and made.view.steps
    for card in (c for c in made.view.cards if not c.problem):
        assert plain(f"{card.label} · {card.size}") in printed
        assert (
            plain(f"{card.cut_mm:.0f} mm") in printed and plain(f"{card.finished_mm:.0f} ± {card.tolerance_mm:.0f} mm") in printed
        )
        for end in card.ends:
            assert plain(end.sleeve) in printed
    for step in made.view.steps:
        assert plain(step.text) in printed
    for line in made.bill.lines:
        assert plain(line.text) in printed
    for line in made.view.old.back:
        assert plain(line) in printed


def test_every_printed_label_says_where_its_end_goes(bundle: Bundle) -> None:
    printed, pages = words_of(render_labels(bundle, "Fennick Yard", AT, "http://bench.example/"))
    labels = labels_of(bundle)
    assert pages == -(-len(labels) // (ROWS * COLUMNS))
    for label in labels:
        assert plain(label.name) in printed and plain(f"at {label.at}") in printed and plain(f"from {label.other}") in printed
        assert plain(f"{label.size} · {label.fuse}" if label.fuse else label.size) in printed
    assert printed.count(plain(f"{bundle.job.number} · 2026-03-04 · Fennick Yard")) == len(labels)


def test_every_printed_plate_says_what_matters(bundle: Bundle) -> None:
    printed, _ = words_of(render_plates(bundle, "Fennick Yard", AT))
    circuit = bundle.latest(CircuitRole.AS_FOUND)
    assert circuit
    plates = plates_of(circuit.document, build_bundle(bundle).view.old)
    assert plates
    for plate in plates:
        assert plain(plate.title) in printed and all(plain(line) in printed for line in plate.lines)
