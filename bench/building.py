"""The bench's work: sixty leads as cards and steps, their bill with cable cut from a dozen reels, their sheet and their labels."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from bench.report import Figure
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.fabrication.bench import Shop, all_leads, build_bill, build_view
from mavrik.core.fabrication.bill import Length, OnHand
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.drawing import lead_drawing
from mavrik.core.fabrication.labels import lead_labels
from mavrik.core.fabrication.stock import PartKind, usual_stock
from mavrik.exchange.lead_svg import draw_end, draw_lead

LEADS = 60


def sixty_leads() -> Circuit:
    """A house bank with loads on leads of their own until there are sixty leads, of four sizes."""
    circuit = build_layout("house_bank_end", 12)
    while len(all_leads(circuit)) < LEADS:
        circuit = add_to(circuit, "load_on_a_lead")
    sizes = ("10 mm2", "16 mm2", "25 mm2", "35 mm2")
    branches = tuple(
        b.model_copy(update={"size": sizes[k % len(sizes)], "length_m": 0.4 + 0.13 * (k % 17)})
        if isinstance(b, ConductorBranch)
        else b
        for k, b in enumerate(circuit.branches)
    )
    return circuit.model_copy(update={"branches": branches})


def shelves() -> Shop:
    """Twelve reels and offcuts of each cable, plenty of all else."""
    stock, random = usual_stock(), np.random.default_rng(4)
    reels = {
        i.number: tuple(Length(piece=str(k), mm=float(mm)) for k, mm in enumerate(random.integers(400, 9000, 12)))
        for i in stock.items
        if i.kind is PartKind.CABLE
    }
    there = {i.number: 10_000.0 for i in stock.items if i.kind is not PartKind.CABLE}
    return Shop(usual_prices(), usual_units(), stock, OnHand(quantity=there, reels=reels))


def figures() -> list[Figure]:
    """Medians, processor time of one thread."""
    circuit, shop = sixty_leads(), shelves()
    book = BuildBook(anew=all_leads(circuit))
    cards = build_view(circuit, circuit, book, shop.prices).cards
    sound = [c for c in cards if not c.problem]
    assert len(sound) >= LEADS

    def pictures() -> None:
        for card in sound:
            drawn = lead_drawing(card, 150)
            draw_lead(card, drawn)
            for end, its in zip(card.ends, drawn.ends, strict=True):
                draw_end(card, end, its)

    rows: tuple[tuple[str, float | None, Callable[[], object]], ...] = (
        (f"{LEADS} leads: cards, cable and steps", 2000, lambda: build_view(circuit, circuit, book, shop.prices)),
        (f"{LEADS} leads: their bill, cut from 48 reels", 2000, lambda: build_bill(circuit, circuit, book, shop)),
        (f"{LEADS} leads: their labels, without printing", 2000, lambda: lead_labels(circuit, cards)),
        (f"{LEADS} leads: drawn to scale", 2000, pictures),
    )
    found = []
    for name, wanted, work in rows:
        took = []
        for _ in range(5):
            start = time.process_time()
            work()
            took.append((time.process_time() - start) * 1000)
        found.append(Figure("building", name, "ms", float(np.median(took)), float(np.percentile(took, 95)), wanted))
    return found
