"""A circuit with the consumers of a use in place of its own loads, and its units as they were read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Alternator, Circuit, Load
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.planning.output import output_spread
from mavrik.core.planning.use import Consumer, UseProblemError, UseRequest

READ_FITS = (0.2, 2.0)
"""A reading farther from what the unit's table says is not of that unit, or not of its full output. Our choice, no source."""


@dataclass(frozen=True)
class InUse:
    """The circuit, and which of its loads a consumer is."""

    circuit: Circuit
    load_of: Mapping[str, str]
    """Load id by the consumer's label."""

    def on(self, labels: tuple[str, ...] | frozenset[str]) -> dict[str, bool]:
        """Which loads are on where these consumers are; starters are left to the state."""
        load_ids = {self.load_of[n] for n in labels}
        return {x.id: x.id in load_ids for x in self.circuit.loads if not x.cranking}


def circuit_in_use(circuit: Circuit, request: UseRequest, scale: float | None) -> InUse:
    """The circuit with a use's consumers, each drawing its mean all the time that it is on.

    circuit: the document; request: checked before; scale: of the units' tables, where it was read
    A load of the circuit that no consumer stands for takes nothing; a consumer without a load hangs on its battery's posts.
    """
    by_load = {c.load_id: c for c in request.consumers if c.load_id is not None}
    load_of: dict[str, str] = {}
    loads: list[Load] = []
    for x in circuit.loads:
        if x.cranking:
            loads.append(x)
        elif x.id in by_load:
            load_of[by_load[x.id].label] = x.id
            loads.append(x.model_copy(update=_draws(by_load[x.id])))
    for k, c in enumerate(c for c in request.consumers if c.load_id is None):
        battery = next((b for b in circuit.batteries if b.id == c.battery_id), circuit.battery)
        load_of[c.label] = f"use_{k}"
        blank = Load(
            id=f"use_{k}", label=c.label, from_node=battery.positive_node, to_node=battery.negative_node, current_a=c.current_a
        )
        loads.append(blank.model_copy(update=_draws(c)))
    units = tuple(_scaled(a, scale) if scale else a for a in circuit.alternators)
    return InUse(circuit.model_copy(update={"loads": tuple(loads), "alternators": units}), load_of)


def _draws(c: Consumer) -> dict[str, object]:
    return {"current_a": c.current_a * c.duty, "law": c.law, "cut_off_v": c.cut_off_v}


def output_scale(circuit: Circuit, request: UseRequest) -> float | None:
    """What was read over what the table says of a warm unit at that engine speed; None where nothing was.

    Raises UseProblemError for a reading that is not of that unit.
    """
    if request.read is None:
        return None
    able = sum(able_a(a, request.read.engine_rpm, source_table().hot_c) for a in circuit.alternators)
    share = request.read.current_a / able if able > 0 else float("inf")
    if not READ_FITS[0] <= share <= READ_FITS[1]:
        raise UseProblemError(
            "read",
            f"{request.read.current_a:g} A at {request.read.engine_rpm:g} /min, where the unit's table says {able:.0f} A: check both.",
        )
    return share


def able_a(unit: Alternator, engine_rpm: float, warm_c: float) -> float:
    """The most a unit gives at an engine speed [1/min] and its temperature [degC]."""
    return float(unit_output_a(unit, engine_rpm * unit.pulley_ratio, warm_c))


READ_SPREAD = 0.04
"""What is left, as a share, once an output was read in use: the clamp, and that the engine was not at that speed to the digit. Rough,
our choice, no source."""


def output_known_to(unit: Alternator, engine_rpm: float, read: bool) -> float:
    """By what share a unit may give another current than its table says, as a standard deviation.

    unit: the circuit's; engine_rpm: of the engine [1/min]; read: whether its output was read in use, and the table scaled by it
    """
    spread = output_spread(unit, engine_rpm * unit.pulley_ratio)
    return min(spread, READ_SPREAD) if read else spread


def _scaled(unit: Alternator, share: float) -> Alternator:
    curve = tuple(p.model_copy(update={"output_a": p.output_a * share}) for p in unit.curve)
    return unit.model_copy(update={"rated_a": unit.rated_a * share, "curve": curve})
