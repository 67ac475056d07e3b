"""What a change is held against: the few figures that an owner decides by."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document, Label
from mavrik.core.planning.balance import LEAST_AH, UseView, balance
from mavrik.core.planning.use import UseRequest


class Figures(Document):
    """What a vehicle comes to."""

    idle_surplus_a: float | None = Field(description="At a hot idle [A]; null: the engine never idles")
    least_v: float | None = Field(
        description="At the first battery, the least of all scenes with the engine on, hot [V]; null: it collapses, or never runs"
    )
    days: float | None = Field(description="To the first non-start [d]; null: it does not come to that")
    worst_net_ah: float = Field(
        description="What a day leaves in the battery that is worst off, cold or hot [Ah]; negative: missing"
    )
    worst_battery: Label = Field(description="That battery")
    heat_w: float | None = Field(description="In leads and contacts in the hottest scene [W]; null: it collapses, or never runs")
    headline: Label

    @property
    def day_holds(self) -> bool:
        """Whether a day leaves no battery short."""
        return self.worst_net_ah >= -LEAST_AH


def figures_of(circuit: Circuit, request: UseRequest) -> Figures:
    """The figures of a circuit in use.

    circuit: the document; request: the use
    Raises as `mavrik.core.planning.balance.balance`, which they all come from.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> figures_of(front_battery(12), usual_use(front_battery(12), [("Work lamps", 60.0)])).idle_surplus_a < 0
    True
    """
    return _figures(balance(circuit, request))


def _figures(seen: UseView) -> Figures:
    turning = [s.hot for s in seen.scenes if s.engine_rpm > 0]
    volts = [f.volts for f in turning if f.volts is not None]
    heat = [f.heat_w for f in turning if f.heat_w is not None]
    whole = bool(turning) and len(volts) == len(turning)
    # At whichever end of the temperatures is worse: the day itself shows the end at which a battery goes flat.
    short = {d.label: min(d.cold_net_ah, d.hot_net_ah) for d in seen.day}
    worst = min(short, key=short.__getitem__)
    return Figures(
        idle_surplus_a=seen.idle_surplus_a, least_v=min(volts) if whole else None,
        days=min((d.days for d in seen.day if d.days is not None), default=None), worst_net_ah=short[worst], worst_battery=worst,
        heat_w=max(heat) if whole else None, headline=seen.headline,
    )  # fmt: skip
