"""What is written down of a simulation on its way, and how it is summed up."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.planning.simulation.documents import (
    MOST_POINTS,
    BatteryFate,
    ChargerFate,
    Curve,
    SimulationRequest,
    SimulationView,
)
from mavrik.core.planning.simulation.vehicles import FULL, Answer, Now, Vehicles
from mavrik.core.planning.use import DAY_H
from mavrik.core.procedures.bench.drain import USABLE_SHARE

Floats: TypeAlias = NDArray[np.float64]

BAND = (10, 90)
"""Percentiles of the runs that are shown as a band."""


class Book:
    """What is written down on the way."""

    def __init__(self, model: Vehicles, now: Now) -> None:
        self.model = model
        runs, banks = now.charge.shape
        self.begun = now.charge.copy()
        self.now = now
        self.time_h = 0.0
        self.times: list[float] = []
        self.rows: dict[str, list[Floats]] = {
            "charge": [],
            "volts": [],
            "battery_a": [],
            "output_a": [],
            "alternator_c": [],
            "charger_a": [],
        }
        self.full_after = np.full(banks, np.inf)
        self.over_h = np.zeros(banks)
        self.least = now.charge[0].copy()
        self.no_start_h = np.full(runs, np.inf)
        self.made = self.into = self.stored = self.cranked_ah = 0.0
        count = len(now.chargers.all)
        self.given_ah, self.fed_h, self.floated_h, self.held_off_h, self.anew = (np.zeros(count) for _ in range(5))
        self.held_off_by = np.zeros((count, len(model.circuit.alternators) + count))
        self.collapsed = False

    def cranked(self) -> None:
        """One start of the nominal vehicle."""
        self.cranked_ah += float(self.model.crank_ah.sum())

    def went(self, step_h: float, before: Floats, warm: Floats, first: Answer, then: Answer, now: Now) -> None:
        """One step."""
        model = self.model
        self.time_h += step_h
        self.times.append(self.time_h)
        # Means of each step: what stands at its end is half a step late.
        for name, begins, ends in (
            ("charge", before, now.charge), ("volts", first.volts, then.volts),
            ("battery_a", first.into_a.sum(axis=1), then.into_a.sum(axis=1)), ("output_a", first.output_a, then.output_a),
            ("alternator_c", warm, now.unit_c), ("charger_a", first.charger_a, then.charger_a),
        ):  # fmt: skip
            self.rows[name].append((begins + ends) / 2)
        # An open battery cranks no engine, and neither does one that is half empty.
        flat = np.where(then.lost, self.time_h, self._crossed(before[:, 0], now.charge[:, 0], 1 - USABLE_SHARE, step_h))
        self.no_start_h = np.minimum(self.no_start_h, flat)
        full = self._crossed(-before[0], -now.charge[0], -FULL, step_h)
        self.full_after = np.minimum(self.full_after, full)
        is_full = now.charge[0] >= FULL
        self.over_h += np.where(is_full & (then.across_v[0] > model.over_v), step_h, 0.0)
        self.least = np.minimum(self.least, now.charge[0])
        mean = (first.into_a[0] + then.into_a[0]) / 2 * step_h
        moved = (now.charge - before)[0] * model.capacity[0]
        self.made += float(first.output_a[0] + then.output_a[0]) / 2 * step_h
        self.given_ah += (first.charger_a[0] + then.charger_a[0]) / 2 * step_h
        # An empty battery gives no more than it had, whatever is asked of it.
        self.into += float(np.where(mean > 0, mean, moved).sum())
        self.stored += float(moved.sum())
        self.collapsed |= bool(then.lost[0])

    def charged(self, step_h: float, floated: NDArray[np.bool_], answer: Answer, now: Now) -> None:
        """What the nominal vehicle's chargers did in one step.

        floated: which held float in it; answer: of its beginning
        """
        fed = answer.charger_most_a > 0
        self.fed_h += step_h * fed
        self.floated_h += step_h * (fed & floated)
        self.anew += fed & floated & ~now.chargers.floats[0]
        off = now.chargers.held_off(answer.charger_most_a, answer.charger_a, answer.charger_v)[0]
        self.held_off_h += step_h * off
        for k in np.flatnonzero(off):
            if np.isfinite(answer.held_v).any():
                self.held_off_by[k, int(np.argmax(answer.held_v))] += step_h

    def charger_fates(self) -> tuple[ChargerFate, ...]:
        """What each charger came to."""
        every = self.now.chargers.all
        names = [*(a.label for a in self.model.circuit.alternators), *(c.label for c in every)]
        return tuple(
            ChargerFate(
                label=c.label, given_ah=float(self.given_ah[k]), fed_h=float(self.fed_h[k]), floated_h=float(self.floated_h[k]),
                held_off_h=float(self.held_off_h[k]), began_anew=int(self.anew[k]),
                held_off_by=names[int(np.argmax(self.held_off_by[k]))] if self.held_off_by[k].any() else None,
            )
            for k, c in enumerate(every)
        )  # fmt: skip

    def _crossed(self, before: Floats, after: Floats, level: float, step_h: float) -> Floats:
        """When something falling has come to a level in this step, or lies below it since longer [h]; infinite: not yet."""
        fall = np.maximum(before - after, 1e-12)
        part = np.clip((before - level) / fall, 0.0, 1.0)
        return np.where(after <= level, self.time_h - step_h * (1 - part), np.inf)

    def view(self, how: SimulationRequest) -> SimulationView:
        """All of it."""
        batteries = self.model.batteries
        edges = np.array([0.0, *self.times])
        times = np.linspace(0.0, edges[-1], min(MOST_POINTS, len(self.times)) + 1)
        middles = (times[1:] + times[:-1]) / 2

        def mean(values: list[Floats]) -> Floats:
            """Means between the asked moments: what comes and goes with every trip is not caught at its moods."""
            steps = np.diff(edges)
            sums = np.vstack([np.zeros_like(values[0])[None], np.cumsum(np.array(values) * steps[:, None], axis=0)])
            at = np.array([np.interp(times, edges, column) for column in sums.T])
            return np.asarray(np.diff(at, axis=1).T / np.diff(times)[:, None])

        curves = [_curve("charge", b.label, mean([row[:, k] for row in self.rows["charge"]])) for k, b in enumerate(batteries)]
        for name, label in (("volts", batteries[0].label), ("battery_a", "Batteries"), ("output_a", "Alternator"), ("alternator_c", "Alternator")):  # fmt: skip
            curves.append(_curve(name, label, mean(self.rows[name])))
        curves += [
            _curve("charger_a", c.label, mean([row[:, k] for row in self.rows["charger_a"]]))
            for k, c in enumerate(self.now.chargers.all)
        ]
        end = self.now.charge
        fates = tuple(
            BatteryFate(
                label=b.label, start_charge=float(self.begun[0, k]), end_charge=float(end[0, k]),
                end_low=float(np.percentile(end[:, k], BAND[0])), end_high=float(np.percentile(end[:, k], BAND[1])),
                least_charge=float(self.least[k]), full_after_h=None if np.isinf(self.full_after[k]) else float(self.full_after[k]),
                overcharged_h=float(self.over_h[k]),
            )
            for k, b in enumerate(batteries)
        )  # fmt: skip
        # A DC-DC charger passes on what others made.
        given_ah = float(self.given_ah[: len(self.model.circuit.chargers)].sum())
        flat = float(self.no_start_h[0])
        share = float(np.isfinite(self.no_start_h).mean())
        return SimulationView(
            headline=_headline(flat, share, how, fates), days=how.days, runs=how.runs,
            time_h=tuple(round(float(t), 4) for t in middles), curves=tuple(curves), batteries=fates,
            chargers=self.charger_fates(),
            no_start_after_d=flat / DAY_H if np.isfinite(flat) else None, no_start_share=share,
            made_ah=self.made, used_ah=self.made + given_ah - self.into + self.cranked_ah, stored_ah=self.stored - self.cranked_ah,
            collapsed=self.collapsed,
        )  # fmt: skip


def _curve(name: Any, label: str, values: Floats) -> Curve:
    """A quantity at the kept moments, (moments, vehicles)."""
    digits = 4 if name == "charge" else 2

    def tidy(row: Floats) -> tuple[float, ...]:
        return tuple(round(float(v), digits) for v in row)

    low, high = np.percentile(values, BAND, axis=1)
    return Curve(name=name, label=label, nominal=tidy(values[:, 0]), low=tidy(low), high=tidy(high))


def _headline(flat_h: float, share: float, how: SimulationRequest, fates: Sequence[BatteryFate]) -> str:
    if np.isfinite(flat_h):
        days = flat_h / DAY_H
        when = f"after {days:.0f} days" if days >= 1.5 else "within a day" if days < 0.75 else "after a day"
        return f"No start {when}; so it goes with {share:.0%} of such vehicles"
    if share > 0:
        return f"Starts for {how.days:g} days; {share:.0%} of such vehicles do not"
    worst = min(fates, key=lambda f: f.end_charge)
    return f"Starts for {how.days:g} days; {worst.label} ends at {worst.end_charge:.0%}"
