"""The bench's work: sixty leads as cards and steps, their bill with cable cut from a dozen reels, their sheet and their labels; the workshop's week."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date, datetime, timedelta

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
from mavrik.core.scheduling.demand import JobWork, Piece
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.planner import lay_out
from mavrik.core.scheduling.view import Scene, propose
from mavrik.core.scheduling.workshop import Bay, TaskKind, Worker, usual_workshop
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


JOBS, BAYS = 40, 4


def forty_jobs() -> tuple[Scene, Scene]:
    """Forty jobs for four bays and five people, some waiting for parts; and the same with one part a week later."""
    means, random = usual_workshop(), np.random.default_rng(4)
    bays = tuple(Bay(id=f"bay_{k}", label=f"Bay {k}") for k in range(BAYS))
    people = tuple(Worker(id=f"p{k}", label=f"Person {k}") for k in range(BAYS + 1))
    means = means.model_copy(update={"bays": bays, "people": people})
    monday = datetime(2026, 11, 30, 8)

    def days(least: int, most: int) -> date:
        return monday.date() + timedelta(days=int(random.integers(least, most)))

    works = []
    for k in range(1, JOBS + 1):
        if random.random() < 0.4:
            pieces: tuple[Piece, ...] = (Piece(TaskKind.MEASURE, 90),)
        else:
            fit = Piece(TaskKind.FIT, float(random.integers(60, 600)), 2 if random.random() < 0.25 else 1)
            pieces = (Piece(TaskKind.MAKE, float(random.integers(15, 180))), fit)
        works.append(JobWork(k, f"26-{k:04}", "Van", pieces, days(0, 15), days(0, 6) if random.random() < 0.3 else None))
    late = (*works[:4], replace(works[4], parts_on=date(2026, 12, 8)), *works[5:])
    return Scene(tuple(works), means, monday), Scene(late, means, monday)


def schedule_figures() -> list[Figure]:
    """Wall time, for the search uses every processor; and by how much the layout weighs more than any can."""
    scene, late = forty_jobs()
    start = time.perf_counter()
    fresh = propose(Schedule(), scene)
    took = [(time.perf_counter() - start) * 1000]
    for _ in range(3):
        start = time.perf_counter()
        again = propose(fresh.schedule, late)
        took.append((time.perf_counter() - start) * 1000)
    hours, tasks = late.hours(), late.tasks(fresh.schedule)
    laid = lay_out(tasks, fresh.schedule.placed, late.workshop, hours, late.now)
    over = 100 * (laid.cost / laid.bound - 1)
    name = f"{JOBS} jobs in {BAYS} bays"
    return [
        Figure(
            "building", f"{name}: laid out anew when a part is late", "ms", float(np.median(took[1:])), float(max(took[1:])), 5000
        ),
        Figure("building", f"{name}: laid out from nothing", "ms", took[0], None, 5000),
        Figure("building", f"{name}: weighs more than any layout can, at most", "%", over, None, None),
        Figure("building", f"{name}: pieces of work that one late part moves", "", float(len(again.moved)), None, None),
    ]


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
    rows_made = [*schedule_figures()]
    for name, target, work in rows:
        took = []
        for _ in range(5):
            start = time.process_time()
            work()
            took.append((time.process_time() - start) * 1000)
        rows_made.append(Figure("building", name, "ms", float(np.median(took)), float(np.percentile(took, 95)), target))
    return rows_made
