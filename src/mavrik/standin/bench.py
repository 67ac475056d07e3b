"""Meters on a simulated vehicle, behind the protocol of real ones: SCPI over TCP on loopback.

What a hand does at a real bench is told the stand-in by its own SIM subsystem: where the probes are, how engine and loads
stand, and that somebody pulls the plug.
"""

from __future__ import annotations

import socketserver
import threading
from dataclasses import dataclass, field
from typing import Any

from mavrik import __version__
from mavrik.core.procedures import Ask, BenchState, Unit
from mavrik.standin.scope import Acquisition
from mavrik.standin.vehicle import HiddenVehicle, Probes

RANGES = {Unit.VOLT: 60.0, Unit.AMPERE: 400.0, Unit.PER_MINUTE: 20_000.0, Unit.CELSIUS: 300.0, Unit.VOLT_PP: 20.0}
OVERLOAD = "9.9E37"
NO_NUMBER = "9.91E37"
"""SCPI-1999: not a number."""
KINDS = {
    "multimeter": (Unit.VOLT, "MEAS:VOLT:DC?"),
    "clamp": (Unit.AMPERE, "MEAS:CURR:DC?"),
    "tachometer": (Unit.PER_MINUTE, "MEAS:FREQ?"),
    "thermometer": (Unit.CELSIUS, "MEAS:TEMP?"),
    "load_bank": (Unit.AMPERE, "MEAS:CURR?"),
    "oscilloscope": (Unit.VOLT_PP, "MEAS:VOLT:PTP?"),
}
LONGEST_LINE = 512


@dataclass
class Hands:
    """Where probes and clamp are, and how the vehicle stands; shared by all meters on one vehicle."""

    vehicle: HiddenVehicle
    state: BenchState = BenchState.REST
    red: str = ""
    black: str = ""
    element: str = ""
    lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        battery = self.vehicle.circuit.battery
        self.red, self.black, self.element = battery.positive_node, battery.negative_node, battery.id

    @property
    def probes(self) -> Probes:
        """Where the voltage probes are."""
        return Probes(self.state, self.red, self.black)

    def read(self, unit: Unit, kind: str = "") -> float:
        """What is there to be measured now, with the meter's own error.

        unit: of the meter; kind: which of `KINDS`, where two read the same unit
        """
        with self.lock:
            if kind == "load_bank":
                return self.vehicle.bank_a(self.state)
            if unit is Unit.PER_MINUTE:
                return self.vehicle.shaft_rpm(self.state)
            if unit is Unit.CELSIUS:
                return self.vehicle.case_c(self.state)
            if unit is Unit.VOLT_PP:
                return self.vehicle.ripple_vpp(self.state)
            if unit is Unit.VOLT:
                if self.red == self.black:
                    return 0.0
                batteries = self.vehicle.circuit.batteries
                alone = next((b.id for b in batteries if (b.positive_node, b.negative_node) == (self.red, self.black)), "")
                if self.state in (BenchState.REST, BenchState.BATTERY_LOAD) and alone:
                    # Each battery alone, its negative off.
                    return self.vehicle.shown(Ask("now", "now", unit, self.state, self.red, self.black, alone))
                state = BenchState.ASLEEP if self.state is BenchState.REST else self.state
                return self.vehicle.shown(Ask("now", "now", unit, state, self.red, self.black))
            return self.vehicle.shown(
                Ask(
                    "now",
                    "now",
                    unit,
                    self.state if self.state is not BenchState.REST else BenchState.ASLEEP,
                    element=self.element,
                )
            )


class _Session(socketserver.StreamRequestHandler):
    """One connection to one meter."""

    server: MeterServer

    def handle(self) -> None:
        errors: list[str] = []
        self.range = RANGES[self.server.unit]
        self.held: float | None = None
        self.acquisition = Acquisition() if self.server.kind == "oscilloscope" else None
        while line := self.rfile.readline(LONGEST_LINE):
            words = line.decode("ascii", "replace").strip()
            if not words:
                continue
            if self.server.unplugged.is_set() or words.upper() == "SIM:UNPLUG":
                self.server.unplugged.set()
                return
            answer = self._answer(words, errors)
            if answer is not None:
                self.wfile.write((answer.encode("ascii") if isinstance(answer, str) else answer) + b"\n")

    def _answer(self, words: str, errors: list[str]) -> str | bytes | None:
        head, _, rest = words.partition(" ")
        head, unit = head.upper(), self.server.unit
        if head == "*IDN?":
            return f"Mavrik,Stand-in {self.server.kind},0,{__version__}"
        if head in ("SYST:ERR?", "SYSTEM:ERROR?"):
            return errors.pop(0) if errors else '0,"No error"'
        if head in ("*CLS", "*RST"):
            errors.clear()
            self.range = RANGES[unit]
            return None
        if head in (KINDS[self.server.kind][1], "READ?"):
            try:
                held = self.held if self.server.hold.is_set() else None
                value = self.server.hands.read(unit, self.server.kind) if held is None else held
            except (KeyError, ValueError):
                # Nothing there to be measured: as a real one, it says so and gives no number.
                errors.append('-200,"Execution error"')
                return NO_NUMBER
            self.held = value
            return OVERLOAD if abs(value) > self.range else f"{value:.6E}"
        try:
            if head in ("VOLT:DC:RANG", "CURR:DC:RANG"):
                self.range = float(rest)
            elif head == "SIM:STAT":
                self.server.hands.state = BenchState(rest.strip().lower())
            elif head == "SIM:PROB":
                self.server.hands.red, self.server.hands.black = (n.strip() for n in rest.split(","))
            elif head == "SIM:ELEM":
                self.server.hands.element = rest.strip()
            elif self.acquisition is not None:
                hands = self.server.hands
                with hands.lock:
                    return self.acquisition.answer(head, rest, hands.vehicle, hands.probes)
            else:
                raise KeyError(head)
        except KeyError:
            errors.append('-113,"Undefined header"')
        except ValueError:
            errors.append('-224,"Illegal parameter value"')
        return None


class MeterServer(socketserver.ThreadingTCPServer):
    """One meter, listening on loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, kind: str, hands: Hands, port: int = 0) -> None:
        """kind: one of `KINDS`; port: 0 takes any that is free."""
        super().__init__(("127.0.0.1", port), _Session)
        self.kind, self.hands, self.unit = kind, hands, KINDS[kind][0]
        self.unplugged = threading.Event()
        self.hold = threading.Event()
        """Somebody has pressed HOLD: what is shown from then on does not change."""
        threading.Thread(target=self.serve_forever, daemon=True).start()

    @property
    def address(self) -> str:
        """host:port."""
        return f"127.0.0.1:{self.server_address[1]}"

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that goes away in mid-sentence is nothing to speak of."""


def start_bench(vehicle: HiddenVehicle, first_port: int = 0) -> dict[str, MeterServer]:
    """One of each of `KINDS` on one vehicle.

    first_port: of the multimeter, the others take the next ones; 0 takes any that are free
    """
    hands = Hands(vehicle)
    return {kind: MeterServer(kind, hands, first_port + k if first_port else 0) for k, kind in enumerate(KINDS)}
