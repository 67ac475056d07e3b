"""A deck for ngspice and its operating point; elements are added one by one, by hand."""

from __future__ import annotations

import re
import shutil
import subprocess

NGSPICE = shutil.which("ngspice")
OPEN_OHM = 1e9


class UnsolvedError(RuntimeError):
    """There is no operating point, or none is found."""


class Deck:
    """One vehicle in one state."""

    def __init__(self, ground: str) -> None:
        """ground: the node that everything is measured against."""
        self._names: dict[str, str] = {ground: "0"}
        self._lines: list[str] = []
        self._count = 0

    def name(self, node: str) -> str:
        """Of a node in the deck."""
        return self._names.setdefault(node, f"n{len(self._names)}")

    def between(self, plus: str, minus: str) -> str:
        """A voltage, as an expression."""
        sides = [f"v({self.name(n)})" if self.name(n) != "0" else "0" for n in (plus, minus)]
        return f"({sides[0]}-{sides[1]})"

    def resistor(self, a: str, b: str, ohm: float) -> None:
        """Metal, or what is open."""
        self._add("R", a, b, f"{max(ohm, 1e-7):.9g}")

    def current(self, a: str, b: str, expression: str) -> None:
        """A current from a through the element to b."""
        self._add("B", a, b, f"I={expression}")

    def held(self, a: str, b: str, volts: float) -> None:
        """A voltage that something holds."""
        self._add("V", a, b, f"{volts:.9g}")

    def _add(self, kind: str, a: str, b: str, value: str) -> None:
        self._count += 1
        self._lines.append(f"{kind}{self._count} {self.name(a)} {self.name(b)} {value}")

    def solve(self) -> dict[str, float]:
        """Voltages of all nodes against the ground. Raises UnsolvedError where ngspice finds none."""
        nodes = {n: s for n, s in self._names.items() if s != "0"}
        # Whatever is left alone by an open fuse is tied down by what insulation leaks.
        leaks = [f"Rleak{k} {s} 0 1e8" for k, s in enumerate(nodes.values())]
        text = "\n".join(
            [
                "stranger", *self._lines, *leaks, ".options reltol=1e-9 abstol=1e-9 vntol=1e-10 itl1=200",
                ".control", "set numdgt=12", "op", *(f"print v({s})" for s in nodes.values()), ".endc", ".end", "",
            ]
        )  # fmt: skip
        assert NGSPICE is not None
        done = subprocess.run([NGSPICE, "-b"], input=text, capture_output=True, text=True, timeout=60, check=False)
        values = {m.group(1): float(m.group(2)) for m in re.finditer(r"^v\((\w+)\) = (\S+)$", done.stdout, re.M)}
        if len(values) != len(nodes):
            raise UnsolvedError(done.stdout[-600:] + done.stderr[-600:])
        return {n: values[s] for n, s in nodes.items()} | {n: 0.0 for n, s in self._names.items() if s == "0"}
