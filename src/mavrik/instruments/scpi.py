"""SCPI over TCP or a serial port by PyVISA, for whatever an instrument measures.

IEEE 488.2 common commands and SCPI-1999; socket and port are PyVISA's, with its own backend in Python, so no driver is needed.
"""

from __future__ import annotations

import time
from functools import cache
from typing import Any

import pyvisa
from pyvisa.errors import VisaIOError

from mavrik.instruments.base import OVERLOAD, LinkError, Shown, parse_address
from mavrik.instruments.reach import checked

TIMEOUT_MS = 1500
ANSWER_S = 3.0
"""From question to the end of the answer, however it trickles in."""

LONGEST_ANSWER = 512
"""IEEE 488.2 and SCPI let an instrument name itself in 72 characters; a value takes a dozen."""

BLOCK_S = 90.0
"""For a whole block of samples."""


@cache
def _manager() -> pyvisa.ResourceManager:
    return pyvisa.ResourceManager("@py")


def cleaned(answer: bytes) -> str:
    """What an instrument says as text that can be shown: printable ASCII, as IEEE 488.2 has it; everything else is left out.

    >>> cleaned(b"Maker,\x1b[31mModel\r\n")
    'Maker,[31mModel'
    """
    return "".join(c for c in answer.decode("ascii", "ignore") if c.isprintable()).strip()


class ScpiMeter:
    """One instrument that answers a query with a number."""

    def __init__(self, address: str, query: str, unit: str) -> None:
        """address: as `parse_address` takes it; query: what asks for a value, as MEAS:VOLT:DC?; unit: what it is in. Raises LinkError."""
        at = checked(parse_address(address))
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
        self.tell(query)
        return cleaned(self._line())

    def _line(self) -> bytes:
        """An answer up to its end of line. A meter that sends and comes to no end holds nobody up longer than any other."""
        until = time.monotonic() + ANSWER_S
        answer = bytearray()
        while not answer.endswith(b"\n"):
            left = until - time.monotonic()
            if left <= 0 or len(answer) >= LONGEST_ANSWER:
                raise self._endless()
            try:
                answer += self._bytes(1, left)
            except LinkError:
                if answer:
                    raise self._endless() from None
                raise
        return bytes(answer)

    def _endless(self) -> LinkError:
        return LinkError(f"{self._where} sends and comes to no end. It is no meter that speaks SCPI, or it is broken.")

    def tell(self, words: str) -> None:
        """A command without an answer."""
        try:
            self._link.write(words)
        except (VisaIOError, OSError, ConnectionError) as error:
            raise self._lost() from error

    def _bytes(self, count: int, within_s: float = TIMEOUT_MS / 1000) -> bytes:
        """So many bytes of an answer."""
        try:
            self._link.timeout = max(1, min(TIMEOUT_MS, int(within_s * 1000)))
            return bytes(self._link.read_bytes(count))
        except (VisaIOError, OSError, ConnectionError) as error:
            raise self._lost() from error

    def _lost(self) -> LinkError:
        return LinkError(f"The link to {self._where} is lost. Typed readings go on; connect it again when you can.")

    def identify(self) -> str:
        """What `*IDN?` says: maker, model, serial number, firmware."""
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
