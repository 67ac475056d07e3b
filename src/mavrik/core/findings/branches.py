"""What is said of one branch: a view of the inference, and of the limit at rated output."""

from __future__ import annotations

import numpy as np

from mavrik.core.circuit import AnyBranch, ConductorBranch
from mavrik.core.circuit.ring import Side
from mavrik.core.findings.bench import NO_CURRENT_A, Bench, Known, millivolts
from mavrik.core.findings.changes import What
from mavrik.core.findings.documents import BranchFinding, BranchVerdict
from mavrik.core.findings.faults import bad_by, fault_table
from mavrik.core.findings.inference import Estimate
from mavrik.core.findings.words import MAY, label_of, sureness
from mavrik.core.measuring.limits import Limit, Scope, most_excess_ohm
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict, verdict_below
from mavrik.core.procedures import Observation
from mavrik.core.procedures.bench.charging_drops import SHARED_BELOW
from mavrik.core.protection.parts import PartsReport

FAR_BELOW = 0.5
"""A drop below so much of what a sound part loses says that a probe did not touch, or that the part is another one."""

CONTACT_FAR_BELOW = 0.25
"""The same of fuses, switches and contacts, of which two of a kind differ by more. Our choice, no source."""

EVEN = 0.5
"""What is over its limit and likelier bad than not fails, though one reading may have been a slip."""

MORE_THAN_FAIR = 1.1
"""A part that carries so many times what it would in the sound circuit carries for another. Our choice, no source."""

LONGER = 0.2
"""A route may be so much longer than it was measured along a loom: that heats no joint. Common practice, no source."""

READ_ON = "Take the reading that tells most next."

LEAST_TELLING_V = 0.004
"""A sound part that loses less than this may well read 0. A few digits of a hand meter; our choice, no source."""


def of_mohm(ohm: float) -> str:
    """Ohms as milliohms in words, with the digits that matter."""
    mohm = ohm * 1000
    return f"{mohm:.0f}" if abs(mohm) >= 20 else f"{mohm:.1f}" if abs(mohm) >= 2 else f"{mohm:.2f}"


def excess_in_words(estimate: Estimate) -> str:
    """What a branch has too much, with its interval.

    >>> excess_in_words(Estimate(0.00342, 0.002, 0.00486, 1.0, True))
    '3.4 mΩ (2.0 to 4.9 mΩ) more than this part has when sound'
    """
    low = max(estimate.low_ohm, 0.0)
    return f"{of_mohm(estimate.excess_ohm)} mΩ ({of_mohm(low)} to {of_mohm(estimate.high_ohm)} mΩ) more than this part has when sound"


def _against_the_current(bench: Bench, branch: AnyBranch, of: Observation) -> bool:
    """Whether a drop was read with the wrong sign, and the likeliest cause does not say that it has that sign here."""
    if branch.by_voltage and branch.settable:
        # Over a link that is open there may be anything.
        return False
    predicted = bench.predicted_v(of, bench.posterior.best)
    if np.isfinite(predicted) and predicted * of.measured.value > 0:
        return False
    expected = bench.now.node_v[of.point.red] - bench.now.node_v[of.point.black]
    along = 1 if expected >= 0 else -1
    return abs(expected) > NO_CURRENT_A and of.measured.value * along < -of.measured.uncertainty


def far_below_sound(bench: Bench, branch: AnyBranch, of: Observation) -> bool:
    """Whether a drop is far below what a sound part loses where all of the output passes it."""
    expected = abs(bench.now.drop_v[branch.id])
    if branch.threshold_v:
        # A diode that is shorted loses next to nothing, and that is no probe's fault.
        expected = min(expected, abs(np.nan_to_num(bench.predicted_v(of, bench.posterior.best), nan=np.inf)))
    if branch.id not in bench.ring.ids and len(bench.circuit.alternators) > 1:
        # What another unit gives it does not have to carry: that is as all readings have it.
        expected = min(expected, abs(bench.predicted_v(of, bench.posterior.sound)))
    passes_all = abs(bench.now.current_a[branch.id]) >= SHARED_BELOW * bench.now.output_a
    share = FAR_BELOW if isinstance(branch, ConductorBranch) else CONTACT_FAR_BELOW
    if not passes_all or expected <= LEAST_TELLING_V or bench.surely_below(of, share * expected):
        return False
    return abs(of.measured.value) + of.measured.uncertainty < share * expected


