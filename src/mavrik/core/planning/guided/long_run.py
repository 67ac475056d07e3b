"""A battery far away: a trailer or a rear bank at the end of a long run, and an appliance beside it."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Chemistry, Circuit, ConnectorBranch, Converter, Load, LoadKind, NodeRole, RelayBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.layouts.parts import battery, cable, fuse
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick
from mavrik.core.thermal.ampacity import Place

SITS = {
    "near": "Next to the far battery",
    "start": "Next to the starting battery",
    "none": "There is none: a relay alone",
}
KINDS = {
    Chemistry.AGM.value: "Lead, sealed",
    Chemistry.FLOODED.value: "Lead, flooded",
    Chemistry.LIFEPO4.value: "Lithium iron phosphate",
}
PLUG_MOHM, RELAY_MOHM = 0.5, 0.5
"""Of a clean high-current plug and a relay's contact; a dirty one has many times that. Common practice, rough, no source."""


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    return (
        number("run_m", "Run, one way", "m", 1, 20, 8.0, "From the starting battery along its way to the far one."),
        number("charge_a", "Charging current", "A", 3, 120, 25.0),
        number("capacity_ah", "Far battery", "Ah", 5, 1000, 100.0),
        pick("kind", "Its kind", KINDS),
        pick(
            "charger",
            "The DC-DC charger sits",
            SITS,
            why="Far from its battery it holds its own end at its voltage, not the battery's.",
        ),
        number(
            "appliance_a",
            "Appliance at the far end",
            "A",
            0,
            80,
            0.0,
            "A fridge or heater on a feed and plug of its own; 0: none.",
        ),
    )


def _build(circuit: Circuit, answers: Answers) -> Changed:
    first, scale = circuit.battery, circuit.system_voltage_v / 12
    run, amps, sits = amount(answers, "run_m"), amount(answers, "charge_a"), str(answers["charger"])
    kind, appliance = Chemistry(str(answers["kind"])), amount(answers, "appliance_a")
    grow = Growing(circuit)
    plus = grow.node("far_pos", "Far battery +", NodeRole.BATTERY_POSITIVE)
    minus = grow.node("far_neg", "Far battery −", NodeRole.BATTERY_NEGATIVE)
    grow.put(
        "batteries",
        battery(grow.free("far_battery"), "Far battery").model_copy(
            update={"positive_node": plus, "negative_node": minus, "chemistry": kind, "capacity_ah": amount(answers, "capacity_ah"), "cca_a": None}
        ),
    )  # fmt: skip

    def stud(name: str, label: str) -> str:
        return grow.node(name, label)

    def plugged(name: str, label: str, start: str, end: str) -> None:
        """A run with its plug at the far end."""
        plug = stud(f"{name}_plug", f"{label} plug")
        grow.put(
            "branches",
            cable(grow.free(name), label, start, plug, run, "16 mm2", Place.CABIN),
            ConnectorBranch(id=grow.free(f"{name}_connector"), label=f"{label} plug", from_node=plug, to_node=end, resistance_mohm=PLUG_MOHM),
        )  # fmt: skip

    def switched(name: str, label: str, rating: float) -> str:
        """A fuse at the starting battery and an isolation relay behind it; returns where the feed goes on."""
        fused, out = stud(f"{name}_fuse", f"{label} fuse stud"), stud(f"{name}_relay", f"{label} relay, far side")
        grow.put(
            "branches",
            fuse(grow.free(f"{name}_fuse"), f"{label} fuse", first.positive_node, fused, rating, FuseFamily.STRIP_30),
            RelayBranch(id=grow.free(f"{name}_relay"), label=f"{label} isolation relay", from_node=fused, to_node=out, resistance_mohm=RELAY_MOHM, rating_a=max(70.0, 2 * rating)),
        )  # fmt: skip
        return out

    feed, far = switched("run", "Long run", 60), stud("far_fuse", "Far fuse stud")
    low, most = source_table().charge_window_12[kind.value]

    def charger(start: str, end: str, ground: str) -> None:
        grow.put(
            "converters",
            Converter(
                id=grow.free("dc_charger"), label="DC-DC charger", in_node=start, out_node=end, ground_node=ground, limit_a=amps,
                set_point_v=(low + most) / 2 * scale, input_cut_off_v=11.0 * scale,
            ),
        )  # fmt: skip

    if sits == "near":
        inlet = stud("dc_in", "Charger input")
        plugged("run_feed", "Long run feed", feed, inlet)
        charger(inlet, far, minus)
    elif sits == "start":
        outlet = stud("dc_out", "Charger output")
        charger(feed, outlet, first.negative_node)
        plugged("run_feed", "Long run feed", outlet, far)
    else:
        plugged("run_feed", "Long run feed", feed, far)
    grow.put("branches", fuse(grow.free("far_fuse"), "Far battery fuse", far, plus, 60, FuseFamily.STRIP_30))
    plugged("run_return", "Long run return", first.negative_node, minus)
    if appliance > 0:
        here, back = (
            grow.node(f"appliance_{n}", f"Appliance {sign}", NodeRole.CONSUMER) for n, sign in (("pos", "+"), ("neg", "−"))
        )
        plugged("appliance_feed", "Appliance feed", switched("appliance", "Appliance", 30), here)
        plugged("appliance_return", "Appliance return", first.negative_node, back)
        grow.put(
            "loads",
            Load(id=grow.free("appliance"), label="Appliance", from_node=here, to_node=back, current_a=appliance, law=LoadKind.RESISTANCE),
        )  # fmt: skip
    return Changed(
        grow.done(),
        (
            "A fuse at each battery: either can feed the run. Bolted fuses, crimped lugs, the return as thick as the feed, never by the hitch.",
            "One plug a circuit, two-pole, high-current, keyed and coloured so that they cannot be swapped: small multi-pin contacts heat and melt.",
            "The relays hang on the signal of the running engine: feeds die with it, and spare the starting battery.",
            *(("An absorption appliance waits some 15 min after that signal before it changes over: a feed that is always live breaks its logic.",) if appliance > 0 else ()),
            "Brakes, stability control and lamps stay on plugs of their own. Prove it loaded: volts at both ends, and a hand on each plug after half an hour.",
        ),
    )  # fmt: skip


LONG_RUN = Guide(
    28, "long_run", "Feed a battery far away", "Trailer or rear bank: run, relay, plugs, and where its charger sits, in numbers.", lambda _: "", _asks, _build,
    compares="charger",
)  # fmt: skip
