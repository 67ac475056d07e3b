"""Meters on a simulated vehicle, behind the protocol of real ones: SCPI over TCP on loopback.

What a hand does at a real bench is told the stand-in by its own SIM subsystem: where the probes are, how engine and loads
stand, and that somebody pulls the plug.
"""

from __future__ import annotations

import socketserver
import threading
from typing import Any

from mavrik import __version__
from mavrik.core.procedures import BenchState
from mavrik.standin.hands import Hands
from mavrik.standin.meters import METERS
from mavrik.standin.scope import Acquisition
from mavrik.standin.vehicle import HiddenVehicle

OVERLOAD = "9.9E37"
NO_NUMBER = "9.91E37"
"""SCPI-1999: not a number."""
LONGEST_LINE = 512
LOOKS_UP_S = 0.1
"""How often a meter looks whether it is to be switched off."""


class _Session(socketserver.StreamRequestHandler):
    """One connection to one meter."""

    server: MeterServer

    def handle(self) -> None:
        errors: list[str] = []
        self.range = self.server.meter.range
        self.held: float | None = None
        self.acquisition = Acquisition() if self.server.meter.captures else None
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
        head = head.upper()
        if head == "*IDN?":
            return f"Mavrik,Stand-in {self.server.kind},0,{__version__}"
        if head in ("SYST:ERR?", "SYSTEM:ERROR?"):
            return errors.pop(0) if errors else '0,"No error"'
        if head in ("*CLS", "*RST"):
            errors.clear()
            self.range = self.server.meter.range
            return None
        if head in (self.server.meter.query, "READ?"):
            try:
                held = self.held if self.server.hold.is_set() else None
                value = self.server.read() if held is None else held
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
        """kind: one of `METERS`; port: 0 takes any that is free."""
        super().__init__(("127.0.0.1", port), _Session)
        self.kind, self.hands, self.meter = kind, hands, METERS[kind]
        self.unplugged = threading.Event()
        self.hold = threading.Event()
        """Somebody has pressed HOLD: what is shown from then on does not change."""
        threading.Thread(target=self.serve_forever, args=(LOOKS_UP_S,), daemon=True).start()

    def read(self) -> float:
        """What is there to be measured now, with the meter's own error."""
        with self.hands.lock:
            return self.meter.read(self.hands)

    @property
    def address(self) -> str:
        """host:port."""
        return f"127.0.0.1:{self.server_address[1]}"

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that goes away in mid-sentence is nothing to speak of."""


def start_bench(vehicle: HiddenVehicle, first_port: int = 0) -> dict[str, MeterServer]:
    """One of each of `METERS` on one vehicle.

    first_port: of the multimeter, the others take the next ones; 0 takes any that are free
    """
    hands = Hands(vehicle)
    return {kind: MeterServer(kind, hands, first_port + k if first_port else 0) for k, kind in enumerate(METERS)}
