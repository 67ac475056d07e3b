"""The regulator's set point: what each battery on it bears, by chemistry and temperature, and what a high one does to the rest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Battery, Circuit
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.document import Document
from mavrik.core.protection.documents import COMMON, Finding, Severity, by_severity

HIGH_V_12 = 15.0
"""Above this on a 12 V system a set point has to be wanted in so many words. Common practice of the trade."""

LAMP_EXPONENT, LAMP_RATED_V_12 = 13, 13.2
"""A filament's life falls with about the thirteenth power of its voltage; lamps are rated at 13.2 V. Common practice, from memory."""

WARM_C, COLD_C = 40.0, -10.0
"""Between which the batteries of a vehicle usually live. Our choice, no source."""

STEP_V = 0.05


@dataclass(frozen=True)
class BatteryWindow:
    """What one battery on the alternator wants."""

    battery_id: str
    label: str
    chemistry: str
    least_v: Annotated[float, Field(description="It is never full below [V], at 25 degC")]
    most_v: Annotated[float, Field(description="It gasses or its electronics cut off above [V], at 25 degC")]
    float_v: float
    mv_per_k: Annotated[float, Field(description="How the voltage should follow its temperature [mV/K]")]


class SetPointView(Document):
    """A set point against the batteries it charges."""

    set_point_v: float
    windows: tuple[BatteryWindow, ...] = Field(
        description="Of the batteries that the alternator reaches through metal, links and diodes"
    )
    least_v: float | None = Field(description="What suits all of them, at 25 degC; null with most_v where nothing does")
    most_v: float | None
    proposed_v: float | None
    at_cold_v: float | None = Field(description="What that should be with batteries of -10 degC, by compensation [V]")
    at_warm_v: float | None = Field(description="And of 40 degC")
    compensated: bool = Field(description="Whether the regulator follows temperature")
    high: bool = Field(description="Above 15.0 V on 12 V: it has to be acknowledged")
    lamp_life: float | None = Field(description="What is left of a filament lamp's life; null where it is as rated or more")
    findings: tuple[Finding, ...]


def needs_acknowledging(circuit: Circuit, set_point_v: float) -> bool:
    """Whether a set point is so high that somebody has to say they want it.

    circuit: whose system it is; set_point_v: [V]
    """
    return set_point_v > HIGH_V_12 * circuit.system_voltage_v / 12 + 1e-9


def _charged(circuit: Circuit) -> list[Battery]:
    """The batteries that the first alternator charges itself, not through a DC-DC charger."""
    near = reach(graph_of(circuit.branches), circuit.alternator.stud_node)
    return [b for b in circuit.batteries if b.positive_node in near]


def set_point(circuit: Circuit, wanted_v: float | None = None) -> SetPointView:
    """What a regulator's set point does to each battery it charges, to lamps and electronics.

    circuit: the document; wanted_v: the set point that is thought of [V]; left out, the circuit's own
    Source: charging windows by chemistry, see the source table; -4 mV a cell and kelvin for lead; lamp life by the thirteenth power of
    the voltage; all common practice, from memory. The battery maker's figures win.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> seen = set_point(front_battery(12), 15.8)
    >>> seen.least_v, seen.most_v, seen.high, [f.code for f in seen.findings if f.severity == "danger"]
    (13.9, 14.8, True, ['set_point_high'])
    """
    table, scale = source_table(), circuit.system_voltage_v / 12
    unit = circuit.alternator
    volts = unit.set_point_v if wanted_v is None else wanted_v
    windows = []
    for b in _charged(circuit):
        low, most = table.charge_window_12[b.chemistry.value]
        windows.append(
            BatteryWindow(
                b.id, b.label, b.chemistry.value, low * scale, most * scale, table.float_v_12[b.chemistry.value] * scale,
                table.set_point_mv_per_k_12[b.chemistry.value] * scale,
            )
        )  # fmt: skip
    least = max((w.least_v for w in windows), default=None)
    upper = min((w.most_v for w in windows), default=None)
    suits = least is not None and upper is not None and least <= upper
    middle = round((least + upper) / 2 / STEP_V) * STEP_V if suits and least is not None and upper is not None else None
    follows = min((w.mv_per_k for w in windows), default=0.0) / 1000
    lamp = (volts / (LAMP_RATED_V_12 * scale)) ** -LAMP_EXPONENT
    high = needs_acknowledging(circuit, volts)
    return SetPointView(
        set_point_v=volts, windows=tuple(windows), least_v=least if suits else None, most_v=upper if suits else None,
        proposed_v=middle, at_cold_v=middle + follows * (COLD_C - 25) if middle is not None else None,
        at_warm_v=middle + follows * (WARM_C - 25) if middle is not None else None, compensated=unit.compensation_mv_per_k < 0,
        high=high, lamp_life=lamp if high else None,
        findings=by_severity(_findings(circuit, volts, windows, suits, high, lamp)),
    )  # fmt: skip


