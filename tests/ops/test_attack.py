"""The short form of `./mavrik attack`: each kind of process is killed once while jobs are opened."""

from __future__ import annotations

from bench.attack import VICTIMS, kill_test


def test_nothing_acknowledged_is_lost_or_made_twice() -> None:
    found = kill_test(kills=len(VICTIMS), writers=4, pause_s=0.0)
    assert found["killed"] == dict.fromkeys(VICTIMS, 1)
    assert found["lost"] == found["twice"] == 0
    assert isinstance(found["acknowledged"], int) and found["acknowledged"] >= 5 * len(VICTIMS)
