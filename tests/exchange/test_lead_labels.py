"""Labels of leads: what stands on them, and that a photo of one is read by a library that shares nothing with the one that drew it."""

from __future__ import annotations

import io
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
import segno
from PIL import Image, ImageFilter

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import all_leads
from mavrik.core.fabrication.cards import lead_cards
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.labels import lead_labels
from mavrik.exchange.bundle import read_bundle
from mavrik.exchange.lead_address import lead_address, lead_at
from mavrik.exchange.lead_labels import ROWS, label_svg, labels_of, read_label, render_labels, render_plates
from mavrik.exchange.photos import PhotoError
from tests.exchange.test_build_json import to_make

AT = datetime(2026, 3, 4, 9, 30, tzinfo=UTC)
ADDRESS = "http://bench.example:8642/lead/26-0003/charge_cable"


def photographed(text: str, turn: float = 0.0, blur: float = 0.0, noise: float = 0.0) -> bytes:
    """A code as a hand-held camera sees it: small in a larger picture, turned, out of focus, in bad light."""
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(out, kind="png", scale=5, border=4)
    code = Image.open(io.BytesIO(out.getvalue())).convert("L")
    picture = Image.new("L", (900, 700), 150)
    picture.paste(code, (330, 240))
    picture = picture.rotate(turn, fillcolor=150, resample=Image.Resampling.BICUBIC).filter(ImageFilter.GaussianBlur(blur))
    grains = np.random.default_rng(7).normal(0, noise, (700, 900))
    seen = Image.fromarray(np.clip(np.asarray(picture) * 0.7 + grains, 0, 255).astype(np.uint8))
    made = io.BytesIO()
    seen.convert("RGB").save(made, "JPEG", quality=70)
    return made.getvalue()


@pytest.mark.parametrize(("turn", "blur", "noise"), [(0, 0, 0), (17, 0.8, 6), (90, 1.2, 10), (200, 1, 14)])
def test_a_photo_of_a_label_is_read(turn: float, blur: float, noise: float) -> None:
    assert read_label(photographed(ADDRESS, turn, blur, noise)) == ("26-0003", "charge_cable")


def test_a_code_of_something_else_is_no_lead_and_no_photo_is_said() -> None:
    assert read_label(photographed("http://elsewhere.example/offer")) is None
    assert read_label(photographed("WIFI:T:WPA;S:yard;P:lead/1/x y;;")) is None
    with pytest.raises(PhotoError, match="no photo"):
        read_label(b"%PDF-1.7")


def test_the_address_is_found_again_whatever_the_number_is() -> None:
    for number in ("26-0003", "A/7 b", "äö%2F"):
        assert lead_at(lead_address("https://bench.example/shop/", number, "w1")) == (number, "w1")
        assert lead_at(lead_address("", number, "w1")) == (number, "w1")
    for other in ("lead/26-0003", "http://x/lead/26-0003/Charge", "javascript:alert(1)", "/lead/26-0003/w1/../../x"):
        assert lead_at(other) is None


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_each_end_of_each_run_has_a_label(layout: str) -> None:
    circuit = build_layout(layout, 12)
    cards = lead_cards(circuit, circuit, BuildBook(anew=all_leads(circuit)))
    labels = lead_labels(circuit, cards)
    for card in cards:
        own = [x for x in labels if x.branch_id == card.branch_id]
        assert len(own) == 2 * card.runs
        assert {x.at for x in own} == {x.other for x in own}


def test_plates_stand_on_the_same_sheets_and_typed_words_are_words(tmp_path: Path) -> None:
    bundle = read_bundle(to_make(tmp_path).read_bytes())
    page = render_plates(bundle, "A & B <yard>", AT)
    assert "A &amp; B &lt;yard&gt;" in page and "and no larger" in page and page.count("<section>") == 1
    bare = bundle.model_copy(update={"circuits": ()})
    with pytest.raises(ValueError, match="not described yet"):
        render_plates(bare, "Fennick Yard", AT)


def test_sheets_hold_what_fits_and_every_label_says_where_it_goes(tmp_path: Path) -> None:
    bundle = read_bundle(to_make(tmp_path).read_bytes())
    labels = labels_of(bundle)
    page = render_labels(bundle, "Fennick Yard", AT, "http://bench.example/")
    assert page.count("<section>") == -(-len(labels) // (3 * ROWS)) and page.count('class="code"') == len(labels)
    one = label_svg(bundle, labels[0].branch_id, "A & B <yard>", AT, "")
    assert "A &amp; B &lt;yard&gt;" in one and labels[0].at in one
    with pytest.raises(KeyError):
        label_svg(bundle, "no_such", "Fennick Yard", AT, "")
