"""Where the server calls an instrument: what an operator allows, never itself, never where a name leads later."""

from __future__ import annotations

import socket
import socketserver
import threading
import time
from collections.abc import Callable, Iterator

import pytest

from mavrik.instruments.base import LinkError, parse_address
from mavrik.instruments.kinds import connect
from mavrik.instruments.reach import NoReachError, Reach
from mavrik.instruments.scpi import ANSWER_S, LONGEST_ANSWER, cleaned

SHOP = Reach.from_environment({})


@pytest.mark.parametrize("address", ["127.0.0.1:5025", "192.168.4.20:5025", "10.1.2.3:9", "172.31.0.1:80", "localhost:5025"])
def test_this_machine_and_the_shops_own_networks_are_called(address: str) -> None:
    assert SHOP.pinned(parse_address(address)).port


@pytest.mark.parametrize(
    "address",
    ["169.254.169.254:80", "0.0.0.0:5025", "224.0.0.1:5025", "255.255.255.255:5025", "8.8.8.8:53", "172.32.0.1:80", "1.1:80"],
)
def test_no_other_address_is(address: str) -> None:
    """Link-local addresses among them: RFC 3927, and where clouds keep their secrets (common practice)."""
    with pytest.raises(NoReachError):
        Reach.from_environment({"MAVRIK_INSTRUMENT_NETWORKS": "127.0.0.1/32"} if address == "1.1:80" else {}).pinned(
            parse_address(address)
        )


def test_a_name_is_looked_up_once_and_kept_as_a_number(monkeypatch: pytest.MonkeyPatch) -> None:
    led = {"dmm.shop": "192.168.4.20", "evil.shop": "169.254.169.254"}

    def looked_up(host: str, port: int, *rest: object) -> list[tuple[object, ...]]:
        if host not in led:
            raise socket.gaierror(-2, "unknown")
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (led[host], port))]

    monkeypatch.setattr(socket, "getaddrinfo", looked_up)
    assert str(SHOP.pinned(parse_address("dmm.shop:5025"))) == "192.168.4.20:5025"
    with pytest.raises(NoReachError, match="no instrument's address"):
        SHOP.pinned(parse_address("evil.shop:5025"))
    with pytest.raises(NoReachError, match="Nobody knows"):
        SHOP.pinned(parse_address("gone.shop:5025"))


def test_the_server_and_its_database_are_no_instruments() -> None:
    own = Reach.from_environment(
        {"MAVRIK_OWN_PORTS": "8642", "MAVRIK_DATABASE_URL": "postgresql://mavrik@/mavrik?host=/run/x&port=5544"}
    )
    for port in (8642, 5544):
        with pytest.raises(NoReachError, match="this server itself"):
            own.pinned(parse_address(f"127.0.0.1:{port}"))
        assert own.pinned(parse_address(f"192.168.4.20:{port}")).port == port, "another machine's is another"
    assert own.pinned(parse_address("127.0.0.1:8643")).port == 8643


def test_serial_ports_are_those_of_the_machine_and_of_the_operator() -> None:
    with pytest.raises(NoReachError, match="no serial port of this machine"):
        SHOP.pinned(parse_address("serial:/dev/ttyUSB97@9600"))
    named = Reach.from_environment({"MAVRIK_SERIAL_PORTS": "/dev/ttyUSB97, /dev/ttyS40"})
    assert named.pinned(parse_address("serial:/dev/ttyUSB97@9600")).device == "/dev/ttyUSB97"


def test_an_operators_networks_are_read_or_refused() -> None:
    narrow = Reach.from_environment({"MAVRIK_INSTRUMENT_NETWORKS": "192.168.4.0/24 127.0.0.1/32"})
    assert narrow.pinned(parse_address("192.168.4.9:1")).port
    with pytest.raises(NoReachError, match="MAVRIK_INSTRUMENT_NETWORKS"):
        narrow.pinned(parse_address("192.168.5.9:1"))
    with pytest.raises(ValueError):
        Reach.from_environment({"MAVRIK_INSTRUMENT_NETWORKS": "the shop"})


Sends = Callable[[socketserver.StreamRequestHandler], None]


@pytest.fixture
def odd() -> Iterator[Callable[[Sends], str]]:
    """Servers that send what they like to whoever calls."""
    servers: list[socketserver.ThreadingTCPServer] = []

    def make(sends: Sends) -> str:
        class Odd(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                self.rfile.readline()
                try:
                    sends(self)
                except OSError:
                    return

        server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Odd)
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        servers.append(server)
        return f"127.0.0.1:{server.server_address[1]}"

    yield make
    for server in servers:
        server.shutdown()
        server.server_close()


def trickle(to: socketserver.StreamRequestHandler) -> None:
    for _ in range(300):
        to.wfile.write(b"1")
        time.sleep(0.2)


def flood(to: socketserver.StreamRequestHandler) -> None:
    for _ in range(100_000):
        to.wfile.write(b"7" * 4096)


def silence(to: socketserver.StreamRequestHandler) -> None:
    to.rfile.readline()


@pytest.mark.parametrize(("sends", "says"), [(trickle, "comes to no end"), (flood, "comes to no end"), (silence, "is lost")])
def test_a_meter_that_comes_to_no_end_holds_nobody_up(odd: Callable[[Sends], str], sends: Sends, says: str) -> None:
    """One deadline and one length for an answer: before, a meter without a line end held a thread for more than 40 s."""
    meter = connect("voltmeter", odd(sends))
    begin = time.monotonic()
    with pytest.raises(LinkError, match=says):
        meter.read()
    # Twice the deadline, and what a busy machine adds: far from the time that the meter would go on.
    assert time.monotonic() - begin < 4 * ANSWER_S
    meter.close()


def test_what_an_instrument_calls_itself_is_cut_and_cleaned(odd: Callable[[Sends], str]) -> None:
    meter = connect("voltmeter", odd(lambda to: to.wfile.write(b"Maker,\x1b]0;x\x07Model\xff,1\x00\r\n") and None))
    assert meter.identify() == "Maker,]0;xModel,1"
    meter.close()
    meter = connect("voltmeter", odd(lambda to: to.wfile.write(b"M" * 2 * LONGEST_ANSWER + b"\n") and None))
    with pytest.raises(LinkError, match="comes to no end"):
        meter.identify()
    meter.close()
    assert cleaned(b"  plain \n") == "plain"
