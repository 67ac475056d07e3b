"""A schedule as it is looked at: every piece of work with from and to, what cannot be, what has no place, and what a change moves."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from pydantic import Field

from mavrik.core.document import Day, Document, Moment
from mavrik.core.scheduling.conflicts import Conflict, Key, Stand, conflicts_of, late_by, says_day, says_time, stands, title_of
from mavrik.core.scheduling.demand import JobWork, Task, as_wished, tasks_of
from mavrik.core.scheduling.documents import Placed, Schedule
from mavrik.core.scheduling.first_fit import first_fit
from mavrik.core.scheduling.hours import Hours, working_hours
from mavrik.core.scheduling.planner import SEARCH_S, CannotBeError, SearchProgress, lay_out
from mavrik.core.scheduling.workshop import QUARTER_MIN, TaskKind, Workshop


class Stretch(Document):
    """An unbroken stretch of work."""

    begins: Moment
    ends: Moment


class Block(Document):
    """A piece of work in its place."""

    job_id: int
    number: str
    label: str
    kind: TaskKind
    minutes: int = Field(description="What is left of it, in whole quarters of an hour")
    people_wanted: int
    begins: Moment
    ends: Moment
    stretches: tuple[Stretch, ...] = Field(description="From now on")
    bay: str | None
    people: tuple[str, ...]
    pinned: bool
    begun: bool
    parts_on: Day | None = Field(description="The morning its parts are there; null: they are")
    late: str = Field(
        description="By how much it is over after what was promised, in words; empty: it is not, or nothing was promised"
    )
    conflicts: int = Field(description="How many of the schedule's conflicts it is part of")


class Waiting(Document):
    """A job with work that has no place."""

    job_id: int
    number: str
    label: str
    kinds: tuple[TaskKind, ...]
    minutes: int
    promised: Day | None
    parts_on: Day | None
    left_out: bool


class Open(Document):
    """Hours of a day."""

    begins: Moment
    ends: Moment


class ScheduleView(Document):
    """What a schedule comes to."""

    headline: str
    now: Moment
    blocks: tuple[Block, ...]
    conflicts: tuple[Conflict, ...]
    waiting: tuple[Waiting, ...]
    open: tuple[Open, ...] = Field(description="When the workshop works, in the weeks shown")


@dataclass(frozen=True)
class Scene:
    """What a schedule is looked at with."""

    works: tuple[JobWork, ...]
    workshop: Workshop
    now: datetime
    """On the workshop's clock."""

    def hours(self) -> Hours:
        """From the first day of the week of now."""
        return working_hours(self.workshop, _monday(self.now.date()))

    def tasks(self, schedule: Schedule) -> tuple[Task, ...]:
        """The work with what people said of it."""
        wishes = {w.job_id: w for w in schedule.wishes}
        return tasks_of([as_wished(w, wishes[w.job_id]) if w.job_id in wishes else w for w in self.works])


WEEKS_SHOWN = 9
REMEMBERED = timedelta(days=60)
"""So long it is kept where work stood that is done. Our choice."""


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())


def schedule_view(schedule: Schedule, scene: Scene) -> ScheduleView:
    """What a schedule comes to now.

    schedule: places and wishes; scene: the jobs' work, the workshop's means, the time
    Work that is done, and jobs that are gone, are not shown, though their places are kept.

    >>> from mavrik.core.scheduling.demand import Piece
    >>> from mavrik.core.scheduling.documents import Placed
    >>> from mavrik.core.scheduling.workshop import usual_workshop
    >>> van = JobWork(7, "26-0007", "Library bus", (Piece(TaskKind.FIT, 300),))
    >>> monday = datetime(2026, 11, 30, 8)
    >>> put = Placed(job_id=7, kind=TaskKind.FIT, begins=datetime(2026, 11, 30, 15), bay="bay_1", people=("first",))
    >>> view = schedule_view(Schedule(placed=(put,)), Scene((van,), usual_workshop(), monday))
    >>> view.headline, str(view.blocks[0].ends)
    ('1 piece of work, all in its place', '2026-12-01 11:00:00')
    """
    hours, tasks = scene.hours(), scene.tasks(schedule)
    standing = stands(tasks, schedule.placed, hours, scene.now)
    conflicts = conflicts_of(standing, scene.workshop, hours)
    blocks = tuple(_block(s, hours, scene.now, conflicts) for s in standing)
    waiting = tuple(_waiting(schedule, scene, {s.placed.key for s in standing}))
    until = datetime.combine(_monday(scene.now.date()), datetime.min.time()) + timedelta(weeks=WEEKS_SHOWN)
    shown = hours.first_from(until)
    return ScheduleView(
        headline=_headline(blocks, conflicts, waiting), now=scene.now, blocks=blocks, conflicts=conflicts, waiting=waiting,
        open=tuple(Open(begins=a, ends=b) for a, b in hours.stretches(0, shown)),
    )  # fmt: skip


