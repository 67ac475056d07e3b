"""The sheet for the bench: every lead and step on it, its pictures to scale, and nothing typed becomes markup."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path

import pytest

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import all_leads
from mavrik.core.fabrication.cards import LeadCard, lead_cards
from mavrik.core.fabrication.documents import BuildBook, Tick
from mavrik.core.fabrication.drawing import SCALES, lead_drawing
from mavrik.domain.job import DocumentKind
from mavrik.exchange.bench_sheet import ROOM_MM, render_bench_sheet
from mavrik.exchange.build_json import build_bundle
from mavrik.exchange.bundle import BundleDocument, read_bundle
from mavrik.exchange.lead_svg import COPPER, RUBBER, draw_end, draw_lead
from mavrik.exchange.sheet import render_pdf, render_sheet
from tests.exchange.test_build_json import EXAMPLE, to_make

AT = datetime(2026, 3, 4, 9, 30, tzinfo=UTC)
SVG = "{http://www.w3.org/2000/svg}"


def cards_of(layout: str) -> list[LeadCard]:
    circuit = build_layout(layout, 12)
    return [c for c in lead_cards(circuit, circuit, BuildBook(anew=all_leads(circuit))) if not c.problem]


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_a_drawing_is_as_long_as_the_lead_and_what_is_on_it_lies_in_order(layout: str) -> None:
    for card in cards_of(layout):
        drawn = lead_drawing(card, ROOM_MM)
        assert drawn.finished_mm / drawn.scale <= ROOM_MM
        smaller = [n for n in SCALES if n < drawn.scale]
        assert not smaller or drawn.finished_mm / smaller[-1] > ROOM_MM
        first, second = card.ends
        # Palm to palm, less what each lug and its strip take, is what is insulated; and the cut is what lies between the lugs.
        assert card.finished_mm - first.reach_mm - second.reach_mm == pytest.approx(card.cut_mm)
        assert drawn.insulation.to_mm - drawn.insulation.from_mm == pytest.approx(card.cut_mm - first.strip_mm - second.strip_mm)
        for end in drawn.ends:
            spans = {s.what: s for s in end.spans}
            assert spans["barrel"].from_mm == spans["bare"].from_mm == spans["sleeve"].from_mm
            assert spans["bare"].to_mm < spans["sleeve"].to_mm, "the sleeve reaches onto the insulation"
        # From the left: no label lies on a sleeve or on the other label.
        lies = [(s.from_mm, s.to_mm) for s in drawn.ends[0].spans if s.what in ("sleeve", "label")]
        lies += [(drawn.finished_mm - s.to_mm, drawn.finished_mm - s.from_mm) for s in drawn.ends[1].spans if s.what == "label"]
        lies.sort()
        assert all(a[1] < b[0] + 1e-9 for a, b in pairwise(lies))


def test_a_millimetre_of_the_picture_is_one_on_paper() -> None:
    """Read back from the SVG, which knows nothing of the card."""
    card = cards_of("front_battery")[0]
    drawn = lead_drawing(card, ROOM_MM)
    whole = ET.fromstring(draw_lead(card, drawn))
    assert whole.get("width") == f"{whole.get('viewBox', '').split()[2]}mm"
    rubber = next(r for r in whole.iter(f"{SVG}rect") if r.get("fill") == RUBBER)
    assert float(rubber.get("width", 0)) * drawn.scale == pytest.approx(
        drawn.insulation.to_mm - drawn.insulation.from_mm, abs=0.01 * drawn.scale
    )
    end = ET.fromstring(draw_end(card, card.ends[0], drawn.ends[0]))
    hole = next(end.iter(f"{SVG}circle"))
    assert 2 * float(hole.get("r", 0)) == pytest.approx(card.ends[0].hole_mm, abs=0.02)
    barrel = [r for r in end.iter(f"{SVG}rect") if r.get("fill") == COPPER and r.get("stroke") and not r.get("rx")]
    assert [float(r.get("width", 0)) for r in barrel] == [pytest.approx(card.ends[0].barrel_mm, abs=0.01)]
    assert float(barrel[0].get("x", 0)) - float(hole.get("cx", 0)) == pytest.approx(card.ends[0].reach_mm, abs=0.02)


def test_the_sheet_has_every_lead_every_cut_every_part_and_every_step(tmp_path: Path) -> None:
    bundle = read_bundle(to_make(tmp_path, 'Lead <1> & "co"').read_bytes())
    page, made = render_bench_sheet(bundle, "Fennick <Yard>", AT), build_bundle(bundle)
    assert "<1>" not in page and "Lead &lt;1&gt; &amp;" in page and "Fennick &lt;Yard&gt;" in page
    assert page.count("<article>") == len(made.view.cards)
    sound = [c for c in made.view.cards if not c.problem]
    assert page.count("<svg") == 3 * len(sound)
    assert len(re.findall(r'class="box"', page)) == len(made.view.steps) + len(made.bill.lines)
    for c in sound:
        assert f"{c.cut_mm:.0f} mm" in page
    assert "Nothing on, engine stopped." in page
    assert render_pdf(page).startswith(b"%PDF")


def test_a_plan_that_changes_nothing_has_no_sheet(tmp_path: Path) -> None:
    document = json.loads(EXAMPLE.read_text())
    document["job"]["purposes"] = ["find_fault"]
    document["circuits"] = [c for c in document["circuits"] if c["role"] == "as_found"]
    document["documents"] = []
    with pytest.raises(ValueError, match="Nothing is to be made"):
        render_bench_sheet(read_bundle(json.dumps(document).encode()), "Fennick Yard", AT)


def test_the_customers_sheet_says_what_was_done_and_by_whom(tmp_path: Path) -> None:
    begun = read_bundle(to_make(tmp_path).read_bytes())
    assert "What was done" not in render_sheet(begun, "Shop", AT)
    made = build_bundle(begun)
    order = [s.id for s in made.view.steps]
    so_far = order[: order.index(next(i for i in order if i.startswith("fit:"))) + 1]
    book = made.book.model_copy(update={"ticks": tuple(Tick(step=i, by="Ada Nib", at=AT) for i in so_far)})
    kept = BundleDocument(kind=DocumentKind.BUILD, document=book)
    page = render_sheet(begun.model_copy(update={"documents": (kept,)}), "Shop", AT)
    done = page[page.index("What was done") :]
    done = done[: done.index("</table>")]
    assert f"{len(order) - len(so_far)} of {len(order)} steps to do" in done
    # What was made, taken out and put in; not every clamp that came off for it.
    shown = [i for i in so_far if i.split(":")[0] in ("make", "remove", "fit", "stud")]
    assert done.count("Ada Nib") == len(shown) and done.count("2026-03-04 09:30") == len(shown)
    assert "mm2" not in done and "clamp off" not in done
