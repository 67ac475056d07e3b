"""ngspice as an independent solver: a netlist of the same network, its operating point read back.

Nothing here comes from the product: every element is written as ngspice's own, the curved and the bent ones as behavioural
sources from their definition in words.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from collections.abc import Sequence

from mavrik.core import network as net

NGSPICE = shutil.which("ngspice")


class Netlist:
    """Lines of a netlist, and the names ngspice gave to the nodes."""

    def __init__(self, reference: str) -> None:
        self.reference = reference
        self.names: dict[str, str] = {reference: "0"}
        self.lines = ["* the same network for an independent solver"]
        self.currents: dict[str, str] = {}
        self.count = 0
        self.ohms: list[tuple[str, str, str, float]] = []
        self.watts: list[tuple[str, str, str, float, float]] = []

    def node(self, name: str) -> str:
        return self.names.setdefault(name, f"n{len(self.names)}")

    def across(self, plus: str, minus: str) -> str:
        """The voltage between two nodes in ngspice's words; it has no V(0)."""
        a, b = self.node(plus), self.node(minus)
        if b == "0":
            return f"v({a})"
        return f"(-v({b}))" if a == "0" else f"(v({a})-v({b}))"

    def ammeter(self, element: str, node: str) -> str:
        """A source of 0 V in series, to read the current that flows into the element from `node`."""
        self.count += 1
        inner = f"m{self.count}"
        self.lines.append(f"vm{self.count} {self.node(node)} {inner} 0")
        self.currents[element] = f"i(vm{self.count})"
        return inner

    def flow(self, element: str, start: str, end: str, law: str) -> None:
        """A current from `start` to `end` through the element, by a law of voltages."""
        inner = self.ammeter(element, start)
        self.count += 1
        self.lines.append(f"b{self.count} {inner} {self.node(end)} i={law}")

    def resistor(self, element: str, start: str, end: str, ohm: float) -> None:
        inner = self.ammeter(element, start)
        self.count += 1
        self.lines.append(f"r{self.count} {inner} {self.node(end)} {ohm!r}")
        self.ohms.append((element, start, end, ohm))


def _clamped(ask: str, most: str) -> str:
    return f"min(max({ask}, 0), {most})"


def write(
    elements: Sequence[net.Element], reference: str, closed: dict[str, bool], on: dict[str, bool], load_v: dict[str, float]
) -> Netlist:
    """The network as a netlist; positions of links and of latched loads are given, for they have a past.

    load_v: about what each load of constant power has. Such a load has a second, collapsed operating point; below 0.7 of
    this voltage its law is bent, so that ngspice does not end there.
    """
    out = Netlist(reference)
    for e in elements:
        if isinstance(e, net.Resistor):
            out.resistor(e.id, e.start, e.end, e.ohm)
        elif isinstance(e, net.CurrentSource):
            out.count += 1
            out.lines.append(f"i{out.count} {out.node(e.start)} {out.node(e.end)} {e.ampere!r}")
        elif isinstance(e, net.EmfSource):
            u = f"({out.across(e.positive, e.negative)}-{e.volt!r})"
            charging = e.ohm if e.charging_ohm is None else e.charging_ohm
            out.flow(e.id, e.positive, e.negative, f"max({u},0)/{charging!r}+min({u},0)/{e.ohm!r}")
        elif isinstance(e, net.Diode):
            out.flow(e.id, e.start, e.end, f"max({out.across(e.start, e.end)}-{e.forward_v!r},0)/{e.ohm!r}")
        elif isinstance(e, net.RegulatedSource):
            # A regulator gives way by a microvolt an ampere; no regulator is endlessly stiff.
            sensed = out.across(e.sense_positive, e.sense_negative)
            law = repr(e.forced_a) if e.forced_a is not None else _clamped(f"({e.set_point_v!r}-{sensed})*1e6", repr(e.limit_a))
            out.flow(e.id, e.negative, e.positive, law)
        elif isinstance(e, net.PowerLoad):
            v = out.across(e.start, e.end)
            least = 0.7 * load_v[e.id]
            if on.get(e.id, True):
                out.watts.append((e.id, e.start, e.end, e.watt, least))
            out.flow(e.id, e.start, e.end, f"{e.watt!r}/max({v},{least!r})" if on.get(e.id, True) else "0")
        elif isinstance(e, net.Link):
            out.resistor(e.id, e.start, e.end, e.ohm if closed[e.id] else 1e12)
        elif isinstance(e, net.Converter):
            v_in, v_out = out.across(e.in_positive, e.in_negative), out.across(e.out_positive, e.out_negative)
            by_input = f"{e.input_limit_a * e.efficiency!r}*{v_in}/max({v_out},0.1)"
            give = _clamped(f"({e.set_point_v!r}-{v_out})*1e6", f"min({e.limit_a!r},{by_input})") if on.get(e.id, True) else "0"
            out.flow(e.id, e.out_negative, e.out_positive, give)
            out.flow(f"{e.id}:in", e.in_positive, e.in_negative, f"({give})*{v_out}/({e.efficiency!r}*max({v_in},0.5))")
    return out


def operating_point(netlist: Netlist, guess_v: dict[str, float]) -> tuple[dict[str, float], dict[str, float]]:
    """Node voltages and currents by ngspice; raises RuntimeError when it finds none.

    guess_v: where to begin where it finds no way from zero: a source that gives way by a microvolt an ampere is a needle's
    eye for Newton's method. It must still come to rest by its own equations, and that is looked at.
    """
    nodes = {n: s for n, s in netlist.names.items() if s != "0"}
    begin = f".nodeset {' '.join(f'v({s})={guess_v[n]!r}' for n, s in nodes.items())}"
    for start in ([], [begin], [begin, ".options gminsteps=0"]):
        try:
            return _run(netlist, start)
        except RuntimeError as error:
            last = error
    raise last


def _run(netlist: Netlist, start: list[str]) -> tuple[dict[str, float], dict[str, float]]:
    nodes = {n: s for n, s in netlist.names.items() if s != "0"}
    wanted = [f"v({s})" for s in nodes.values()] + list(netlist.currents.values())
    lines = [
        *netlist.lines,
        *start,
        ".options reltol=1e-9 abstol=1e-9 vntol=1e-9 itl1=500",
        ".control",
        "set numdgt=14",
        "op",
        *(f"print {w}" for w in wanted),
        ".endc",
        ".end",
    ]
    assert NGSPICE is not None
    done = subprocess.run([NGSPICE, "-b"], input="\n".join(lines) + "\n", capture_output=True, text=True, timeout=60, check=False)
    values = {m.group(1): float(m.group(2)) for m in re.finditer(r"^(\S+) = (\S+)$", done.stdout, re.M)}
    if any(w not in values for w in wanted):
        raise RuntimeError(done.stdout[-800:] + done.stderr[-800:])
    volts = {n: values[f"v({s})"] for n, s in nodes.items()} | {netlist.reference: 0.0}
    amps = {e: values[w] for e, w in netlist.currents.items()}
    if any(abs(volts[a] - volts[b] - amps[e] * ohm) > 1e-5 for e, a, b, ohm in netlist.ohms if ohm < 1e6):
        raise RuntimeError("ngspice stopped before it was at rest: a resistor of its own breaks Ohm's law")
    if any(abs(amps[e] * max(volts[a] - volts[b], least) - watt) > 1e-5 * watt for e, a, b, watt, least in netlist.watts):
        raise RuntimeError("ngspice stopped before it was at rest: a load of its own does not take its power")
    return volts, amps