def _headline(blocks: Sequence[Block], conflicts: Sequence[Conflict], waiting: Sequence[Waiting]) -> str:
    lost = [w for w in waiting if not w.left_out]
    if not blocks and not lost:
        return "Nothing is to be done"
    sentences = []
    if conflicts:
        sentences.append("1 thing cannot be" if len(conflicts) == 1 else f"{len(conflicts)} things cannot be")
    if late := len({b.job_id for b in blocks if b.late}):
        sentences.append("1 job is late" if late == 1 else f"{late} jobs are late")
    if lost:
        sentences.append("1 job has no place yet" if len(lost) == 1 else f"{len(lost)} jobs have no place yet")
    pieces = "1 piece of work" if len(blocks) == 1 else f"{len(blocks)} pieces of work"
    return f"{pieces}, {', '.join(sentences) or 'all in its place'}"


def _block(s: Stand, hours: Hours, now: datetime, conflicts: Sequence[Conflict]) -> Block:
    work, piece = s.task.work, s.task.piece
    overdue = s.placed.begins < now and not piece.begun
    begins = hours.starts[s.first] if overdue and s.first < len(hours.starts) else s.placed.begins
    return Block(
        job_id=work.job_id, number=work.number, label=work.label, kind=piece.kind, minutes=s.task.quarters * QUARTER_MIN,
        people_wanted=piece.people, begins=begins, ends=hours.end_of(s.first, s.task.quarters),
        stretches=tuple(Stretch(begins=a, ends=b) for a, b in hours.stretches(s.first, s.task.quarters)),
        bay=s.placed.bay, people=s.placed.people, pinned=s.placed.pinned, begun=piece.begun, parts_on=work.parts_on, late=_late(s, hours),
        conflicts=sum(work.job_id in c.job_ids for c in conflicts),
    )  # fmt: skip


def _late(s: Stand, hours: Hours) -> str:
    promised = s.task.work.promised
    if promised is None or s.task.piece is not s.task.work.pieces[-1] or not late_by(s, hours):
        return ""
    ends = hours.end_of(s.first, s.task.quarters).date()
    days = (ends - promised).days
    return f"{'1 day' if days == 1 else f'{days} days'} after {says_day(promised)}"


def _waiting(schedule: Schedule, scene: Scene, placed: set[Key]) -> Iterator[Waiting]:
    wishes = {w.job_id: w for w in schedule.wishes}
    for work in scene.works:
        wish = wishes.get(work.job_id)
        wished = as_wished(work, wish.model_copy(update={"left_out": False})) if wish else work
        lost = [Task(wished, p) for p in wished.pieces if (work.job_id, p.kind) not in placed]
        if lost:
            yield Waiting(
                job_id=work.job_id, number=work.number, label=work.label, kinds=tuple(t.piece.kind for t in lost),
                minutes=sum(t.quarters for t in lost) * QUARTER_MIN, promised=work.promised, parts_on=wished.parts_on,
                left_out=wish is not None and wish.left_out,
            )  # fmt: skip


class Moved(Document):
    """What a new layout does to a piece of work, in words."""

    job_id: int
    text: str
    slips: bool = Field(description="It is over later than before")


class Proposed(Document):
    """A new layout, and what it changes."""

    schedule: Schedule
    view: ScheduleView
    moved: tuple[Moved, ...]
    proven: bool = Field(description="Whether nothing better can be")


def propose(
    schedule: Schedule, scene: Scene, watch: Callable[[SearchProgress], bool] | None = None, search_s: float = SEARCH_S
) -> Proposed:
    """Lay everything out anew, with what is moved by it and why.

    schedule: as it stands; scene: as for `schedule_view`; watch, search_s: as for `lay_out`
    Raises CannotBeError as `lay_out`, with what is in its own way.

    >>> from mavrik.core.scheduling.demand import Piece
    >>> from mavrik.core.scheduling.documents import Placed
    >>> from mavrik.core.scheduling.workshop import usual_workshop
    >>> van = JobWork(7, "26-0007", "Library bus", (Piece(TaskKind.FIT, 300),), parts_on=date(2026, 12, 2))
    >>> put = Placed(job_id=7, kind=TaskKind.FIT, begins=datetime(2026, 11, 30, 15), bay="bay_1", people=("first",))
    >>> new = propose(Schedule(placed=(put,)), Scene((van,), usual_workshop(), datetime(2026, 11, 30, 8)))
    >>> new.moved[0].text
    '26-0007 Library bus, work on the vehicle: from Mon 30 Nov 15:00 to Wed 2 Dec 08:00, for its parts come on Wed 2 Dec.'
    """
    hours, tasks = scene.hours(), scene.tasks(schedule)
    try:
        made = lay_out(tasks, schedule.placed, scene.workshop, hours, scene.now, search_s, watch)
    except CannotBeError as error:
        pinned = stands(tasks, [p for p in schedule.placed if p.pinned], hours, scene.now)
        why = conflicts_of(pinned, scene.workshop, hours)
        raise CannotBeError(" ".join([str(error), *(c.text for c in why[:3])])) from error
    kept = {t.key for t in tasks}
    # Work that is done keeps the place it had: it is what was planned.
    after = schedule.model_copy(update={"placed": (*(p for p in schedule.placed if p.key not in kept), *made.placed)})
    return Proposed(
        schedule=after, view=schedule_view(after, scene), moved=tuple(_moves(schedule, after, scene)), proven=made.proven
    )  # fmt: skip


