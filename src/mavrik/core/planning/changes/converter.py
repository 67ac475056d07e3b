"""A DC-DC charger where a link or a relay joins two batteries."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import AnyBranch, Circuit, Converter, LinkBranch, NodeRole, RelayBranch
from mavrik.core.circuit.editing import free_id, with_parts
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation

CHARGED_C, LEAST_A = 0.25, 10.0
"""A charger for a quarter of the bank's ampere-hours, in steps of five. Our choice, no source."""


def _ends(circuit: Circuit, link: AnyBranch) -> tuple[str, str] | None:
    """Of a contact between two batteries: the node on the alternator's side, and the other; None for any other contact."""
    without = graph_of([b for b in circuit.branches if b.id != link.id], open_too=True)
    positive = {b.positive_node for b in circuit.batteries}
    near = reach(without, circuit.alternator.stud_node)
    ends = (link.from_node, link.to_node)
    if (ends[0] in near) == (ends[1] in near):
        return None
    fed, far = ends if ends[0] in near else ends[::-1]
    there = reach(without, far)
    return (fed, far) if positive & near and positive & there and not near & there else None


def _find(situation: Situation) -> Iterator[Change]:
    circuit = situation.as_found
    for link in circuit.branches:
        if not isinstance(link, LinkBranch | RelayBranch) or (ends := _ends(circuit, link)) is None:
            continue
        _, far = ends
        without = graph_of([b for b in circuit.branches if b.id != link.id], open_too=True)
        there = reach(without, far)
        bank = next(b for b in circuit.batteries if b.positive_node in there)
        amps = max(5.0 * round(CHARGED_C * bank.capacity_ah * bank.parallel / 5), LEAST_A)
        volts = sum(source_table().charge_window_12[bank.chemistry.value]) / 2 * circuit.system_voltage_v / 12
        ground = next((n.id for n in circuit.nodes if n.role is NodeRole.CHASSIS), circuit.battery.negative_node)

        def apply(
            scheme: Scheme, branch_id: str = link.id, ends: tuple[str, str] = ends, amps: float = amps, ground: str = ground,
            volts: float = volts,
        ) -> Scheme:  # fmt: skip
            now = scheme.circuit
            made = Converter(
                id=free_id(now, "dc_charger"), label="DC-DC charger", in_node=ends[0], out_node=ends[1], ground_node=ground,
                limit_a=amps, set_point_v=volts, input_cut_off_v=11.5 * now.system_voltage_v / 12,
            )  # fmt: skip
            branches = tuple(b for b in now.branches if b.id != branch_id)
            return scheme.with_circuit(with_parts(now, branches=branches, converters=(*now.converters, made)))

        yield Change(
            f"converter:{link.id}", f"link:{link.id}", f"DC-DC charger of {amps:g} A for {link.label}",
            f"{bank.label} gets its own voltage and no more than {amps:g} A; the starting battery is never drained through it.", apply,
            ("Next to the battery that it charges; it takes about a fifth more in than it gives out.",),
        )  # fmt: skip


CONVERTER = ChangeKind(35, "converter", "DC-DC charger", _find)
