"""What a fault changes among the values of a vehicle's network."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.operating.bench_states import BenchState


class What(StrEnum):
    """Which value of the network a change is of; each is an unknown of the fit too, `OPEN`, `OFF` and `SLOW` aside."""

    MORE_OHM = "more_ohm"
    OPEN = "open"
    SHORTED = "shorted"
    """A diode, or a way of an isolator, that conducts both ways."""
    OFF = "off"
    """A DC-DC charger that does not run."""
    SLOW = "slow"
    """The engine, where a test asks for speed."""
    EMF = "emf"
    CHARGE = "charge"
    """Of all batteries that metal joins to one: they rest at one voltage."""
    UNLEVEL = "unlevel"
    """How far a battery still is above those that metal, or a shorted way, joins it to, asleep: one feeds the other until they are level."""
    OHM_SHARE = "ohm_share"
    OHM_ALIKE = "ohm_alike"
    """The same of all batteries of one make, where there are several."""
    TAKES_SHARE = "takes_share"
    """Of its resistance while it is charged: how slowly it takes a charge."""
    TAKES_ALIKE = "takes_alike"
    """The same of all lead batteries of a vehicle, where it has several: as warm and as old as each other, and as far from the catalogue."""
    DRAIN_A = "drain_a"
    CHARGED = "charged"
    """How far a battery was charged while an output was read; the other states know nothing of it."""
    SET_POINT = "set_point"
    LIMIT_SHARE = "limit_share"
    IDLE_SHARE = "idle_share"
    """Of its output at idle, beside its share at any speed."""
    FORWARD = "forward"
    """What a diode, or a way of an isolator, loses more than the forward voltage of its document."""
    SLIP = "slip"
    """What of its speed the belt loses where the unit is hardest to turn."""
    SLIP_UNLOADED = "slip_unloaded"
    """What of that shows more than usual with nothing on: batteries that take much turn a unit as hard as loads do."""
    ANOTHERS_A = "anothers_a"
    """What another alternator gives while the output of the first is read."""
    MORE_LOAD_A = "more_load_a"
    """What runs with the engine and is on no list."""
    CONSUMERS_A = "consumers_a"
    """All consumers on, of a circuit whose document lists next to none."""
    KEY_ON_A = "key_on_a"
    """Ignition and exciter with the key on and the engine still."""
    LISTED_SHARE = "listed_share"
    STARTER_SHARE = "starter_share"


SHARES = frozenset({What.OHM_SHARE, What.TAKES_SHARE, What.LIMIT_SHARE, What.IDLE_SHARE, What.LISTED_SHARE, What.STARTER_SHARE})
"""Changes that multiply: as an unknown each is the natural logarithm of its amount."""

STUCK = frozenset({What.OPEN, What.SHORTED, What.OFF})
"""Changes that are there or not, however much else there is."""

OF_A_UNIT = frozenset({What.LIMIT_SHARE, What.SLIP, What.SET_POINT, What.SLOW})
"""What decides whether a unit has output to spare."""

AS_LOGARITHM = frozenset({What.MORE_OHM, What.DRAIN_A})
"""Changes that a fault has some of, however much: then an unknown by its logarithm; a sound part has about none."""


@dataclass(frozen=True)
class Change:
    """One value that a fault changes."""

    what: What
    element: str
    amount: float = 0.0
    spread: float = 0.0
    """Standard deviation of the amount among vehicles that have the fault; of its natural logarithm for what is a share or a logarithm."""
    states: frozenset[BenchState] | None = None
    """Of the bench, where it is there; None: in all of them."""
    elsewhere: float = 0.0
    """What share of it there is in the others."""
    always: float = 0.0
    """What there is beside it in all of them: what the part differs by when it is sound."""
    goes_with: bool = False
    """Whether it only goes with what is wrong, and may be missing."""

    def share_in(self, state: BenchState) -> float:
        """What share of it there is in a state of the bench."""
        return 1.0 if self.states is None or state in self.states else self.elsewhere
