"""A smaller pulley on the alternator, within what belt and limit speed allow."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.cost import Cost
from mavrik.core.planning.drive import drive_in
from mavrik.core.protection.documents import Severity

SMALLEST_MM, STEP_MM = 44.0, 2.0
MOST_PULLEYS = 5
LEAST_CHANGE = 0.97
"""A pulley nearer to the fitted one is not worth its bolt. Our choice, no source."""

NEW_BELT = {"not_taken_up", "belt_length"}


def _find(situation: Situation) -> Iterator[Change]:
    drive, view = situation.drive, situation.drive_view
    if drive is None or drive.now_mm is None or view is None or situation.unit.kind == "permanent_magnet":
        return
    least = max(SMALLEST_MM, drive.smallest_mm or 0.0)
    every = [float(mm) for mm in np.arange(SMALLEST_MM, drive.now_mm * LEAST_CHANGE, STEP_MM) if mm >= least]
    if len(every) > MOST_PULLEYS:
        every = [every[round(k)] for k in np.linspace(0, len(every) - 1, MOST_PULLEYS)]
    for mm in sorted(every, reverse=True):
        looked = drive_in(situation.as_found, drive.model_copy(update={"new_mm": mm}))
        if looked is None:
            continue
        codes = {f.code for f in looked.findings}
        taken_up = "taken_up" in codes
        belt = situation.prices.belt if not taken_up and NEW_BELT & codes else 0.0
        asks = tuple(
            f"{f.title}. {f.why}" for f in looked.findings
            if f.severity is not Severity.DANGER and f.code in {"in_the_way", "not_taken_up", "taken_up", "belt_length", "belt_does_not_fit"}
        )  # fmt: skip

        def apply(scheme: Scheme, mm: float = mm, belt: float = belt) -> Scheme:
            ratio = situation.ratio_with(mm)
            made = scheme.with_alternator(situation.unit.id, pulley_ratio=ratio)
            cost = Cost(situation.prices.pulley + belt, situation.prices.pulley_h)
            return replace(made, pulley_mm=mm).paying(cost)

        why = f"{drive.now_mm:g} mm now: the shaft turns {drive.now_mm / mm - 1:.0%} faster at every engine speed."
        yield Change(
            f"pulley:{mm:g}", "pulley", f"Pulley of {mm:g} mm", why + (" With another belt." if belt else ""), apply, asks
        )


PULLEY = ChangeKind(50, "pulley", "Smaller pulley", _find)
