"""What a finished lead has to stand before it goes in."""

from __future__ import annotations

from mavrik.core.catalogue.conductor import Size, parse_size
from mavrik.core.catalogue.lugs import lug_table
from mavrik.core.circuit import ConductorBranch

N_PER_LBF = 4.4482216
WORSE_SHARE, WORSE_V = 0.10, 0.002
"""What a finished lead may lose beyond a sound one: a tenth, and what a good meter doubts. Our choice, no source."""


def pull_out_n(size: Size) -> float:
    """What a crimp has to hold for a minute [N].

    size: of its conductor; one between two of the table is held to the smaller of them
    Raises ValueError for a conductor below the table.
    Source: UL 486A-486B, see ``lugs.json``.

    >>> round(pull_out_n(parse_size("2 AWG")))
    801
    """
    table = {parse_size(name): force for name, force in lug_table().pull_out_lbf.items()}
    below = [s for s in table if s.area_mm2 <= size.area_mm2 * 1.001]
    if not below:
        raise ValueError(f"No pull-out force is listed for {size.label}.")
    return table[max(below, key=lambda s: s.area_mm2)] * N_PER_LBF


def most_drop_v(lead: ConductorBranch, current_a: float, conductor_c: float) -> float:
    """What a finished lead may lose from lug to lug [V].

    lead: as it is made, with its length; current_a: sent through it [A], above 0; conductor_c: how warm it is [degC]
    Raises ValueError for no current.
    Source: resistance of the conductor and two sound joints at that temperature; a tenth more and two millivolts are let pass.

    >>> from mavrik.core.circuit import CableBranch
    >>> lead = CableBranch(id="lead", label="Lead", from_node="a", to_node="b", length_m=2.0, size="35 mm2")
    >>> round(most_drop_v(lead, 100, 20) * 1000)  # 0.554 mohm/m and two joints of 0.05 mohm
    135
    """
    if not current_a > 0:
        raise ValueError("A lead is judged with a current through it")
    return lead.sound_resistance_ohm(conductor_c) * current_a * (1 + WORSE_SHARE) + WORSE_V
