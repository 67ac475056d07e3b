"""Where a fit begins: nothing broken and more on than is listed are both found, whichever it is."""

from __future__ import annotations

import numpy as np

from mavrik.core.findings.changes import What
from mavrik.core.findings.fit_problem import FitProblem
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.starting import as_listed, starts
from mavrik.core.measuring.readings import Measured
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle
from tests.build import inferred, judged, runs_of

CAR = VEHICLES["rear"]


def loaded(seed: int) -> tuple[HiddenVehicle, dict[str, Measured]]:
    more = next(h for h in hypotheses(CAR) if h.causes == ("unlisted_load:battery",))
    vehicle = HiddenVehicle(CAR, more, np.random.default_rng(seed))
    return vehicle, {k: v for k, v in vehicle.everything().items() if not k.startswith("net_a_")}


def test_nothing_broken_is_begun_with_far_more_on_than_expected() -> None:
    """It ended with two readings taken for slips, 12 of the natural logarithm short: what hangs on it unlisted was over 99 % sure."""
    vehicle, read = loaded(5)
    findings = judged(CAR, *runs_of(vehicle, read))
    by_cause = {c.cause: c.probability for c in findings.causes}
    assert findings.nothing_broken > 0.95 and not findings.doubtful
    assert 0.01 < by_cause["unlisted_load:battery"] < by_cause["none:"]


def test_what_is_listed_is_what_is_expected() -> None:
    vehicle, read = loaded(5)
    posterior = inferred(CAR, runs_of(vehicle, read))
    problem = FitProblem.of(CAR, posterior.model, posterior.evidence)
    k = problem.unknowns.place[What.CONSUMERS_A, CAR.battery.id]
    rows = starts(problem)
    assert max(row[k] for row in rows) > problem.unknowns.centre[k] + 2 * problem.unknowns.width[k]
    assert all(as_listed(problem, row)[k] == problem.unknowns.centre[k] for row in rows)
