"""Another alternator, of those the workshop can get, with the leads and fuses that it asks for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from mavrik.core.catalogue.sources import CurvePoint
from mavrik.core.catalogue.units import Unit
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.cost import Cost

SAME_RATING = 1.05
"""A unit within so much of the fitted one is no other choice."""


def _find(situation: Situation) -> Iterator[Change]:
    fitted = situation.unit
    if fitted is not situation.as_found.alternator:
        # Leads are sized for the first one.
        return
    for unit in situation.units.units:
        alike = unit.system_voltage_v == situation.as_found.system_voltage_v and unit.kind == fitted.kind
        if not alike or unit.rated_a < fitted.rated_a * SAME_RATING:
            continue
        ratio = situation.ratio_with(unit.pulley_mm)

        def apply(scheme: Scheme, unit: Unit = unit, ratio: float | None = ratio) -> Scheme:
            changes: dict[str, object] = {
                "rated_a": unit.rated_a,
                "label": unit.name,
                "curve": tuple(CurvePoint(shaft_rpm=rpm, output_a=amps) for rpm, amps in unit.points),
            }
            made = scheme.with_alternator(fitted.id, **changes, **({"pulley_ratio": ratio} if ratio else {}))
            return replace(
                made, unit=unit, sizes_leads=True, pulley_mm=unit.pulley_mm if ratio else None,
                # What was read of the old one's output says nothing of this one.
                use=scheme.use.model_copy(update={"read": None}),
            ).paying(Cost(unit.price, situation.prices.unit_h))  # fmt: skip

        holds = ", ".join(w for w in (unit.frame, f"ears: {unit.ears}" if unit.ears else "", f"foot {unit.foot_mm:g} mm" if unit.foot_mm else "", f"plug: {unit.plug}" if unit.plug else "", f"regulator {unit.regulator}") if w)  # fmt: skip
        turns = f"Comes with a pulley of {unit.pulley_mm:g} mm" + (
            "." if ratio else "; reckoned at the old one's shaft speed, for its pulley is not entered."
        )
        why = f"{unit.rated_a:g} A, with the leads and fuses it needs. {turns}"
        yield Change(f"unit:{unit.name}", "unit", f"Unit {unit.name}", why, apply, (f"Hold it against the old one: {holds}.",))


UNIT = ChangeKind(40, "unit", "Another alternator", _find)