def _carries_for_another(bench: Bench, branch: AnyBranch, limit: Limit) -> bool:
    """Whether a sound part is over its limit only because a path beside it leaves its current to it."""
    fair, carried = abs(bench.now.current_a[branch.id]), abs(bench.fitted.current_a[branch.id])
    return carried > MORE_THAN_FAIR * fair and abs(bench.rated.drop_v[branch.id]) < limit.volts


def _over_by_itself(bench: Bench, branch: AnyBranch, estimate: Estimate, limit: Limit) -> float | None:
    """How likely what a part has beyond the drawn one takes it over its limit, a bad contact or no more than two of a kind differ by;
    None: the drawn one is over it, or carries nothing."""
    rated, amps = abs(bench.rated.drop_v[branch.id]), abs(bench.rated.current_a[branch.id])
    return estimate.beyond((limit.volts - rated) / amps) if rated < limit.volts and amps > NO_CURRENT_A else None


def fails_in_itself(branch: BranchFinding) -> bool:
    """Whether a branch over its limit is likelier bad than not, or over it by what it has beyond the drawn one: not by its size, nor by a
    path beside it."""
    return max(branch.probability or 0.0, branch.over_limit_probability or 0.0) > EVEN


def _verdict(
    bench: Bench,
    branch: AnyBranch,
    estimate: Estimate | None,
    of: Observation | None,
    judged: Measured | None,
    limit: Limit,
    over: float | None,
) -> tuple[BranchVerdict, str, str]:
    """Verdict, why, and what to do next.

    over: as `_over_by_itself`
    """
    if of is not None and _against_the_current(bench, branch, of):
        return (
            BranchVerdict.CHECK_PROBES,
            f"{millivolts(of.measured.value)} runs against the current: the probes were swapped, or another source pushes current here.",
            "Red probe towards the alternator stud on the feed side, towards the battery on the return side; read again.",
        )
    if of is not None and far_below_sound(bench, branch, of):
        return (
            BranchVerdict.CHECK_PROBES,
            f"{millivolts(of.measured.value)} is far below the {millivolts(abs(bench.now.drop_v[branch.id]))} that a sound part loses here: "
            "a probe did not touch, or length and size are not those of the circuit.",
            "Press both probes on bare metal and read again; then check length and size.",
        )
    if of is not None and of.point.id in bench.doubtful:
        return (
            BranchVerdict.CHECK_PROBES,
            f"No likely cause explains {millivolts(of.measured.value)} here: more likely a slip of the probe, a range or a decimal point.",
            "Read it again before judging.",
        )
    probably = fault_table().probably
    unread = estimate is None or not estimate.read
    # Nothing flows through what is open: that shows elsewhere, and no drop along it has to be read.
    least = EVEN if unread else 1 - probably
    if (stuck := _of_what_is_stuck(bench, branch, of, least)) is not None:
        return stuck
    if estimate is None or unread:
        return BranchVerdict.NOT_MEASURED, "No drop was read here.", ""
    at = straddles = ""
    outcome = Verdict.PASS
    if judged is not None:
        at = f"{millivolts(judged.value)} at the rated {bench.rated_a:g} A"
        straddles = f"{at} ± {millivolts(judged.uncertainty)} straddles {limit.rule}"
        outcome = verdict_below(abs(judged.value), judged.uncertainty, limit.volts)
    if estimate.probability >= probably:
        more = f"{excess_in_words(estimate)}."
        if outcome is Verdict.FAIL:
            return BranchVerdict.FAIL, f"{at} is over {limit.rule}, and {more}", branch.how_to_mend
        if not at:
            return BranchVerdict.EXCESS, f"By the other readings it has {more}", branch.how_to_mend
        within = straddles + ", and" if outcome is Verdict.CLOSE else f"Within {limit.rule}, but"
        return BranchVerdict.EXCESS, f"{within} {more}", branch.how_to_mend
    if outcome is Verdict.FAIL and estimate.probability > EVEN:
        return (
            BranchVerdict.FAIL,
            f"{at} is over {limit.rule}; {estimate.probability:.0%} that the part has too much, and not that the probe slipped.",
            "Read it again before taking it apart; then measure each end by itself.",
        )
    for_another = outcome is Verdict.FAIL and _carries_for_another(bench, branch, limit)
    if outcome is Verdict.FAIL and not for_another and (over or 0.0) > EVEN:
        return BranchVerdict.FAIL, f"{at} is over {limit.rule}: {excess_in_words(estimate)}.", branch.how_to_mend
    if estimate.probability > 1 - probably:
        return (
            BranchVerdict.UNDECIDED,
            f"It may have up to {of_mohm(estimate.high_ohm)} mΩ too much; the readings do not tell ({estimate.probability:.0%}).",
            READ_ON,
        )
    if for_another:
        return (
            BranchVerdict.PASS,
            f"{at} is over {limit.rule}, but the part is sound: it carries {abs(bench.fitted.current_a[branch.id]):.0f} A instead of "
            f"{abs(bench.now.current_a[branch.id]):.0f} A, because a path beside it has too much.",
            "Mend the path beside it, then read this one again.",
        )
    if outcome is Verdict.FAIL and over is not None:
        return BranchVerdict.FAIL, f"{at} is over {limit.rule}, which by all readings together it should keep.", "Read it again."
    if outcome is Verdict.FAIL:
        return (
            BranchVerdict.FAIL,
            f"{at} is over {limit.rule}, though the part is sound: it is too small or too long for this current.",
            "Cleaning will not help. Plan a larger size.",
        )
    if outcome is Verdict.CLOSE:
        return BranchVerdict.CLOSE, f"{straddles}.", "Repeat nearer to rated output, or on a finer range: that narrows the band."
    if (hot := _hot(bench, branch, estimate)) is not None:
        return hot
    if not at:
        return BranchVerdict.PASS, "By the other readings it has no more resistance than a sound one.", ""
    return BranchVerdict.PASS, f"{at} is within {limit.rule}.", ""