def _findings(
    circuit: Circuit, volts: float, windows: list[BatteryWindow], suits: bool, high: bool, lamp: float
) -> list[Finding]:
    findings: list[Finding] = []

    def say(code: str, severity: Severity, title: str, why: str, rule: str) -> None:
        findings.append(Finding(code, severity, None, title, why, rule, COMMON))

    limit = HIGH_V_12 * circuit.system_voltage_v / 12
    if high:
        say(
            "set_point_high", Severity.DANGER, f"{volts:.1f} V is above {limit:.1f} V",
            "Ordinary batteries boil dry and gas; filament lamps keep "
            f"{lamp:.0%} of their life; control units may shut off or be damaged. Set-ups for special storage do this on purpose, and "
            "nothing else may hang on them.",
            f"Above {limit:.1f} V only where it is wanted, and acknowledged",
        )  # fmt: skip
    for w in windows:
        if volts > w.most_v + 1e-9:
            say(
                f"too_high:{w.battery_id}", Severity.WARNING, f"{w.label}: {volts:.2f} V is too much",
                f"{CHEMISTRIES[w.chemistry]} is charged with {w.least_v:.1f} to {w.most_v:.1f} V: above, it gasses and ages, or its "
                "electronics cut it off under charge, which is a load dump.",
                "The set point lies in the battery's window",
            )  # fmt: skip
        elif volts < w.least_v - 1e-9:
            say(
                f"too_low:{w.battery_id}", Severity.WARNING, f"{w.label}: {volts:.2f} V never fills it",
                f"{CHEMISTRIES[w.chemistry]} is charged with {w.least_v:.1f} to {w.most_v:.1f} V: below, it stays part charged and sulphates.",
                "The set point lies in the battery's window",
            )  # fmt: skip
    kinds = {w.chemistry for w in windows}
    if len(kinds) > 1:
        names = " and ".join(sorted(CHEMISTRIES[k] for k in kinds))
        what = "No set point suits them all: part them by a DC-DC charger." if not suits else "One set point is a compromise: a DC-DC charger gives each its own."  # fmt: skip
        say("two_chemistries", Severity.WARNING, f"{names} on one set point", what, "One chemistry on one regulator")
    if "lifepo4" in kinds:
        say(
            "lithium_on_alternator", Severity.WARNING, "A lithium battery straight on the alternator",
            "It takes all the unit gives until it is full, and its switch may open under charge: check both makers' figures, or put a "
            "DC-DC charger between.",
            "Lithium has its own charge limits",
        )  # fmt: skip
    lead = [w for w in windows if w.mv_per_k]
    if lead and circuit.alternator.compensation_mv_per_k == 0:
        say(
            "not_compensated", Severity.NOTE, "The regulator does not follow temperature",
            f"A lead battery wants {abs(lead[0].mv_per_k):.0f} mV more for every kelvin it is colder: a set point that is right in summer "
            "leaves it part charged in winter.",
            "The charging voltage follows the battery's temperature",
        )  # fmt: skip
    return findings


CHEMISTRIES = {"flooded": "Flooded lead", "efb": "EFB", "agm": "AGM", "gel": "Gel", "lifepo4": "LiFePO4"}
