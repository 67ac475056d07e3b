"""Random proposals over all layouts; `./mavrik bench proposals` asks a thousand."""

import pytest

from tests.reference.proposals import currents, draw_request, wrong


@pytest.mark.long(but=5)
@pytest.mark.parametrize("seed", range(40))
def test_a_proposal_holds_together_or_says_why_there_is_none(seed: int) -> None:
    """No cable below its load, no fuse above its cable or below its load, no source unfused, no lead thinner, no check worse."""
    assert wrong(draw_request(seed))[0] == []


def test_the_independent_currents_share_two_grounds_by_their_conductance() -> None:
    """Ohm's law by hand, or the check checks nothing: battery to block beside body ground and engine strap in series."""
    circuit = next(a.circuit for a in map(draw_request, range(100)) if a.layout == "front_battery" and not a.fuses_out)
    flow = currents(circuit, 100.0, {})
    ohm = {b.id: b.sound_resistance_ohm(60.0) for b in circuit.branches}
    direct, beside = ohm["block_ground"], ohm["body_ground"] + ohm["engine_strap"]
    assert abs(flow["block_ground"]) == pytest.approx(100 * beside / (direct + beside), rel=1e-3)
    assert abs(flow["charge_cable"]) == pytest.approx(100, rel=1e-4)


def test_the_check_finds_a_proposal_that_does_not_hold() -> None:
    """A thinner cable, a larger fuse or a missing one is seen: the check can fail."""
    from mavrik.core.circuit.editing import remove_branch
    from tests.reference.proposals import _over_its_cable, bare_metres

    circuit = next(a.circuit for a in map(draw_request, range(100)) if a.layout == "front_battery" and not a.fuses_out)
    assert bare_metres(remove_branch(circuit, "charge_fuse"))
    large = circuit.branch("charge_fuse").model_copy(update={"rating_a": 500.0})
    assert _over_its_cable(circuit, large, large.from_node)
