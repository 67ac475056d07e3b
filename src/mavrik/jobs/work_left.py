"""What every open job asks of bays and people: what is left of its steps, and when its parts are there."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from datetime import date, datetime, timedelta
from math import ceil
from threading import Lock

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.scheduling.demand import JobWork, Piece, pieces_of
from mavrik.core.scheduling.view import Scene
from mavrik.core.scheduling.workshop import TaskKind, Workshop
from mavrik.core.workflow.stages import StageState
from mavrik.jobs import lists
from mavrik.jobs.building import bill_as_kept
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.listing import open_jobs
from mavrik.jobs.records import JobRow
from mavrik.jobs.work import get_row
from mavrik.jobs.workbook import book_of, view_of
from mavrik.store.models import CircuitVersion, Job, JobDocument, StockMove, WorkshopList

Left = tuple[tuple[Piece, ...], float]
"""Pieces of work at the bench, and days until what has to be bought for them is there."""


def scene_of(session: Session, means: Workshop, now: datetime) -> Scene:
    """What a schedule is looked at with. means: the workshop's; now: on its clock."""
    rows = list(open_jobs(session))
    building = _Building(session, [r.id for r in rows])
    works = (_work(row, means, building, now.date()) for row in rows)
    return Scene(tuple(w for w in works if w is not None), means, now)


def _work(listed: JobRow, means: Workshop, building: _Building, today: date) -> JobWork | None:
    """What one job asks; None where nothing is left of it."""
    standing = {s.stage: s for s in listed.progress.stages}
    pieces, days = building.left(listed.id) if standing["build"].on_path else ((), 0.0)
    if not pieces:
        # Nothing is known of it yet but what it begins with.
        begins = ((TaskKind.MEASURE, standing["measure"]), (TaskKind.MAKE, standing["build"]))
        first = next((kind for kind, stage in begins if stage.on_path and stage.state is not StageState.DONE), None)
        pieces = (Piece(first, means.measure_min),) if first else ()
    if not pieces:
        return None
    parts_on = today + timedelta(days=ceil(days)) if days > 0 else None
    return JobWork(listed.id, listed.number, listed.vehicle, pieces, listed.promised, parts_on)


MOST_KEPT = 2000
_KEPT: OrderedDict[Hashable, Left] = OrderedDict()
_LOCK = Lock()


class _Building:
    """What is left of jobs at the bench, worked out anew only where something that it comes from has changed."""

    def __init__(self, session: Session, job_ids: list[int]) -> None:
        self._session = session
        kinds = ("prices", "units", "stock")
        revisions = select(func.sum(WorkshopList.revision)).where(WorkshopList.kind.in_(kinds))
        moves = select(func.max(StockMove.id))
        database = session.connection().engine.url.render_as_string()
        self._shop = (database, session.scalar(revisions), session.scalar(moves))
        documents = select(JobDocument.job_id, func.max(JobDocument.id)).where(JobDocument.job_id.in_(job_ids))
        circuits = select(CircuitVersion.job_id, func.max(CircuitVersion.id), func.sum(CircuitVersion.lock)).where(
            CircuitVersion.job_id.in_(job_ids)
        )
        self._documents = {i: tuple(r) for i, *r in session.execute(documents.group_by(JobDocument.job_id))}
        self._circuits = {i: tuple(r) for i, *r in session.execute(circuits.group_by(CircuitVersion.job_id))}
        self._locks = {r.id: r.lock for r in session.execute(select(Job.id, Job.lock).where(Job.id.in_(job_ids)))}
        self._prices: PriceList | None = None

    def left(self, job_id: int) -> Left:
        """Of one job."""
        key = (self._shop, job_id, self._documents.get(job_id), self._circuits.get(job_id), self._locks.get(job_id))
        with _LOCK:
            if (kept := _KEPT.get(key)) is not None:
                _KEPT.move_to_end(key)
                return kept
        made = self._made(job_id)
        with _LOCK:
            _KEPT[key] = made
            while len(_KEPT) > MOST_KEPT:
                _KEPT.popitem(last=False)
        return made

    def _made(self, job_id: int) -> Left:
        row = get_row(self._session, job_id)
        if self._prices is None:
            self._prices = lists.prices(self._session).document
        try:
            pieces = pieces_of(view_of(row, book_of(row), self._prices).steps)
            return pieces, bill_as_kept(self._session, row).days if pieces else 0.0
        except (InvalidError, NotFoundError):
            return (), 0.0
