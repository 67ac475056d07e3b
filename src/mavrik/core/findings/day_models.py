"""What a circuit is predicted with on the day it was read: as documented for what is at rest, and as charged as it then was."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import At, BenchModel, Floats, Placed, Shift
from mavrik.core.findings.hypotheses import NOTHING, Hypothesis
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Observation, Setup


def rest_voltages(circuit: Circuit, observations: Sequence[Observation]) -> dict[str, float]:
    """Volts read at rest, by battery: how charged each really is.

    circuit: the document; observations: readings
    Batteries that read the same within what the meter knows are taken as equal: those in parallel have equalised, and a
    difference that is only the meter's would drive amperes between them.
    """
    by_point = {o.point.id: o.measured for o in observations}
    read = {b.id: by_point[f"rest_v:{b.id}"] for b in circuit.batteries if f"rest_v:{b.id}" in by_point}
    volts = {}
    for own, mine in read.items():
        alike = [t.value for t in read.values() if abs(t.value - mine.value) <= np.hypot(t.uncertainty, mine.uncertainty)]
        volts[own] = float(np.mean(alike))
    return volts


class Models:
    """The circuit as the document has it, for what is read at rest, and as charged as it was that day, for all else."""

    def __init__(self, circuit: Circuit, observations: Sequence[Observation]) -> None:
        """observations: all, with those at rest that say how charged the batteries are."""
        self.circuit = circuit
        self.day = BenchModel(circuit, rest_voltages(circuit, observations))
        self.document = BenchModel(circuit, checked=True)

    def predict(self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], shift: Shift | None = None) -> Floats:
        """Readings (suspects, points); a rest voltage is judged against what the document says of the battery.

        shift: as for `BenchModel.predict`
        """
        found = np.zeros((len(suspects), len(placed)))
        at_rest = [k for k, (p, _) in enumerate(placed) if p.state is BenchState.REST]
        others = [k for k, (p, _) in enumerate(placed) if p.state is not BenchState.REST]
        for model, own in ((self.document, at_rest), (self.day, others)):
            if own:
                found[:, own] = model.predict([placed[k] for k in own], suspects, shift)
        return found

    def slopes(
        self, placed: Sequence[Placed], suspects: Sequence[Hypothesis], shift: Shift, before: dict[Setup, At]
    ) -> tuple[Floats, Floats, Floats]:
        """The same with what each branch and battery of the shift does to each reading, as `BenchModel.slopes`."""
        at_rest = [k for k, (p, _) in enumerate(placed) if p.state is BenchState.REST]
        others = [k for k, (p, _) in enumerate(placed) if p.state is not BenchState.REST]
        count = (len(suspects), len(placed))
        found = (np.zeros(count), np.zeros((*count, len(shift.branch_ids))), np.zeros((*count, len(shift.battery_ids))))
        for model, own in ((self.document, at_rest), (self.day, others)):
            if own:
                for into, part in zip(found, model.slopes([placed[k] for k in own], suspects, shift, before), strict=True):
                    into[:, own] = part
        return found

    def more_load(self, share: float, placed: Sequence[Placed]) -> Floats:
        """What each reading at a known output would be with nothing broken and loads that take so much more than the document says.

        share: how much more, of itself; others stay NaN
        """
        found = np.full(len(placed), np.nan)
        own = [k for k, (_, setup) in enumerate(placed) if setup.state is BenchState.AT_OUTPUT]
        if own and self.circuit.loads:
            loads = tuple(x.model_copy(update={"current_a": x.current_a * (1 + share)}) for x in self.circuit.loads)
            more = BenchModel(self.circuit.model_copy(update={"loads": loads}), checked=True)
            found[own] = more.predict([placed[k] for k in own], [Hypothesis((NOTHING,), 1.0)])[0]
        return found