def tidied(schedule: Schedule, scene: Scene) -> Schedule:
    """A schedule without what is long over: places of work that is done, from REMEMBERED on, and wishes for jobs that are done.

    schedule: as it stands; scene: as for `schedule_view`
    """
    jobs = {w.job_id for w in scene.works}
    return Schedule(
        placed=tuple(p for p in schedule.placed if p.job_id in jobs or p.begins >= scene.now - REMEMBERED),
        wishes=tuple(w for w in schedule.wishes if w.job_id in jobs),
    )


def with_place(schedule: Schedule, scene: Scene, job_id: int) -> Schedule:
    """A schedule in which one job has the first place that is free for it, and nothing else is moved.

    schedule: as it stands; scene: as for `schedule_view`; job_id: the job
    Left as it is where nothing is free in a year.

    >>> from mavrik.core.scheduling.demand import Piece
    >>> from mavrik.core.scheduling.workshop import usual_workshop
    >>> van = JobWork(7, "26-0007", "Library bus", (Piece(TaskKind.MAKE, 60), Piece(TaskKind.FIT, 300)))
    >>> new = with_place(Schedule(), Scene((van,), usual_workshop(), datetime(2026, 11, 30, 8)), 7)
    >>> [(p.kind.value, p.begins.hour, p.bay) for p in new.placed]
    [('make', 8, None), ('fit', 9, 'bay_1')]
    """
    wishes = tuple(w.model_copy(update={"left_out": False}) if w.job_id == job_id else w for w in schedule.wishes)
    wished = schedule.model_copy(update={"wishes": wishes})
    hours, tasks = scene.hours(), scene.tasks(wished)
    first = hours.first_from(scene.now)
    standing = {s.placed.key: hours.start_of(s.first) for s in stands(tasks, schedule.placed, hours, scene.now)}
    others = {
        p.key: p.model_copy(update={"pinned": True, "begins": standing[p.key]})
        for p in schedule.placed
        if p.key in standing and p.job_id != job_id
    }
    to_place = [t for t in tasks if t.key in others or t.work.job_id == job_id]
    spots = first_fit(to_place, others, scene.workshop, hours, first)
    placed = tuple(
        Placed(
            job_id=job_id,
            kind=t.piece.kind,
            begins=hours.start_of(spots[t.key].first),
            bay=spots[t.key].bay,
            people=spots[t.key].people,
        )
        for t in to_place
        if t.work.job_id == job_id and t.key in spots
    )
    if not placed:
        return wished
    return wished.model_copy(update={"placed": (*(p for p in schedule.placed if p.job_id != job_id), *placed)})


def _moves(before: Schedule, after: Schedule, scene: Scene) -> Iterator[Moved]:
    """What stood somewhere and stands elsewhere now, the slips first."""
    hours = scene.hours()
    was = {s.placed.key: s for s in stands(scene.tasks(before), before.placed, hours, scene.now)}
    now = stands(scene.tasks(after), after.placed, hours, scene.now)
    moves = []
    bays = {b.id: b.label for b in scene.workshop.bays}
    people = {w.id: w.label for w in scene.workshop.people}
    for s in now:
        old = was.get(s.placed.key)
        if old is None:
            continue
        words = []
        if old.first != s.first:
            words.append(
                f"from {says_time(hours.start_of(old.first))} to {says_time(hours.start_of(s.first))}{_why(s, now, scene, hours, old)}"
            )
        if old.placed.bay != s.placed.bay and s.placed.bay is not None:
            words.append(f"into {bays.get(s.placed.bay, s.placed.bay)}")
        if set(old.placed.people) != set(s.placed.people):
            words.append(f"by {' and '.join(people.get(i, i) for i in s.placed.people)}")
        if words:
            moves.append(
                Moved(job_id=s.task.work.job_id, text=f"{title_of(s.task)}: {'; '.join(words)}.", slips=s.last > old.last)
            )
    yield from sorted(moves, key=lambda m: not m.slips)


def _why(s: Stand, standing: Sequence[Stand], scene: Scene, hours: Hours, old: Stand) -> str:
    """What keeps it from a quarter earlier, as the end of a sentence, where it slips."""
    if s.first <= old.first:
        return ""
    parts = s.task.work.parts_on
    if parts is not None and s.first == hours.first_from(datetime.combine(parts, datetime.min.time())):
        return f", for its parts come on {says_day(parts)}"
    earlier = replace(s, first=s.first - 1)
    others = [o for o in standing if o.placed.key != s.placed.key]
    before = {c.text for c in conflicts_of(standing, scene.workshop, hours)}
    clashes = [c for c in conflicts_of([*others, earlier], scene.workshop, hours) if c.text not in before]
    return f", else: {clashes[0].text.rstrip('.')}" if clashes else ""
