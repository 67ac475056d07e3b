"""A battery far away: a trailer or a rear bank at the end of a long run, and an appliance beside it."""

from __future__ import annotations

from mavrik.core.catalogue.conductor import PROPOSED_METRIC
from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Chemistry, Circuit, ConnectorBranch, Converter, Load, LoadKind, NodeRole, RelayBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.layouts.parts import battery, cable, fuse
from mavrik.core.planning.guided.base import Answers, Changed, Guide, GuideProblemError, Question, amount, number, pick
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


WARM_C = 60.0
"""A lead that has carried its current for an hour in summer. Our choice, no source."""

TAKES_SHARE = 1.2
"""A DC-DC charger takes about 30 A for 25 A out. Common practice, no source."""

USUAL_LOSS_V_12, APPLIANCE_MM2 = 0.7, 10.0
"""Five in a hundred, there and back; the least that makers of fridges and heaters ask for. Common practice, no source."""


def _size(field: str, amps: float, run_m: float, most_v: float, least_mm2: float) -> str:
    """The smallest lead of a run that loses no more there and back, warm, and is no thinner than somebody asks.

    Raises GuideProblemError, at the field, where none that is made will do.
    """
    for size in PROPOSED_METRIC:
        lead = cable("run", "Run", "here", "there", run_m, size, Place.CABIN)
        if lead.conductor.area_mm2 >= least_mm2 and 2 * amps * lead.sound_resistance_ohm(WARM_C) <= most_v:
            return size
    raise GuideProblemError(
        field,
        f"Over {run_m:g} m even {PROPOSED_METRIC[-1].replace('mm2', 'mm²')} loses more than {most_v:g} V at {amps:.0f} A: allow more, or run less.",
    )


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
            "most_v", "Feed and return may lose", "V", 0.1, 3.0, round(USUAL_LOSS_V_12 * circuit.system_voltage_v / 12, 2),
            "There and back, warm, at the charging current; an appliance’s run the same.",
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
        number("appliance_mm2", "Its maker's least size", "mm²", 0, 50, APPLIANCE_MM2, "More is better: it loses less."),
    )  # fmt: skip


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

    most_v, takes = amount(answers, "most_v"), amps * (TAKES_SHARE if sits == "near" else 1.0)
    size = _size("most_v", takes, run, most_v, 0.0)

    def plugged(name: str, label: str, start: str, end: str, size: str = size) -> None:
        """A run with its plug at the far end."""
        plug = stud(f"{name}_plug", f"{label} plug")
        grow.put(
            "branches",
            cable(grow.free(name), label, start, plug, run, size, Place.CABIN),
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
                set_point_v=(low + most) / 2 * scale, float_v=source_table().float_v_12[kind.value] * scale, input_cut_off_v=11.0 * scale,
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
        appliance_size = _size("most_v", appliance, run, most_v, amount(answers, "appliance_mm2"))
        plugged("appliance_feed", "Appliance feed", switched("appliance", "Appliance", 30), here, appliance_size)
        plugged("appliance_return", "Appliance return", first.negative_node, back, appliance_size)
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
