"""The short form of `./mavrik attack`: each kind of process is killed once while jobs are opened, and every race run once."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from bench.attack.killing import VICTIMS, kill_test
from bench.attack.racing import race_test
from bench.attack.shop import shop

from mavrik.jobs.demo import DEMO_LOGIN


@pytest.fixture(scope="module")
def attacked() -> Iterator[tuple[Path, int]]:
    with shop(demo=False) as product:
        yield product


def test_nothing_acknowledged_is_lost_or_made_twice(attacked: tuple[Path, int]) -> None:
    # In a thread of its own: the browser of other tests may have a loop in this one.
    with ThreadPoolExecutor(1) as apart:
        outcome = apart.submit(kill_test, *attacked, kills=len(VICTIMS), writers=4, pause_s=0.0).result()
    assert outcome["killed"] == dict.fromkeys(VICTIMS, 1)
    assert outcome["lost"] == outcome["twice"] == 0 and outcome["tasks undone"] == {}
    assert isinstance(outcome["acknowledged"], int) and outcome["acknowledged"] >= 5 * len(VICTIMS)
    assert isinstance(outcome["tasks"], int) and outcome["tasks"] >= 1


@pytest.mark.long
def test_of_many_who_want_the_same_thing_one_gets_it(attacked: tuple[Path, int]) -> None:
    with ThreadPoolExecutor(1) as apart:
        outcome = apart.submit(race_test, attacked[1], 8, DEMO_LOGIN).result()
    assert {name: race["wrong"] for name, race in outcome.items() if race["wrong"]} == {}
