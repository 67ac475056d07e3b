"""A thousand random proposals over all layouts: how many hold together, how many are refused with a reason, how long they take."""

from __future__ import annotations

import os
import time
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from tests.reference.proposals import draw_request, wrong

from bench.report import Figure

FIRST, COUNT = 10_000, 1000


def _one(seed: int) -> tuple[int, bool, float]:
    """How much does not hold of the proposal, whether one was refused, and how long the asking took [ms]."""
    question = draw_request(seed)
    start = time.process_time()
    problems, refused = wrong(question)
    return len(problems), bool(refused), (time.process_time() - start) * 1000


def figures() -> list[Figure]:
    """Every proposal with all its checks, before and after."""
    with ProcessPoolExecutor(len(os.sched_getaffinity(0))) as pool:
        rows = list(pool.map(_one, range(FIRST, FIRST + COUNT), chunksize=10))
    took = np.array([ms for _, _, ms in rows])
    return [
        Figure("proposals", f"of {COUNT} random ones: with a check that does not hold", "", float(sum(n > 0 for n, _, _ in rows)), None, 1),
        Figure("proposals", f"of {COUNT} random ones: refused, with the reason", "", float(sum(r for _, r, _ in rows)), None, None),
        Figure("proposals", "one with the checks of it, before and after, processor time", "ms", float(np.median(took)), float(np.percentile(took, 95)), None),
    ]  # fmt: skip
