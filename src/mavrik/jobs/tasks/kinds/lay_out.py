"""The workshop's schedule is laid out anew, as a proposal to look at."""

from __future__ import annotations

from mavrik.jobs.scheduling import LAID_OUT, LayOut, laid_out
from mavrik.jobs.tasks import TaskKind, Work


def _run(work: Work, request: LayOut) -> None:
    made = laid_out(work, request).model_dump_json().encode()
    with work.last((LAID_OUT, "application/json", made)):
        pass


LAY_OUT = TaskKind("lay_out", LayOut, _run, priority=20, again=True)
