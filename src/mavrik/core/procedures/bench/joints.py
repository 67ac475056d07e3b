"""Joint comparison: two leads with different terminations under the same load, repeated, and is the difference more than the scatter?"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product

import numpy as np
import scipy

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure
from mavrik.core.procedures.bench_limits import Limits

SAMPLES, REPEATS = ("A", "B"), (1, 2, 3, 4, 5)
CONFIDENCE = 0.95


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(
            f"joint_{what}:{s}{k}",
            f"Lead {s}, run {k}: {words}",
            "voltage",
            BenchState.REST,
            element="",
            indicator="joint",
            own_rule=True,
        )
        for s, k in product(SAMPLES, REPEATS)
        for what, words in (("start_v", "volts before the load"), ("end_v", "volts at the load end, loaded"))
    )


def losses(measured: Mapping[str, Measured], sample: str) -> list[float]:
    """What a lead lost in each run that has both readings, its start voltage measured off [V].

    measured: readings by point; sample: A or B
    """
    return [
        measured[f"joint_start_v:{sample}{k}"].value - measured[f"joint_end_v:{sample}{k}"].value
        for k in REPEATS
        if f"joint_start_v:{sample}{k}" in measured and f"joint_end_v:{sample}{k}" in measured
    ]


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    first, second = (losses(measured, s) for s in SAMPLES)
    if not first or not second:
        return []
    apart = float(np.mean(first) - np.mean(second))
    point = next(a for a in _points(circuit) if a.id == f"joint_end_v:B{REPEATS[0]}")
    rule = f"a difference that chance would make in fewer than {1 - CONFIDENCE:.0%} of such trials"
    source = "Welch's t-test on the runs, start voltage measured off each"
    if min(len(first), len(second)) < 2 or np.ptp(first) + np.ptp(second) == 0:
        why = f"A loses {abs(apart) * 1000:.0f} mV {'more' if apart > 0 else 'less'} than B in single runs: within the scatter unless repeated."
        return [
            Judgement(
                point.id,
                "A against B",
                apart,
                0.0,
                "voltage",
                Verdict.CLOSE,
                rule,
                source,
                why,
                "At least two runs of each, the battery recovered between.",
            )
        ]
    test = scipy.stats.ttest_ind(first, second, equal_var=False)
    low, high = test.confidence_interval(CONFIDENCE)
    real = float(test.pvalue) < 1 - CONFIDENCE
    better = SAMPLES[1] if apart > 0 else SAMPLES[0]
    why = f"A loses {np.mean(first):.3f} V over {len(first)} runs, B {np.mean(second):.3f} V over {len(second)}: " + (
        f"{better} is better by {abs(apart) * 1000:.0f} mV." if real else f"{abs(apart) * 1000:.0f} mV apart, within the scatter."
    )
    verdict = Verdict.PASS if real else Verdict.CLOSE
    return [
        Judgement(
            point.id, "A against B", apart, float(high - low) / 2, "voltage", verdict, rule, source, why,
            "" if real else "More runs, or more current: the difference is smaller than what repeats differ by.",
        )
    ]  # fmt: skip


JOINTS = Procedure(
    210, "joints", "Joint comparison", "Crimp or solder: settle it on the bench with your own leads.", 20, "off; load bank at 100 A",
    ("jewellery", "load_time"),
    (
        BenchStep("Two leads alike but for their terminations, A and B. Load bank at 100 A."),
        BenchStep("Volts before the load, then load on for 5 s and volts at the load end.", 5, orders_off=True),
        BenchStep("Let the battery recover to the same volts. Take A and B in turn, so that the battery's fall hits both."),
    ),
    _points, _judge,
)  # fmt: skip
