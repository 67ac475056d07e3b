"""What nobody notes of a test: a link that had closed before, and loads that were all that was on."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.circuit import Circuit, LinkBranch
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.bench_model import BenchModel, planned
from mavrik.core.findings.changes import Change, What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.hypotheses import Hypothesis, Unnoted, both
from mavrik.core.findings.unknowns import Unknowns
from mavrik.core.findings.unnoted import in_words
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Point
from tests.build import completed, judged

SOUND = Hypothesis((NOTHING,), 1.0)
HELD = Hypothesis((NOTHING,), 1.0, unnoted=frozenset({Unnoted.LINKS_CLOSED}))


def two_units() -> Circuit:
    """A unit on either side of a voltage link."""
    return build_layout("house_bank_diagonal", 12)


def with_override(circuit: Circuit, override: str) -> Circuit:
    branches = [b.model_copy(update={"override": override}) if isinstance(b, LinkBranch) else b for b in circuit.branches]
    return circuit.model_copy(update={"branches": tuple(branches)})


def volts_at_both(model: BenchModel, state: BenchState, h: Hypothesis, row: np.ndarray | None = None) -> list[float]:
    circuit = model.circuit
    points = [Point(b.id, b.label, "voltage", state, red=b.positive_node, black=b.negative_node) for b in circuit.batteries]
    rows = model.unknowns.rows([h]) if row is None else row[None]
    return [round(float(v), 3) for v in model.predict(planned(points), [h], rows)[0]]


def with_output(model: BenchModel, share: float) -> np.ndarray:
    """The first unit gives so much of what it should."""
    row = model.unknowns.rows([SOUND])[0]
    row[model.unknowns.place[What.LIMIT_SHARE, model.circuit.alternator.id]] = np.log(share)
    return row


@pytest.mark.parametrize("state", [BenchState.IDLE, BenchState.FAST_LOADED])
def test_a_link_that_had_closed_is_held_by_the_other_unit(state: BenchState) -> None:
    """As one that is closed by hand; one that had not closed stays open, the first unit being dead."""
    circuit = two_units()
    model = BenchModel(circuit)
    row = with_output(model, 0.001)
    by_itself, held = volts_at_both(model, state, SOUND, row), volts_at_both(model, state, HELD, row)
    held_by_hand = [BenchModel(with_override(circuit, o)) for o in ("closed", "open")]
    closed, opened = (volts_at_both(m, state, SOUND, with_output(m, 0.001)) for m in held_by_hand)
    link = next(b for b in circuit.branches if isinstance(b, LinkBranch))
    assert by_itself[0] < link.cut_out_v < held[0]
    assert held == closed and by_itself == opened


def test_a_link_opens_below_its_cut_out_whatever_it_was_before() -> None:
    model = BenchModel(build_layout("second_battery_link", 12))
    row = with_output(model, 0.001)
    assert volts_at_both(model, BenchState.IDLE, HELD, row) == volts_at_both(model, BenchState.IDLE, SOUND, row)
    # With the engine still it has opened, too.
    units = BenchModel(two_units())
    assert volts_at_both(units, BenchState.KEY_ON, HELD) == volts_at_both(units, BenchState.KEY_ON, SOUND)


def test_only_what_is_listed_is_on() -> None:
    u = Unknowns.of(build_layout("front_battery", 12))
    k = u.place[What.CONSUMERS_A, "battery"]
    alone = Hypothesis((NOTHING,), 1.0, unnoted=frozenset({Unnoted.LISTED_ALONE}))
    centre, width, _ = u.priors([SOUND, alone])
    assert centre[0, k] > 20 and centre[1, k] == 0.0
    assert width[1, k] < 0.05 * centre[0, k]
    assert np.array_equal(np.delete(centre[0], k), np.delete(centre[1], k))


def test_a_set_keeps_what_nobody_noted_of_either() -> None:
    drain = Hypothesis(("drain:battery",), 0.1, (Change(What.DRAIN_A, "battery", 0.6),))
    assert both(HELD, drain).unnoted == both(drain, HELD).unnoted == {Unnoted.LINKS_CLOSED}


def test_it_is_said_in_words() -> None:
    circuit = two_units()
    link = next(b for b in circuit.branches if isinstance(b, LinkBranch))
    assert in_words(circuit, Unnoted.LINKS_CLOSED).startswith(f"{link.label} had closed before")
    consumers = [x for x in circuit.loads if not x.cranking]
    assert all(x.label in in_words(circuit, Unnoted.LISTED_ALONE) for x in consumers)


@pytest.mark.long
def test_a_dead_unit_is_found_though_the_other_one_holds_its_battery() -> None:
    """The clamp says that it gives nothing, and its battery is charged all the same: through a link that had closed before. Whether it has no
    field, no belt, or its way is open neither lamp nor belt nor stud was asked."""
    circuit = two_units()
    resting = {"rest_v:battery": 12.2} | {f"rest_v:bank_{k}": 12.39 for k in (1, 2, 3, 4)}
    regulated = {"regulated_v:idle": 12.8, "regulated_v:fast": 13.45, "other_regulated_v:bank_1": 13.3}
    runs = [
        completed(circuit, Run(procedure=name, readings=tuple(Reading(point=k, value=v) for k, v in values.items())))
        for name, values in (("rest", resting), ("regulated", regulated), ("full_output", {"output_a:alternator": 0.2}))
    ]
    findings = judged(circuit, *runs)
    assert findings.one_of is not None and findings.one_of.probability > 0.9
    assert set(findings.one_of.causes) == {"field_open:alternator", "open:charge_fuse", "belt_off:alternator"}
    assert all(c.assumes == (in_words(circuit, Unnoted.LINKS_CLOSED),) for c in findings.causes[:3])
    lamp = Run(procedure="key_on", readings=(Reading(point="lamp:alternator", value=0.0),))
    first = judged(circuit, *runs, completed(circuit, lamp)).causes[0]
    assert (first.cause, first.probability > 0.9) == ("field_open:alternator", True)
    assert not findings.doubtful
