"""The short form of `./mavrik attack`: each kind of process is killed once while jobs are opened."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

from bench.attack import VICTIMS, kill_test


def test_nothing_acknowledged_is_lost_or_made_twice() -> None:
    # In a thread of its own: the browser of other tests may have a loop in this one.
    with ThreadPoolExecutor(1) as apart:
        found = apart.submit(kill_test, kills=len(VICTIMS), writers=4, pause_s=0.0).result()
    assert found["killed"] == dict.fromkeys(VICTIMS, 1)
    assert found["lost"] == found["twice"] == 0
    assert isinstance(found["acknowledged"], int) and found["acknowledged"] >= 5 * len(VICTIMS)
