"""What every connected instrument can do, and what goes wrong with it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Protocol

from pydantic import Field

OVERLOAD = 9.0e37
"""SCPI-1999 says 9.9E37 for what is beyond the range."""

ADDRESS = re.compile(r"(?P<host>[A-Za-z0-9](?:[A-Za-z0-9.-]{0,251}[A-Za-z0-9])?):(?P<port>[1-9]\d{0,4})")

SERIAL = re.compile(
    r"serial:(?P<device>/dev/(?:tty[A-Za-z0-9]{1,16}|pts/[0-9]{1,5})|COM[1-9][0-9]{0,2})@(?P<baud>[1-9][0-9]{2,6})"
)
"""Serial ports only: no other file of the machine can be opened."""


class LinkError(Exception):
    """The instrument does not answer, or answers what it should not; the message says which and what to do."""


@dataclass(frozen=True)
class Shown:
    """One value as the instrument shows it."""

    value: Annotated[float | None, Field(description="In the unit; null where it is beyond the range")]
    unit: str
    overload: Annotated[bool, Field(description="Beyond the range: change the range rather than peg the meter")]


class Meter(Protocol):
    """An instrument that shows a value."""

    def identify(self) -> str:
        """Maker, model, serial number and firmware, as it says; raises LinkError."""

    def read(self) -> Shown:
        """The value now; raises LinkError."""

    def close(self) -> None:
        """Let go of the link."""


@dataclass(frozen=True)
class Address:
    """Where an instrument is: a host and port on the network, or a serial port of this machine and its speed."""

    host: str = ""
    port: int = 0
    device: str = ""
    baud: int = 0

    def __str__(self) -> str:
        return f"serial:{self.device}@{self.baud}" if self.device else f"{self.host}:{self.port}"


def parse_address(text: str) -> Address:
    """An instrument's address as a lead enters it.

    text: "192.168.4.20:5025", or "serial:/dev/ttyUSB0@9600"
    Raises ValueError for anything else: no scheme, no path but that of a serial port, no user, no other protocol.

    >>> str(parse_address("192.168.4.20:5025")), parse_address("serial:/dev/ttyUSB0@9600").baud
    ('192.168.4.20:5025', 9600)
    """
    words = text.strip()
    if match := SERIAL.fullmatch(words):
        return Address(device=match["device"], baud=int(match["baud"]))
    match = ADDRESS.fullmatch(words)
    if not match or int(match["port"]) > 65535:
        raise ValueError("An instrument's address is host:port, for example 192.168.4.20:5025, or serial:/dev/ttyUSB0@9600.")
    return Address(host=match["host"], port=int(match["port"]))
