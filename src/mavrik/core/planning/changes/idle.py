"""A faster idle."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.cost import Cost
from mavrik.core.planning.use import FASTER_RPM, idling, idling_faster


def _find(situation: Situation) -> Iterator[Change]:
    slowest = idling(situation.use)
    if slowest is None:
        return

    def apply(scheme: Scheme) -> Scheme:
        return replace(scheme, use=idling_faster(scheme.use), faster_idle=True).paying(Cost(0.0, situation.prices.set_point_h))

    yield Change(
        "idle:faster", "idle", f"Idle at {slowest.engine_rpm + FASTER_RPM:.0f} /min",
        f"{slowest.engine_rpm:.0f} /min in '{slowest.label}' now. A hand throttle or the engine computer does it.", apply,
        ("Clutch or converter creep, noise, fuel, and what the maker and exhaust rules allow.",),
    )  # fmt: skip


IDLE = ChangeKind(75, "idle", "Faster idle", _find, concedes=True)
