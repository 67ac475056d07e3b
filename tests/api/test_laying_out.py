"""The work laid out by the queue, in a workshop with two jobs: a search for the best way ends by the clock, and with many jobs it is the
time of day that decides whether it is known to be the best by then."""

from __future__ import annotations

from functools import partial
from typing import Any

import pytest

from mavrik.core.scheduling.view import propose
from mavrik.jobs import scheduling
from tests.api.conftest import Caller, do_tasks
from tests.api.test_schedule import answered, app, blocks_of, database_url, kept, leads

__all__ = ["app", "database_url", "leads"]
"""Fixtures: a database of its own, and a job of which leads are to be made."""


def test_the_work_is_laid_out_by_the_queue_as_a_proposal(
    tech: Caller, other: Caller, leads: dict[str, Any], job: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(scheduling, "propose", partial(propose, search_s=60.0))
    now = answered(tech.get("/api/schedule"))
    task = answered(tech.post("/api/schedule/layouts", now["document"]), 201)
    assert tech.get(f"/api/schedule/layouts/{task['id']}").status_code == 404
    do_tasks(tech)
    made = answered(tech.get(f"/api/schedule/layouts/{task['id']}"))
    assert made["proven"]
    assert set(blocks_of(made["view"], leads)) == {"make", "fit"} and set(blocks_of(made["view"], job)) == {"measure"}
    assert made["view"]["conflicts"] == [] and made["view"]["waiting"] == []
    assert other.get(f"/api/schedule/layouts/{task['id']}").status_code == 404
    # Nothing is kept until somebody keeps it.
    assert not blocks_of(answered(tech.get("/api/schedule"))["view"], job)
    saved = kept(tech, made["schedule"])
    assert blocks_of(saved["view"], leads) == blocks_of(made["view"], leads)
    # Laid out once more nothing moves; a job that is done leaves, and nothing else is moved for it.
    again = answered(tech.post("/api/schedule/layouts", saved["document"]), 201)
    do_tasks(tech)
    assert answered(tech.get(f"/api/schedule/layouts/{again['id']}"))["moved"] == []
    kept(tech, now["document"])
