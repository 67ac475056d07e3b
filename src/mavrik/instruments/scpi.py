"""SCPI over TCP or a serial port by PyVISA, for whatever an instrument measures.

IEEE 488.2 common commands and SCPI-1999; socket and port are PyVISA's, with its own backend in Python, so no driver is needed.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import pyvisa
from pyvisa.errors import VisaIOError

from mavrik.instruments.base import OVERLOAD, LinkError, Shown, parse_address

TIMEOUT_MS = 1500
LONGEST_ANSWER = 4096


@cache
def _manager() -> pyvisa.ResourceManager:
    return pyvisa.ResourceManager("@py")


class ScpiMeter:
    """One instrument that answers a query with a number."""

    def __init__(self, address: str, query: str, unit: str) -> None:
        """address: as `parse_address` takes it; query: what asks for a value, as MEAS:VOLT:DC?; unit: what it is in. Raises LinkError."""
        at = parse_address(address)
        resource = f"ASRL{at.device}::INSTR" if at.device else f"TCPIP::{at.host}::{at.port}::SOCKET"
        self._query, self._unit, self._where = query, unit, address
        try:
            self._link: Any = _manager().open_resource(
                resource,
                read_termination="\n",
                write_termination="\n",
                open_timeout=TIMEOUT_MS,
                timeout=TIMEOUT_MS,
            )
            if at.device:
                link: Any = self._link
                link.baud_rate = at.baud
        except (VisaIOError, OSError, ValueError) as error:
            raise LinkError(f"{address} does not answer. Is it switched on, and on this network?") from error

    def _ask(self, query: str) -> str:
        try:
            answer: str = self._link.query(query)
        except (VisaIOError, OSError, ConnectionError) as error:
            raise self._lost() from error
        except UnicodeDecodeError as error:
            raise LinkError(f"{self._where} answers something that is not SCPI.") from error
        return answer.strip()[:LONGEST_ANSWER]

    def tell(self, words: str) -> None:
        """A command without an answer."""
        try:
            self._link.write(words)
        except (VisaIOError, OSError, ConnectionError) as error:
            raise self._lost() from error

    def _bytes(self, count: int) -> bytes:
        """So many bytes of an answer that is not text."""
        try:
            return bytes(self._link.read_bytes(count))
        except (VisaIOError, OSError, ConnectionError) as error:
            raise self._lost() from error

    def _lost(self) -> LinkError:
        return LinkError(f"The link to {self._where} is lost. Typed readings go on; connect it again when you can.")

    def identify(self) -> str:
        """What `*IDN?` says."""
        return self._ask("*IDN?")

    def read(self) -> Shown:
        """One measurement; an instrument that reports an error of its own is a LinkError too."""
        answer = self._ask(self._query)
        try:
            value = float(answer)
        except ValueError as error:
            raise LinkError(f"{self._where} answered '{answer[:60]}' where a number was asked for.") from error
        if abs(value) >= OVERLOAD or value != value:
            return Shown(None, self._unit, True)
        return Shown(value, self._unit, False)

    def close(self) -> None:
        """Let go of the socket."""
        self._link.close()
