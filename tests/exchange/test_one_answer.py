"""One question has one answer: screen, paper and files are made from the same findings, on every ready layout."""

from __future__ import annotations

import html
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.pictures import draw
from mavrik.core.findings import VERDICT_WORDS, BranchVerdict, Findings, judge
from mavrik.core.measuring.readings import Run
from mavrik.exchange import findings_json, sheet
from mavrik.exchange.bundle import Bundle, read_bundle, write_bundle
from mavrik.exchange.findings_json import findings_of_bundle
from mavrik.exchange.loop_svg import draw_loop
from mavrik.exchange.sheet import render_sheet
from tests.build import drops_with
from tests.exchange.test_formats import as_bytes, bundle_document

NOW = datetime(2026, 3, 4, tzinfo=UTC)


def bundle_of(layout: Any, hidden_ohm: dict[str, float]) -> Bundle:
    circuit = layout.build(12)
    run = drops_with(circuit, round(0.8 * circuit.alternator.rated_a, 1), hidden_ohm, sides=True)
    document = bundle_document()
    document["circuits"][0]["document"] = circuit.model_dump(mode="json")
    document["runs"] = [{"circuit_id": 1, "run": run.model_dump(mode="json")}]
    return read_bundle(as_bytes(document))


@pytest.fixture
def questions(monkeypatch: pytest.MonkeyPatch) -> list[tuple[Any, Findings]]:
    """What views ask the one judgement, with its answers: a question that is equal to one before has its answer."""
    known_so_far: list[tuple[Any, Findings]] = []

    def once(circuit: Circuit, runs: Sequence[Run], *others: Any) -> Findings:
        question = circuit, tuple(runs), others
        if all(question != known for known, _ in known_so_far):
            known_so_far.append((question, judge(circuit, runs, *others)))
        return next(findings for known, findings in known_so_far if known == question)

    for view in (findings_json, sheet):
        monkeypatch.setattr(view, "judge", once)
    return known_so_far


@pytest.mark.long(but=12)
@pytest.mark.parametrize("fault", ["sound", "feed", "return"])
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_every_view_says_the_same(layout: Any, fault: str, questions: list[tuple[Any, Findings]]) -> None:
    ring = find_ring(layout.build(12))
    bad = {"sound": "", "feed": ring.feed[0], "return": ring.return_side[-1]}[fault]
    bundle = bundle_of(layout, {bad: 0.02} if bad else {})
    circuit = bundle.circuits[0].document
    # A file that went out and came in, the shell and the sheet ask one question.
    findings = findings_of_bundle(bundle).findings
    assert findings_of_bundle(read_bundle(write_bundle(bundle))).findings == findings
    assert findings.headline.text in html.unescape(render_sheet(bundle, "A Shop", NOW))
    (question, _), *others = questions
    assert not others and question[:2] == (circuit, tuple(r.run for r in bundle.runs))
    drawn = draw_loop(circuit, draw(circuit, findings).loop, findings)
    for b in findings.branches:
        if b.measured_drop_v is not None and b.on_ring:
            assert f"{b.measured_drop_v * 1000:.0f} mV {VERDICT_WORDS[b.verdict]}" in drawn, b.branch_id
    # Headline, verdict of the branch and likeliest cause are of one mind.
    wrong = {
        b.branch_id
        for b in findings.branches
        if b.verdict in (BranchVerdict.FAIL, BranchVerdict.EXCESS) and (b.probability or 0) > 0.5
    }
    assert wrong == ({bad} if bad else set()), [(b.branch_id, b.verdict, b.probability) for b in findings.branches]
    if bad:
        assert findings.headline.element == bad and findings.causes[0].cause == f"resistance:{bad}"
        assert findings.headline.verdict in (BranchVerdict.FAIL, BranchVerdict.EXCESS)
    else:
        assert findings.headline.verdict not in (BranchVerdict.EXCESS, BranchVerdict.CHECK_PROBES, BranchVerdict.UNDECIDED)
        assert not any(c.kind == "resistance" and c.probability > 0.3 for c in findings.causes)
