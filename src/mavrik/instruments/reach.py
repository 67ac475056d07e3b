"""Where the server calls an instrument, and where it never does."""

from __future__ import annotations

import ipaddress
import os
import socket
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from urllib.parse import urlsplit

from serial.tools import list_ports

from mavrik.instruments.base import Address, LinkError

Network = ipaddress.IPv4Network
SHOP = ("127.0.0.0/8", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16")
"""This machine, and the private ranges that a workshop's own network is in. RFC 1122, RFC 1918."""

NETWORKS = "MAVRIK_INSTRUMENT_NETWORKS"
SERIAL_PORTS = "MAVRIK_SERIAL_PORTS"
OWN_PORTS = "MAVRIK_OWN_PORTS"
DATABASE_PORT = 5432


class NoReachError(ValueError):
    """An address that the server does not call; the message says why."""


@dataclass(frozen=True)
class Reach:
    """What an operator lets the server call for an instrument."""

    networks: tuple[Network, ...]
    own_ports: frozenset[int] = frozenset()
    """On which this machine's own services listen: the server itself and its database are no instruments."""
    serial_ports: frozenset[str] = frozenset()
    """Beside those that the machine knows."""

    @classmethod
    def from_environment(cls, of: Mapping[str, str]) -> Reach:
        """Read the networks, ports of our own and serial ports that an operator has set. Raises ValueError for no network.

        >>> Reach.from_environment({"MAVRIK_INSTRUMENT_NETWORKS": "192.168.4.0/24"}).networks
        (IPv4Network('192.168.4.0/24'),)
        """
        networks = tuple(Network(n) for n in (_words(of.get(NETWORKS, "")) or SHOP))
        ports = {int(p) for p in _words(of.get(OWN_PORTS, ""))}
        if url := of.get("MAVRIK_DATABASE_URL"):
            ports.add(_port_of(url))
        return cls(networks, frozenset(ports), frozenset(_words(of.get(SERIAL_PORTS, ""))))

    def pinned(self, at: Address) -> Address:
        """An address with its host as a number, which is looked up once and kept: a name that later says something else leads nowhere.

        Raises NoReachError for what is not to be called, and for a name that nobody knows.
        """
        if at.device:
            if at.device not in self.serial_ports | {p.device for p in list_ports.comports()}:
                raise NoReachError(f"{at.device} is no serial port of this machine.")
            return at
        try:
            addresses = socket.getaddrinfo(at.host, at.port, socket.AF_INET, socket.SOCK_STREAM)
        except OSError:
            raise NoReachError(f"Nobody knows {at.host}. Enter the address as a number.") from None
        host = ipaddress.IPv4Address(addresses[0][4][0])
        if host.is_link_local or host.is_multicast or host.is_unspecified or host.is_reserved:
            raise NoReachError(f"{host} is no instrument's address.")
        if not any(host in n for n in self.networks):
            raise NoReachError(f"{host} is in no network that instruments may be in; whoever runs the server sets {NETWORKS}.")
        if at.port in self.own_ports and _is_this_machine(host):
            raise NoReachError(f"On port {at.port} this server itself listens, not an instrument.")
        return replace(at, host=str(host))


def _words(text: str) -> list[str]:
    return [w for w in text.replace(",", " ").split() if w]


def _port_of(url: str) -> int:
    """A database's port; libpq's own default where it says none."""
    parts = urlsplit(url)
    if parts.port:
        return parts.port
    named = next((q.removeprefix("port=") for q in parts.query.split("&") if q.startswith("port=")), "")
    return int(named) if named.isdigit() else DATABASE_PORT


def _is_this_machine(host: ipaddress.IPv4Address) -> bool:
    """Whether a socket can be opened under that address: only one's own can."""
    if host.is_loopback:
        return True
    with socket.socket() as probe:
        try:
            probe.bind((str(host), 0))
        except OSError:
            return False
    return True


@cache
def reach() -> Reach:
    """What the operator of this process allows."""
    return Reach.from_environment(os.environ)


def checked(at: Address) -> Address:
    """An address that may be called, now. Raises LinkError."""
    try:
        return reach().pinned(at)
    except NoReachError as error:
        raise LinkError(str(error)) from error


def serial_ports() -> list[tuple[str, str]]:
    """Serial ports of this machine, with what is known of each."""
    known = {p.device: p.description for p in list_ports.comports()}
    return sorted({**dict.fromkeys(reach().serial_ports, ""), **known}.items())
