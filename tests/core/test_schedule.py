"""The schedule: against hand-solved rows, against every layout there is on small cases, and minute by minute on large ones."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import date, datetime, timedelta
from itertools import product

import pytest
from pydantic import ValidationError

from mavrik.core.scheduling.conflicts import conflicts_of, stands
from mavrik.core.scheduling.demand import JobWork, Piece, tasks_of
from mavrik.core.scheduling.documents import Placed, Schedule, Wish, check_schedule
from mavrik.core.scheduling.hours import NeverOpenError, working_hours
from mavrik.core.scheduling.planner import LATE, MOVED, SHIFTED, CannotBeError, lay_out
from mavrik.core.scheduling.view import Scene, propose, schedule_view, tidied
from mavrik.core.scheduling.workshop import Bay, Closed, SharedTool, Shift, TaskKind, Worker, Workshop, usual_workshop

MONDAY = datetime(2026, 11, 30, 8)
FIT, MAKE, MEASURE = TaskKind.FIT, TaskKind.MAKE, TaskKind.MEASURE


def shop(bays: int = 1, people: int = 1, **more: object) -> Workshop:
    """Invented: open from eight to four on five days."""
    return Workshop(
        bays=tuple(Bay(id=f"bay_{k}", label=f"Bay {k}") for k in range(1, bays + 1)),
        people=tuple(Worker(id=f"p{k}", label=f"Person {k}") for k in range(1, people + 1)),
        shifts=tuple(Shift(weekday=k, begins="08:00", ends="16:00") for k in range(5)),
        **more,
    )  # type: ignore[arg-type]


def job(number: int, *pieces: Piece, promised: date | None = None, parts_on: date | None = None) -> JobWork:
    return JobWork(number, f"26-{number:04}", f"Vehicle {number}", pieces, promised, parts_on)


def put(number: int, kind: TaskKind, at: datetime, bay: str | None = "bay_1", who: str = "p1", pinned: bool = False) -> Placed:
    return Placed(job_id=number, kind=kind, begins=at, bay=bay, people=(who,), pinned=pinned)


def test_a_week_has_the_hours_that_are_counted_by_hand() -> None:
    # Eight hours and a quarter of an hour's slots: 32 a day; Wednesday is closed, and work goes on on Thursday.
    means = shop(closed=(Closed(first=date(2026, 12, 2), last=date(2026, 12, 2), label="Market day"),))
    hours = working_hours(means, MONDAY.date(), 7)
    assert len(hours.starts) == 4 * 32
    assert hours.end_of(hours.first_from(datetime(2026, 12, 1, 15, 30)), 4) == datetime(2026, 12, 3, 8, 30)
    assert hours.stretches(hours.first_from(datetime(2026, 12, 1, 15, 30)), 4) == (
        (datetime(2026, 12, 1, 15, 30), datetime(2026, 12, 1, 16)),
        (datetime(2026, 12, 3, 8), datetime(2026, 12, 3, 8, 30)),
    )
    assert hours.after(date(2026, 12, 1)) == hours.after(date(2026, 12, 2)) == 64
    assert not hours.is_open(datetime(2026, 12, 2, 9))


def test_a_workshop_that_is_never_open_says_so() -> None:
    with pytest.raises(NeverOpenError, match="closed on every day"):
        working_hours(shop(closed=(Closed(first=date(2026, 1, 1), last=date(2028, 1, 1)),)), MONDAY.date())


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"bays": (Bay(id="a", label="A"), Bay(id="a", label="B"))}, "Two bays go by 'a'"),
        ({"shifts": (Shift(weekday=1, begins="08:00", ends="12:00"), Shift(weekday=1, begins="11:45", ends="16:00"))}, "overlap"),
    ],
)
def test_a_workshop_that_cannot_be_is_refused(change: dict[str, object], message: str) -> None:
    with pytest.raises(ValidationError, match=message):
        Workshop.model_validate(usual_workshop().model_dump() | {k: [x.model_dump() for x in v] for k, v in change.items()})  # type: ignore[attr-defined]


@pytest.mark.parametrize("begins", ["08:10", "24:00", "8:00"])
def test_hours_are_in_quarters(begins: str) -> None:
    with pytest.raises(ValidationError):
        Shift(weekday=0, begins=begins, ends="23:45")


def test_the_shortest_goes_first_where_nothing_is_promised() -> None:
    """Smith 1956, Various optimizers for single-stage production: the sum of completion times is least in order of length.

    The source is cited from memory; the order is checked by hand: 60, 120, 240 min in one bay end at 1, 3 and 7 h.
    """
    jobs = [job(1, Piece(FIT, 240)), job(2, Piece(FIT, 60)), job(3, Piece(FIT, 120))]
    done = lay_out(tasks_of(jobs), (), shop(), working_hours(shop(), MONDAY.date(), 14), MONDAY, search_s=60)
    assert [(p.job_id, p.begins.hour) for p in done.placed] == [(2, 8), (3, 9), (1, 11)]
    assert done.proven
    assert done.cost == 4 * (1 + 3 + 7)


def test_the_earliest_promise_goes_first_where_all_can_be_kept() -> None:
    """Jackson 1955: in order of the days promised nobody is later than need be; from memory. Four hours each, one bay, 8 h a day."""
    jobs = [job(k, Piece(FIT, 240), promised=MONDAY.date() + timedelta(days=d)) for k, d in ((1, 1), (2, 0), (3, 1), (4, 0))]
    done = lay_out(tasks_of(jobs), (), shop(), working_hours(shop(), MONDAY.date(), 14), MONDAY)
    assert {p.job_id for p in done.placed if p.begins.date() == MONDAY.date()} == {2, 4}
    assert done.cost == 16 + 32 + 48 + 64


def _brute(jobs: list[JobWork], before: dict[int, int], now: int, slots: int, bays: int, due: dict[int, int]) -> float:
    """The least cost over every start and bay of work that is done by as many people as there are bays; its own arithmetic."""
    lengths = {j.job_id: max(1, -(-int(j.pieces[0].minutes) // 15)) for j in jobs}
    best = float("inf")
    for starts in product(range(now, slots), repeat=len(jobs)):
        for where in product(range(bays), repeat=len(jobs)):
            occupied = set()
            for j, s, b in zip(jobs, starts, where, strict=True):
                cells = {(b, q) for q in range(s, s + lengths[j.job_id])}
                if occupied & cells:
                    break
                occupied |= cells
            else:
                cost = 0.0
                for j, s in zip(jobs, starts, strict=True):
                    end = s + lengths[j.job_id]
                    cost += end + LATE * max(0, end - due.get(j.job_id, 10**6))
                    if (was := before.get(j.job_id)) is not None and was != s:
                        cost += MOVED + SHIFTED * abs(was - s)
                best = min(best, cost)
    return best


@pytest.mark.parametrize("seed", range(6))
def test_no_layout_there_is_weighs_less(seed: int) -> None:
    """Every start in eight quarters and every bay tried, with two hours a day so that promises bite."""
    chance = random.Random(seed)
    bays = 1 + seed % 2
    means = shop(bays, bays).model_copy(
        update={"shifts": tuple(Shift(weekday=k, begins="08:00", ends="09:00") for k in range(5))}
    )
    hours = working_hours(means, MONDAY.date(), 5)
    jobs = [
        job(
            k,
            Piece(FIT, 15 * chance.randint(1, 3)),
            promised=MONDAY.date() + timedelta(days=chance.randint(0, 1)) if chance.random() < 0.7 else None,
        )
        for k in range(1, 4)
    ]
    due = {j.job_id: 4 * ((j.promised - MONDAY.date()).days + 1) for j in jobs if j.promised}
    fresh = lay_out(tasks_of(jobs), (), means, hours, MONDAY)
    assert fresh.cost == _brute(jobs, {}, 0, 10, bays, due)
    # One gets longer, and all of it is laid out anew from where it stood, in whichever bay and by whomever.
    longer = [replace(jobs[0], pieces=(Piece(FIT, jobs[0].pieces[0].minutes + 30),)), *jobs[1:]]
    stood = [p.model_copy(update={"bay": None, "people": ()}) for p in fresh.placed]
    again = lay_out(tasks_of(longer), stood, means, hours, MONDAY)
    # A first quarter that is now is no move away from it: nothing has begun.
    before = {p.job_id: at for p in fresh.placed if (at := hours.first_from(p.begins)) > 0}
    assert again.cost == _brute(longer, before, 0, 10, bays, due)


def _minutes(placed: Placed, minutes: int, means: Workshop) -> set[datetime]:
    """Every minute of a piece of work, by its own count."""
    at, moments = placed.begins, set[datetime]()
    while len(moments) < -(-minutes // 15) * 15:
        clock = f"{at:%H:%M}"
        if any(s.weekday == at.weekday() and s.begins <= clock < s.ends for s in means.shifts):
            moments.add(at)
        at += timedelta(minutes=1)
    return moments


@pytest.mark.parametrize("seed", range(3))
def test_a_large_layout_puts_nobody_in_two_places(seed: int) -> None:
    chance = random.Random(seed)
    away = Closed(first=date(2026, 12, 1), last=date(2026, 12, 2))
    means = shop(3, 4, tools=(SharedTool(id="press", label="Press", count=1, tasks=(MAKE,)),))
    means = means.model_copy(update={"people": (means.people[0].model_copy(update={"away": (away,)}), *means.people[1:])})
    jobs = [
        job(
            k, Piece(MAKE, chance.randint(10, 120)), Piece(FIT, chance.randint(30, 500), chance.choice([1, 1, 2])),
            promised=date(2026, 11, 30) + timedelta(days=chance.randint(0, 10)),
            parts_on=date(2026, 12, 3) if chance.random() < 0.2 else None,
        )
        for k in range(1, 16)
    ]  # fmt: skip
    done = lay_out(tasks_of(jobs), (), means, working_hours(means, MONDAY.date(), 60), MONDAY, search_s=0.5)
    known = {(j.job_id, p.kind): (j, p) for j in jobs for p in j.pieces}
    assert {p.key for p in done.placed} == set(known)
    bays, people, press = set(), set(), set()
    for p in done.placed:
        its, piece = known[p.key]
        minutes = _minutes(p, round(piece.minutes), means)
        assert len(set(p.people)) == piece.people
        assert (p.bay is None) == (p.kind is MAKE)
        cells = {(p.bay, m) for m in minutes if p.bay} | {("press", m) for m in minutes if p.kind is MAKE}
        assert not cells & (bays | press)
        bays |= cells
        hands = {(who, m) for who in p.people for m in minutes}
        assert not hands & people
        people |= hands
        if its.parts_on:
            assert min(minutes).date() >= its.parts_on
        if "p1" in p.people:
            assert not any(away.covers(m.date()) for m in minutes)
    ends = {p.key: max(_minutes(p, round(known[p.key][1].minutes), means)) for p in done.placed}
    assert all(p.begins > ends[p.job_id, MAKE] for p in done.placed if p.kind is FIT)
    # What finds conflicts is another piece of code than what avoids them.
    hours = working_hours(means, MONDAY.date(), 60)
    assert conflicts_of(stands(tasks_of(jobs), done.placed, hours, MONDAY), means, hours) == ()


def test_a_late_part_moves_what_waits_for_it_and_nothing_else() -> None:
    means = shop(2, 2)
    jobs = [job(k, Piece(FIT, 240), promised=date(2026, 12, 4)) for k in range(1, 9)]
    first = propose(Schedule(), Scene(tuple(jobs), means, MONDAY))
    assert first.view.headline == "8 pieces of work, all in its place"
    moved = next(b for b in first.view.blocks if b.begins == MONDAY)
    late = tuple(replace(j, parts_on=date(2026, 12, 3)) if j.job_id == moved.job_id else j for j in jobs)
    then = propose(first.schedule, Scene(late, means, MONDAY))
    assert [m.job_id for m in then.moved] == [moved.job_id]
    assert then.moved[0].slips
    assert "for its parts come on Thu 3 Dec" in then.moved[0].text
    stood = {p.key: p for p in first.schedule.placed}
    assert all(stood[p.key] == p for p in then.schedule.placed if p.job_id != moved.job_id)


def test_a_longer_job_pushes_the_next_and_says_why() -> None:
    means = shop(1, 1)
    jobs = (job(1, Piece(FIT, 240)), job(2, Piece(FIT, 240)))
    stood = Schedule(
        placed=(put(1, FIT, MONDAY), put(2, FIT, MONDAY.replace(hour=12))), wishes=(Wish(job_id=1, minutes={FIT: 300}),)
    )
    seen = schedule_view(stood, Scene(jobs, means, MONDAY))
    assert [c.text for c in seen.conflicts] == [
        "Bay 1 has two vehicles from Mon 30 Nov 12:00: 26-0001 Vehicle 1, work on the vehicle; 26-0002 Vehicle 2, work on the vehicle.",
        "Person 1 is in two places from Mon 30 Nov 12:00: 26-0001 Vehicle 1, work on the vehicle; 26-0002 Vehicle 2, work on the vehicle.",
    ]
    then = propose(stood, Scene(jobs, means, MONDAY))
    assert then.view.conflicts == ()
    assert then.moved[0].text.startswith(
        "26-0002 Vehicle 2, work on the vehicle: from Mon 30 Nov 12:00 to Mon 30 Nov 13:00, else: Bay 1 has two vehicles"
    )


def test_what_is_pinned_stays_and_two_pinned_at_once_are_named() -> None:
    jobs = (job(1, Piece(FIT, 120)), job(2, Piece(FIT, 60)))
    scene = Scene(jobs, shop(), MONDAY)
    kept = propose(Schedule(placed=(put(1, FIT, MONDAY.replace(hour=10), pinned=True),)), scene)
    assert {p.job_id: p.begins.hour for p in kept.schedule.placed} == {1: 10, 2: 8}
    # Two at one time in two bays are in nobody's way.
    beside = Schedule(placed=(put(1, FIT, MONDAY, pinned=True), put(2, FIT, MONDAY, "bay_2", "p2", pinned=True)))
    assert propose(beside, Scene(jobs, shop(2, 2), MONDAY)).moved == ()
    both = Schedule(placed=(put(1, FIT, MONDAY, pinned=True), put(2, FIT, MONDAY, pinned=True)))
    with pytest.raises(CannotBeError, match="Bay 1 has two vehicles from Mon 30 Nov 08:00"):
        propose(both, scene)


def test_what_has_begun_goes_on_and_ends_by_what_is_left() -> None:
    ten = MONDAY.replace(hour=10)
    jobs = (job(1, Piece(FIT, 60, begun=True)), job(2, Piece(FIT, 60), promised=MONDAY.date()))
    stood = Schedule(placed=(put(1, FIT, MONDAY),))
    view = schedule_view(stood, Scene(jobs, shop(), ten))
    assert (view.blocks[0].begins, view.blocks[0].ends) == (MONDAY, MONDAY.replace(hour=11))
    then = propose(stood, Scene(jobs, shop(), ten))
    assert {p.job_id: p.begins for p in then.schedule.placed} == {1: MONDAY, 2: MONDAY.replace(hour=11)}
    # What should have begun and has not is done from now on.
    idle = schedule_view(stood, Scene((replace(jobs[0], pieces=(Piece(FIT, 60),)),), shop(), ten))
    assert idle.blocks[0].begins == ten


@pytest.mark.parametrize(
    ("placed", "change", "message"),
    [
        (put(1, FIT, MONDAY.replace(hour=20)), {}, "Nobody works on Mon 30 Nov 20:00"),
        (put(1, FIT, MONDAY, bay="pit"), {}, "has no bay"),
        (put(1, FIT, MONDAY, who="nobody"), {}, "takes somebody, nobody is on it"),
        (put(1, FIT, MONDAY), {"people": 2}, "takes two people, 1 is on it"),
        (put(1, FIT, MONDAY), {"parts_on": date(2026, 12, 2)}, "begins on Mon 30 Nov, its parts come on Wed 2 Dec"),
        (put(1, FIT, datetime(2027, 12, 31, 8)), {}, "ends after all that is laid out"),
    ],
)
def test_what_cannot_be_is_said_in_words(placed: Placed, change: dict[str, object], message: str) -> None:
    people = int(change.get("people", 1))  # type: ignore[call-overload]
    its = job(1, Piece(FIT, 60, people), parts_on=change.get("parts_on"))  # type: ignore[arg-type]
    view = schedule_view(Schedule(placed=(placed,)), Scene((its,), shop(), MONDAY))
    assert any(message in c.text for c in view.conflicts), view.conflicts
    assert view.blocks[0].conflicts == len(view.conflicts)


def test_leads_are_made_before_they_are_fitted_and_a_tool_is_in_one_place() -> None:
    press = SharedTool(id="press", label="Press", count=1, tasks=(MAKE,))
    jobs = (job(1, Piece(MAKE, 60), Piece(FIT, 60)), job(2, Piece(MAKE, 60)))
    stood = Schedule(
        placed=(put(1, MAKE, MONDAY, None), put(1, FIT, MONDAY.replace(minute=30), who="p2"), put(2, MAKE, MONDAY, None, "p3"))
    )
    text = [c.text for c in schedule_view(stood, Scene(jobs, shop(1, 3, tools=(press,)), MONDAY)).conflicts]
    assert text == [
        "26-0001 Vehicle 1, work on the vehicle begins before its leads are made, on Mon 30 Nov 09:00.",
        "Press: 2 want it from Mon 30 Nov 08:00, there is one: 26-0001 Vehicle 1, make leads; 26-0002 Vehicle 2, make leads.",
    ]


def test_three_in_one_bay_are_found_though_the_long_one_hides_the_third() -> None:
    jobs = tuple(job(k, Piece(FIT, m)) for k, m in ((1, 300), (2, 30), (3, 30)))
    placed = (put(1, FIT, MONDAY), put(2, FIT, MONDAY.replace(hour=9), who="p2"), put(3, FIT, MONDAY.replace(hour=11), who="p3"))
    view = schedule_view(Schedule(placed=placed), Scene(jobs, shop(1, 3), MONDAY))
    assert [set(c.job_ids) for c in view.conflicts] == [{1, 2}, {1, 3}]


def test_who_is_away_is_said_and_left_out_of_a_layout() -> None:
    means = shop(1, 2)
    gone = means.people[0].model_copy(update={"away": (Closed(first=MONDAY.date(), last=MONDAY.date()),)})
    means = means.model_copy(update={"people": (gone, means.people[1])})
    scene = Scene((job(1, Piece(FIT, 60)),), means, MONDAY)
    stood = Schedule(placed=(put(1, FIT, MONDAY),))
    assert [c.text for c in schedule_view(stood, scene).conflicts] == [
        "Person 1 is away on Mon 30 Nov: 26-0001 Vehicle 1, work on the vehicle."
    ]
    then = propose(stood, scene)
    assert then.schedule.placed[0].people == ("p2",)
    assert then.moved[0].text == "26-0001 Vehicle 1, work on the vehicle: by Person 2."


MORNINGS = tuple(Shift(weekday=d, begins="08:00", ends="12:00") for d in range(5))


def test_hours_of_ones_own_are_kept_to_and_work_outside_them_is_said() -> None:
    means = shop(1, 2)
    half = means.people[0].model_copy(update={"shifts": MORNINGS})
    means = means.model_copy(update={"people": (half, means.people[1])})
    afternoon = MONDAY.replace(hour=14)
    scene = Scene((job(1, Piece(FIT, 60)),), means, MONDAY)
    stood = Schedule(placed=(put(1, FIT, afternoon),))
    assert [c.text for c in schedule_view(stood, scene).conflicts] == [
        "Person 1 does not work on Mon 30 Nov 14:00: 26-0001 Vehicle 1, work on the vehicle."
    ]
    assert schedule_view(Schedule(placed=(put(1, FIT, MONDAY),)), scene).conflicts == ()
    # Eight hours of work are nobody's who is there for four; somebody else has them.
    long = Scene((job(1, Piece(FIT, 480)), job(2, Piece(MAKE, 60))), means, MONDAY)
    laid = {p.job_id: p.people for p in propose(Schedule(), long).schedule.placed}
    assert laid == {1: ("p2",), 2: ("p1",)}
    with pytest.raises(ValueError, match="Hours of Person 1 overlap"):
        Workshop(**{**dict(means), "people": (half.model_copy(update={"shifts": (*MORNINGS, MORNINGS[0])}),)})


def test_a_tool_for_the_tests_at_the_end_is_wanted_then_alone() -> None:
    """Two vehicles at once, one load bank: it is in one place in the last half hour of each, and free before."""
    bank = SharedTool(id="bank", label="Load bank", tasks=(FIT,), at_end_min=30)
    jobs = (job(1, Piece(FIT, 120)), job(2, Piece(FIT, 120)))
    means = shop(2, 2, tools=(bank,))
    both = Schedule(placed=(put(1, FIT, MONDAY), put(2, FIT, MONDAY, "bay_2", "p2")))
    text = [c.text for c in schedule_view(both, Scene(jobs, means, MONDAY)).conflicts]
    assert text == [
        "Load bank: 2 want it from Mon 30 Nov 09:30, there is one: 26-0001 Vehicle 1, work on the vehicle; 26-0002 Vehicle 2, work on the vehicle."
    ]
    # Half an hour later is enough; all through the work it would be two hours.
    begins = sorted(p.begins for p in propose(Schedule(), Scene(jobs, means, MONDAY)).schedule.placed)
    assert begins == [MONDAY, MONDAY.replace(minute=30)]
    whole = shop(2, 2, tools=(bank.model_copy(update={"at_end_min": None}),))
    later = sorted(p.begins for p in propose(Schedule(), Scene(jobs, whole, MONDAY)).schedule.placed)
    assert later == [MONDAY, MONDAY.replace(hour=10)]


@pytest.mark.parametrize("seed", range(3))
def test_what_is_laid_out_for_part_timers_and_a_tool_at_the_end_can_be(seed: int) -> None:
    """Looked through quarter by quarter, by nothing that laid it out."""
    drawn = random.Random(seed)
    bank = SharedTool(id="bank", label="Load bank", tasks=(FIT, MEASURE), at_end_min=45)
    means = shop(2, 3, tools=(bank,))
    means = means.model_copy(update={"people": (means.people[0].model_copy(update={"shifts": MORNINGS}), *means.people[1:])})
    jobs = tuple(job(k, Piece(drawn.choice((FIT, MEASURE)), drawn.choice((45, 90, 150, 300)))) for k in range(1, 9))
    scene = Scene(jobs, means, MONDAY)
    minutes = {j.job_id: int(j.pieces[0].minutes) for j in jobs}
    starts = list(working_hours(means, MONDAY.date()).starts)
    using: dict[datetime, int] = {}
    for p in propose(Schedule(), scene, search_s=0.5).schedule.placed:
        first = starts.index(p.begins)
        quarters = starts[first : first + minutes[p.job_id] // 15]
        if "p1" in p.people:
            assert all(at.hour < 12 for at in quarters)
        for at in quarters[-3:]:
            using[at] = using.get(at, 0) + 1
    assert max(using.values()) == 1


def test_a_job_is_late_by_days_and_one_left_out_waits() -> None:
    jobs = (job(1, Piece(FIT, 60), promised=date(2026, 11, 30)), job(2, Piece(MEASURE, 90)))
    stood = Schedule(placed=(put(1, FIT, datetime(2026, 12, 2, 8)),), wishes=(Wish(job_id=2, left_out=True),))
    view = schedule_view(stood, Scene(jobs, shop(), MONDAY))
    assert view.headline == "1 piece of work, 1 job is late"
    assert view.blocks[0].late == "2 days after Mon 30 Nov"
    (waits,) = view.waiting
    assert (waits.job_id, waits.minutes, waits.left_out) == (2, 90, True)


def test_more_people_than_there_are_cannot_be() -> None:
    with pytest.raises(CannotBeError, match="more people than there are"):
        propose(Schedule(), Scene((job(1, Piece(FIT, 60, 2)),), shop(1, 1), MONDAY))


def test_what_is_long_over_is_forgotten_and_what_is_left_is_not() -> None:
    stood = Schedule(
        placed=(
            put(1, FIT, MONDAY - timedelta(days=200)),
            put(2, FIT, MONDAY - timedelta(days=200)),
            put(3, FIT, MONDAY - timedelta(days=20)),
            put(4, FIT, MONDAY),
        ),
        wishes=(Wish(job_id=1, left_out=True), Wish(job_id=2, left_out=True)),
    )
    # Job 2 has work left, however long ago it was to begin; of 3 and 4 nothing is left, and it is not long ago.
    kept = tidied(stood, Scene((job(2, Piece(FIT, 60)),), shop(), MONDAY))
    assert [p.job_id for p in kept.placed] == [2, 3, 4]
    assert [w.job_id for w in kept.wishes] == [2]


def test_a_machine_too_slow_to_search_offers_what_it_began_with_and_claims_nothing() -> None:
    jobs = [job(k, Piece(MAKE, 60), Piece(FIT, 240), promised=date(2026, 12, 4)) for k in range(1, 9)]
    means = shop(2, 2)
    hours = working_hours(means, MONDAY.date(), 60)
    done = lay_out(tasks_of(jobs), (), means, hours, MONDAY, search_s=1e-9)
    assert {p.key for p in done.placed} == {(k, kind) for k in range(1, 9) for kind in (MAKE, FIT)}
    assert not done.proven
    assert conflicts_of(stands(tasks_of(jobs), done.placed, hours, MONDAY), means, hours) == ()
    pinned = [put(k, FIT, MONDAY, pinned=True) for k in (1, 2)]
    with pytest.raises(CannotBeError):
        lay_out(tasks_of([*jobs, job(9, Piece(FIT, 60, 3))]), pinned, means, hours, MONDAY, search_s=1e-9)


def test_what_stands_twice_is_named() -> None:
    twice = Schedule(placed=(put(1, FIT, MONDAY),) * 2, wishes=(Wish(job_id=4), Wish(job_id=4)))
    assert [(p.element, p.field) for p in check_schedule(twice)] == [("1", "placed"), ("4", "wishes")]


@pytest.mark.parametrize("begins", ["2026-11-30T08:10", "2026-11-30T08:00:30", "2026-11-30T08:00Z", "1900-01-01T08:00"])
def test_a_time_is_a_quarter_on_the_workshops_clock(begins: str) -> None:
    with pytest.raises(ValidationError):
        Placed.model_validate({"job_id": 1, "kind": "fit", "begins": begins})