def _of_what_is_stuck(
    bench: Bench, branch: AnyBranch, of: Observation | None, least: float
) -> tuple[BranchVerdict, str, str] | None:
    """What is said of a part that is open, or does not block, or may be so; None: that is not what is wrong with it, or by hearsay alone.

    least: from here on what it may have is worth a word
    """
    posterior, probably = bench.posterior, fault_table().probably
    how = posterior.bad_by(branch.id)
    what = max(how, key=how.__getitem__)
    likely = how[what]
    if what is What.MORE_OHM or likely <= least or likely < sum(how.values()) / 2 or not bench.measured:
        return None
    if likely < probably:
        return BranchVerdict.UNDECIDED, f"It may {MAY[what]}; the readings do not tell ({likely:.0%}).", READ_ON
    volts = "" if of is None else millivolts(of.measured.value)
    if what is What.SHORTED:
        loses = volts and f", {volts} where its forward voltage is {branch.threshold_v:g} V"
        return (
            BranchVerdict.FAIL,
            f"It conducts both ways{loses}: {sureness(likely)}.",
            "Replace it: nothing keeps the banks apart.",
        )
    across = volts and f", {volts} across it"
    causes = [c for c in posterior.by_cause if bad_by(c, branch.id) is What.OPEN]
    likeliest = max(causes, key=lambda c: posterior.by_cause[c])
    return BranchVerdict.FAIL, f"It is open{across}: {sureness(likely)}.", label_of(bench.circuit, likeliest)[1]


def _hot(bench: Bench, branch: AnyBranch, estimate: Estimate) -> tuple[BranchVerdict, str, str] | None:
    """What is said of a part within its volts that makes more heat than it may; None: it does not."""
    amps = abs(bench.fitted_rated.current_a[branch.id])
    longer = LONGER * branch.sound_resistance_ohm(20.0) if isinstance(branch, ConductorBranch) else 0.0
    most = most_excess_ohm(amps) + longer
    if estimate.excess_ohm <= most:
        return None
    watts = estimate.excess_ohm * amps**2
    why = f"its {watts:.0f} W more than a sound part has at {amps:.0f} A"
    if estimate.low_ohm > most:
        return (
            BranchVerdict.EXCESS,
            f"Its drop is within limits, but {why} heat it: {excess_in_words(estimate)}.",
            branch.how_to_mend,
        )
    again = "Load it for some minutes and feel or measure its ends; read the drop again on a finer range."
    return (
        BranchVerdict.CLOSE,
        f"Its drop is within limits; {why} would heat it, if they are there: {excess_in_words(estimate)}.",
        again,
    )


