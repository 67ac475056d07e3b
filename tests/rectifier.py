"""Rectifiers on batteries computed by ngspice: a stator with its inductance, six diodes, a cable, a battery, a load."""

from __future__ import annotations

import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tests.spice import NGSPICE

STARTED_S = 0.06
"""Currents have come to their rhythm."""


@dataclass(frozen=True)
class Rectifier:
    """One unit and what hangs on it; invented values of the order of the trade."""

    pole_pair_hz: float
    volts: float
    """Peak of a phase."""
    henry: float = 60e-6
    load_ohm: float = 0.4
    battery_ohm: float = 0.008
    cable_ohm: float = 0.004
    uneven: float = 0.01
    """By how much one phase gives more and another less."""
    fault: str = ""
    """open, shorted: a diode; phase: one phase without connection."""

    def at_the_stud(self, seconds: float, rate: float) -> NDArray[np.float64]:
        """Volts, evenly sampled; rate: samples a second."""
        lines = ["* rectifier", ".model D D(IS=1e-9 N=1.2 RS=0.004)"]
        for k in range(3):
            if self.fault == "phase" and k == 0:
                lines.append("R0 a0 n 1e7")
                continue
            volts = self.volts * (1 + self.uneven * (0, 1, -1)[k])
            lines += [
                f"V{k} n{k} n SIN(0 {volts} {self.pole_pair_hz} 0 0 {-120 * k})",
                f"L{k} n{k} m{k} {self.henry}",
                f"R{k} m{k} a{k} 0.03",
            ]
        for k in range(3):
            for name, plus, minus in ((f"Dt{k}", f"a{k}", "stud"), (f"Db{k}", "0", f"a{k}")):
                if name == "Dt0" and self.fault == "shorted":
                    lines.append(f"RS {plus} {minus} 0.003")
                elif name != "Dt0" or self.fault != "open":
                    lines.append(f"{name} {plus} {minus} D")
        lines += [
            f"Rc stud bat {self.cable_ohm}",
            f"Rb bat e {self.battery_ohm}",
            "Vb e 0 12.9",
            f"Rl bat 0 {self.load_ohm}",
            "Rn n 0 1e6",
        ]
        step = 1 / rate
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "out.txt"
            lines += [
                f".tran {step / 4} {seconds + STARTED_S} {STARTED_S} {min(step, 2e-5) / 4}", ".control", "set wr_singlescale", "run",
                f"wrdata {out} v(stud)", ".endc", ".end",
            ]  # fmt: skip
            assert NGSPICE is not None
            # It says 1 where no output was asked for in its old way; a file that is not there is what tells.
            subprocess.run(
                [NGSPICE, "-b"], input="\n".join(lines) + "\n", capture_output=True, text=True, timeout=120, check=False
            )
            table = np.loadtxt(out)
        return np.interp(STARTED_S + np.arange(int(seconds * rate)) * step, table[:, 0], table[:, 1])
