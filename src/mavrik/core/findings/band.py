"""The band that sound parts lie in: what each branch of the ring may have lost, before anything but the output was read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from mavrik.core.circuit.ring import Ring
from mavrik.core.findings.bench_model import Placed
from mavrik.core.findings.inference import Posterior
from mavrik.core.findings.likelihood import own_scatter
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.procedures import BenchState, Observation, Point

Band = Mapping[str, tuple[float, float]]
"""By branch: least and most volts."""


def sound_band(posterior: Posterior, ring: Ring, drops: Sequence[Observation]) -> Band:
    """Volts that a sound branch of the ring loses at the output of the drop test, 95 of 100 within.

    posterior: of all readings; ring: of the circuit; drops: readings of drop tests, whose last output is taken
    Empty without a drop test. Source: the unknowns of a sound vehicle along the slopes of the network.
    """
    if not drops:
        return {}
    setup = max(drops, key=lambda o: o.run).setup
    model, u, sound = posterior.model, posterior.model.unknowns, posterior.sound.hypothesis
    closed = {b.id for b in posterior.model.document.branches if b.conducts}
    flights = ((ring.feed, ring.feed_nodes), (ring.return_side, ring.return_nodes))
    steps = [(i, a, b) for ids, nodes in flights for i, a, b in zip(ids, nodes, nodes[1:], strict=False) if i in closed]
    if not steps:
        return {}
    placed: list[Placed] = [(Point(i, i, "voltage_drop", BenchState.AT_OUTPUT, a, b, i), setup) for i, a, b in steps]
    seen, by = model.slopes(placed, [sound], u.priors([sound])[0])
    volts = np.nan_to_num(seen[0])
    output = (setup.output_u or 0.0) / COVERAGE / (setup.output_a or 1.0)
    scatter = np.array([own_scatter(p, volts)[k] for k, (p, _) in enumerate(placed)])
    sd = np.sqrt((np.nan_to_num(by[0]) ** 2) @ u.width**2 + (output * volts) ** 2 + scatter**2)
    return {
        i: (max(v - COVERAGE * s, 0.0), v + COVERAGE * s)
        for (i, _, _), v, s in zip(steps, volts.tolist(), sd.tolist(), strict=True)
    }