def _basis(bench: Bench, branch: AnyBranch) -> str:
    if f"branch_a:{branch.id}" in bench.read:
        return "clamp"
    if abs(bench.fitted.current_a[branch.id]) >= SHARED_BELOW * bench.fitted.output_a:
        return "output"
    return "fitted" if bench.posterior.estimates else "model"


def judge_branch(bench: Bench, branch: AnyBranch, parts: PartsReport) -> BranchFinding:
    """Everything said of one branch.

    bench: the circuit with its readings
    branch: a branch of it that conducts
    parts: what its parts' checks said
    Its excess resistance is the inference's; its limit is the profile's, for its drop scaled to rated output; beside the ring, where
    nobody read how much of the test's current it carried, for the drop that its resistance makes there.
    Source: Ohm's and Joule's laws; verdicts by JCGM 106.
    """
    i = branch.id
    side = bench.ring.side[i]
    conductor = branch if isinstance(branch, ConductorBranch) else None
    scope = Scope.WHOLE if i in bench.spurs else Scope.GROUND if side is Side.RETURN and conductor else Scope.SIDE
    limit = bench.limit(scope).with_threshold(branch.threshold_v)
    of = bench.read.get(f"drop_v:{i}")
    estimate = bench.posterior.estimates.get(i)
    judged = None
    if of is not None and estimate is not None and i not in bench.ring.ids:
        judged = bench.fitted_at_rated(i, estimate)
    elif of is not None:
        judged = bench.at_rated(Known.of(of), (i,), branch.threshold_v)
    over = None if estimate is None else _over_by_itself(bench, branch, estimate, limit)
    verdict, reason, next_step = _verdict(bench, branch, estimate, of, judged, limit, over)
    known = estimate if estimate is not None and estimate.read and verdict is not BranchVerdict.CHECK_PROBES else None
    # What is open has no milliohms too much, and carries nothing that could heat it.
    opened = bench.posterior.bad_by(i)[What.OPEN] >= EVEN
    metal = None if opened else known
    clamped = bench.read.get(f"branch_a:{i}")
    current = clamped.measured.value if clamped else 0.0 if opened else bench.fitted.current_a[i]
    predicted = bench.now.current_a[i] * bench.now.resistance_ohm[i]
    if abs(bench.now.current_a[i]) > NO_CURRENT_A:
        predicted += branch.threshold_v
    return BranchFinding(
        branch_id=i,
        label=branch.label,
        kind=branch.kind,
        part=branch.in_words,
        side=side,
        on_ring=i in bench.ring.ids,
        from_node=branch.from_node,
        to_node=branch.to_node,
        length_m=conductor.length_m if conductor else None,
        temperature_c=bench.now.temperature_c[i],
        resistance_ohm=bench.now.resistance_ohm[i],
        current_a=current,
        current_basis=_basis(bench, branch),
        predicted_drop_v=predicted,
        predicted_heat_w=abs(predicted * bench.now.current_a[i]),
        measured_drop_v=of.measured.value if of else None,
        measured_uncertainty_v=of.measured.uncertainty if of else None,
        excess_ohm=metal.excess_ohm if metal else None,
        excess_low_ohm=metal.low_ohm if metal else None,
        excess_high_ohm=metal.high_ohm if metal else None,
        probability=known.probability if known else None,
        over_limit_probability=over if known else None,
        heat_w=0.0 if opened else abs(of.measured.value * current) if of else None,
        excess_heat_w=metal.excess_ohm * current**2 if metal else None,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        judged_current_a=bench.rated_a,
        judged_drop_v=judged.value if judged else None,
        judged_uncertainty_v=judged.uncertainty if judged else None,
        rated_drop_v=bench.rated.drop_v[i],
        sound_low_v=bench.band[i][0] if i in bench.band else None,
        sound_high_v=bench.band[i][1] if i in bench.band else None,
        verdict=verdict,
        reason=reason,
        next_step=next_step,
        ampacity=parts.ampacity.get(i),
        fuse=parts.fuses.get(i),
    )
