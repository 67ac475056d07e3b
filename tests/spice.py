"""ngspice as an independent solver: runs a netlist and reads its operating point back."""

from __future__ import annotations

import re
import shutil
import subprocess

from mavrik.exchange.spice import Netlist

NGSPICE = shutil.which("ngspice")


def operating_point(netlist: Netlist, guess_v: dict[str, float]) -> tuple[dict[str, float], dict[str, float]]:
    """Node voltages and currents by ngspice; raises RuntimeError when it finds none.

    guess_v: where to begin where it finds no way from zero: a source that gives way by a microvolt an ampere is a needle's
    eye for Newton's method. It must still come to rest by its own equations, and that is looked at.
    """
    nodes = {n: s for n, s in netlist.names.items() if s != "0"}
    begin = f".nodeset {' '.join(f'v({s})={guess_v[n]!r}' for n, s in nodes.items())}"
    # The last resort is still a hundred times finer than what is asserted, and every law is checked whatever it took.
    for start, tolerance in (([], 1e-9), ([begin], 1e-9), ([begin, ".options gminsteps=0"], 1e-9), ([begin], 1e-7)):
        try:
            return _run(netlist, start, tolerance)
        except RuntimeError as error:
            last = error
    raise last


def _run(netlist: Netlist, start: list[str], tolerance: float) -> tuple[dict[str, float], dict[str, float]]:
    nodes = {n: s for n, s in netlist.names.items() if s != "0"}
    vectors = [f"v({s})" for s in nodes.values()] + list(netlist.currents.values())
    lines = [
        *netlist.lines,
        *start,
        f".options reltol={tolerance} abstol={tolerance} vntol={tolerance} itl1=500",
        ".control",
        "set numdgt=14",
        "op",
        *(f"print {w}" for w in vectors),
        ".endc",
        ".end",
    ]
    assert NGSPICE is not None
    done = subprocess.run([NGSPICE, "-b"], input="\n".join(lines) + "\n", capture_output=True, text=True, timeout=60, check=False)
    values = {m.group(1): float(m.group(2)) for m in re.finditer(r"^(\S+) = (\S+)$", done.stdout, re.M)}
    if any(w not in values for w in vectors):
        raise RuntimeError(done.stdout[-800:] + done.stderr[-800:])
    volts = {n: values[f"v({s})"] for n, s in nodes.items()} | {netlist.reference: 0.0}
    amps = {e: values[w] for e, w in netlist.currents.items()}
    v = {s: volts[n] for n, s in nodes.items()}
    for element, law in netlist.laws.items():
        ought = eval(re.sub(r"v\((\w+)\)", r"v['\1']", law), {"v": v, "min": min, "max": max})
        if abs(ought - amps[element]) > 0.002 + 1e-6 * abs(ought):
            raise RuntimeError(
                f"ngspice stopped before it was at rest: {element} carries {amps[element]} A, its law says {ought}"
            )
    return volts, amps
