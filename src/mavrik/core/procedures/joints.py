"""Joint comparison: two leads with different terminations under the same load, repeated, and is the difference more than the scatter?"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product

import numpy as np
from scipy import stats

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit
from mavrik.core.procedures.states import BenchState
from mavrik.core.uncertainty import Verdict

SAMPLES, REPEATS = ("A", "B"), (1, 2, 3, 4, 5)
CONFIDENCE = 0.95


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(
            f"joint_{what}:{s}{k}",
            f"Lead {s}, run {k}: {words}",
            Unit.VOLT,
            BenchState.REST,
            element="",
            sign="joint",
            beside=True,
        )
        for s, k in product(SAMPLES, REPEATS)
        for what, words in (("start_v", "volts before the load"), ("end_v", "volts at the load end, loaded"))
    )


def losses(taken: Mapping[str, Taken], sample: str) -> list[float]:
    """What a lead lost in each run that has both readings, its start voltage taken off [V].

    taken: readings by ask; sample: A or B
    """
    return [
        taken[f"joint_start_v:{sample}{k}"].value - taken[f"joint_end_v:{sample}{k}"].value
        for k in REPEATS
        if f"joint_start_v:{sample}{k}" in taken and f"joint_end_v:{sample}{k}" in taken
    ]


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    first, second = (losses(taken, s) for s in SAMPLES)
    if not first or not second:
        return []
    apart = float(np.mean(first) - np.mean(second))
    ask = next(a for a in _asks(circuit) if a.id == f"joint_end_v:B{REPEATS[0]}")
    rule = f"a difference that chance would make in fewer than {1 - CONFIDENCE:.0%} of such trials"
    source = "Welch's t-test on the runs, start voltage taken off each"
    if min(len(first), len(second)) < 2 or np.ptp(first) + np.ptp(second) == 0:
        why = f"A loses {abs(apart) * 1000:.0f} mV {'more' if apart > 0 else 'less'} than B in single runs: within the scatter unless repeated."
        return [
            Judgement(
                ask.id,
                "A against B",
                apart,
                0.0,
                Unit.VOLT,
                Verdict.CLOSE,
                rule,
                source,
                why,
                "At least two runs of each, the battery recovered between.",
            )
        ]
    test = stats.ttest_ind(first, second, equal_var=False)
    low, high = test.confidence_interval(CONFIDENCE)
    real = float(test.pvalue) < 1 - CONFIDENCE
    better = SAMPLES[1] if apart > 0 else SAMPLES[0]
    why = f"A loses {np.mean(first):.3f} V over {len(first)} runs, B {np.mean(second):.3f} V over {len(second)}: " + (
        f"{better} is better by {abs(apart) * 1000:.0f} mV." if real else f"{abs(apart) * 1000:.0f} mV apart, within the scatter."
    )
    verdict = Verdict.PASS if real else Verdict.CLOSE
    return [
        Judgement(
            ask.id, "A against B", apart, float(high - low) / 2, Unit.VOLT, verdict, rule, source, why,
            "" if real else "More runs, or more current: the difference is smaller than what repeats differ by.",
        )
    ]  # fmt: skip


JOINTS = Procedure(
    "joints", "Joint comparison", "Crimp or solder: settle it on the bench with your own leads.", 20, "off; load bank at 100 A",
    ("jewellery", "load_time"),
    (
        BenchStep("Two leads alike but for their terminations, A and B. Load bank at 100 A."),
        BenchStep("Volts before the load, then load on for 5 s and volts at the load end.", 5, orders_off=True),
        BenchStep("Let the battery recover to the same volts. Take A and B in turn, so that the battery's fall hits both."),
    ),
    _asks, _judge,
)  # fmt: skip
