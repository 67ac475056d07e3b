"""A conductor's allowed current beside what flows, by its own table, the other table and the heat balance."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated

from pydantic import Field

from mavrik.core.catalogue.conductor import Material, Stranding, parse_size
from mavrik.core.circuit import ConductorBranch
from mavrik.core.thermal.ampacity import Ampacity, AmpacityTableName, Place, ampacity
from mavrik.core.thermal.heat import heat_curve


@dataclass(frozen=True)
class AmpacityCheck:
    """A conductor's allowed current beside the most it carries for good."""

    current_a: float
    allowed_a: float
    table: str
    words: str
    other_allowed_a: float | None
    other_table: str
    physics_a: Annotated[float, Field(description="By the heat balance in still air of the table's temperature [A]")]
    compared: Annotated[str, Field(description="How far the other table and the heat balance lie from it")]
    ok: bool


def check_ampacity(branch: ConductorBranch, current_a: float) -> AmpacityCheck:
    """A conductor's allowed current against the current through it.

    branch: cable or strap
    current_a: the most it carries for good [A], either sign
    Returns the check by the table of its size series, and what the other named table and the heat balance would say.
    Source: the tables', see `mavrik.core.thermal.ampacity`; heat balance, see `mavrik.core.thermal.heat`.
    """
    allowed, other, physics_a = _by_every_way(
        branch.size, branch.insulation_c, branch.place, branch.material, branch.parallel, branch.ambient_c, branch.bundled,
        branch.stranding,
    )  # fmt: skip
    against = [
        f"{label} {abs(amps / allowed.current_a - 1):.0%} {'more' if amps >= allowed.current_a else 'less'} ({amps:.0f} A)"
        for label, amps in (
            (other.table_label if other else "", other.current_a if other else None),
            (f"the heat balance in still air of {allowed.ambient_c:g} degC", physics_a),
        )
        if amps is not None and allowed.current_a > 0
    ]
    return AmpacityCheck(
        current_a=abs(current_a),
        allowed_a=allowed.current_a,
        table=allowed.table,
        words=allowed.reason,
        other_allowed_a=other.current_a if other else None,
        other_table=other.table if other else next(n for n in AmpacityTableName if n is not allowed.table),
        physics_a=physics_a,
        compared=("Beside that, " + "; ".join(against) + ".") if against else "",
        ok=abs(current_a) <= allowed.current_a,
    )


@lru_cache(maxsize=4096)
def _by_every_way(
    size: str,
    insulation_c: int,
    place: Place,
    material: Material,
    parallel: int,
    ambient_c: float | None,
    bundled: int,
    stranding: Stranding,
) -> tuple[Ampacity, Ampacity | None, float]:
    """Ampacity by the table of the size series, by the other table where it has the size, and by physics [A]."""
    conductor = parse_size(size)
    allowed = ampacity(conductor, insulation_c, place, None, material, parallel, ambient_c, bundled)
    other_name = next(name for name in AmpacityTableName if name is not allowed.table)
    curve = heat_curve(conductor, allowed.ambient_c, material, stranding, bundled)
    physics = curve.ampacity_a(insulation_c) * parallel
    try:
        return allowed, ampacity(conductor, insulation_c, place, other_name, material, parallel, ambient_c, bundled), physics
    except ValueError:
        return allowed, None, physics
