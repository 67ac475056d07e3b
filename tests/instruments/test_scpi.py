"""The real client against the stand-in on real sockets: values, ranges, errors of its own, a link that goes away, junk."""

from __future__ import annotations

import os
import pty
import socket
import socketserver
import threading
import tty
from collections.abc import Iterator

import numpy as np
import pytest

from mavrik.core.measuring.waveform import Pulses, Wave, cranking_of, pulse_hz, ripple_of
from mavrik.instruments import reach as reaching
from mavrik.instruments.base import LinkError, parse_address
from mavrik.instruments.kinds import connect, connect_scope
from mavrik.instruments.reach import Reach
from mavrik.instruments.scope import ScpiScope
from mavrik.standin.bench import MeterServer
from mavrik.standin.vehicle import VEHICLES
from tests.standin import meters_on


@pytest.fixture
def bench() -> Iterator[dict[str, MeterServer]]:
    with meters_on("resistance:charge_cable") as servers:
        yield servers


def say(server: MeterServer, words: str) -> str:
    """What the hands do, or what a terminal would ask."""
    with socket.create_connection(server.server_address, timeout=10) as link:
        # A question at the end: when it is answered the rest is done.
        query = words if words.endswith("?") else f"{words}\n*IDN?"
        link.sendall(query.encode() + b"\n")
        answer = link.makefile("r").readline().strip()
        return answer if query == words else ""


def test_a_meter_says_who_it_is_and_what_it_sees(bench: dict[str, MeterServer]) -> None:
    meter = connect("voltmeter", bench["multimeter"].address)
    assert meter.identify().startswith("Mavrik,Stand-in multimeter")
    rest = meter.read()
    assert rest.unit == "V" and rest.value is not None and 12.3 < rest.value < 12.8
    say(bench["multimeter"], "SIM:STAT fast_loaded")
    charging = meter.read().value
    assert charging is not None and charging > 13
    say(bench["multimeter"], "SIM:PROB alt_stud,fuse_stud")
    drop = meter.read().value
    assert drop is not None and 0.2 < drop < 1.5
    say(bench["multimeter"], "SIM:PROB fuse_stud,alt_stud")
    swapped = meter.read().value
    assert swapped is not None and swapped == pytest.approx(-drop, rel=0.1)
    meter.close()


def test_a_clamp_reads_the_output_and_pegs_on_a_small_range(bench: dict[str, MeterServer]) -> None:
    clamp = connect("clamp", bench["clamp"].address)
    for words in ("SIM:STAT full_output", "SIM:ELEM alternator"):
        say(bench["clamp"], words)
    shown = clamp.read()
    assert shown.value is not None and 50 < shown.value < 100 and not shown.overload
    # The range is the session's own: a real client sets it on its own link.
    clamp._link.write("CURR:DC:RANG 40")  # type: ignore[attr-defined]
    pegged = clamp.read()
    assert pegged.overload and pegged.value is None
    clamp.close()


def test_it_keeps_its_errors_as_a_real_one_does(bench: dict[str, MeterServer]) -> None:
    with socket.create_connection(bench["multimeter"].server_address, timeout=3) as link:
        lines = link.makefile("rw", newline="\n")
        for words in ("MAKE:COFFEE", "VOLT:DC:RANG wide", "SYST:ERR?", "SYST:ERR?", "SYST:ERR?"):
            lines.write(words + "\n")
        lines.flush()
        assert [lines.readline().split(",")[0] for _ in range(3)] == ["-113", "-224", "0"]


def test_a_link_that_goes_away_is_said_at_once(bench: dict[str, MeterServer]) -> None:
    meter = connect("voltmeter", bench["multimeter"].address)
    meter.read()
    say(bench["multimeter"], "SIM:UNPLUG")
    with pytest.raises(LinkError, match="is lost"):
        for _ in range(3):
            meter.read()
    meter.close()


def test_nobody_there() -> None:
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        port = listener.getsockname()[1]
    with pytest.raises(LinkError, match=r"does not answer|is lost"):
        connect("voltmeter", f"127.0.0.1:{port}").read()


@pytest.mark.parametrize(
    "answer", [b"HTTP/1.1 400 Bad Request\r\n\n", b"\x00\xff\xfe\n", b"\n", b"NaN\n", b"1,2,3\n", b"9" * 5000 + b"\n"]
)
def test_junk_is_no_reading(answer: bytes) -> None:
    class Junk(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            while self.rfile.readline():
                self.wfile.write(answer)

    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Junk) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        meter = connect("voltmeter", f"127.0.0.1:{server.server_address[1]}")
        try:
            assert meter.read().overload
        except LinkError as error:
            assert len(str(error)) < 300
        meter.close()
        server.shutdown()


@pytest.mark.parametrize(
    "text",
    [
        "",
        "meter",
        "http://10.0.0.1:80",
        "10.0.0.1",
        "10.0.0.1:0",
        "10.0.0.1:99999",
        "a b:5025",
        "user@host:5025",
        "host:50 25",
        "::1:5025",
        "host:5025/path",
    ],
)
def test_only_host_and_port_is_an_address(text: str) -> None:
    with pytest.raises(ValueError, match="host:port"):
        parse_address(text)
    with pytest.raises(ValueError, match="host:port"):
        connect("voltmeter", text)


def test_every_kind_of_instrument_reads_the_vehicle(bench: dict[str, MeterServer]) -> None:
    """Speed of the pulley, heat of the case, the bank's own display, ripple at the stud."""
    say(bench["multimeter"], "SIM:STAT full_output")
    kinds = {
        "tachometer": ("tachometer", "/min", 3900, 6000),
        "thermometer": ("thermometer", "°C", 60, 90),
        "load_bank": ("load_bank", "A", 100, 200),
        "oscilloscope": ("oscilloscope", "V p-p", 0.1, 0.5),
    }
    for name, (kind, unit, low, high) in kinds.items():
        meter = connect(kind, bench[name].address)
        shown = meter.read()
        assert shown.unit == unit and shown.value is not None and low < shown.value < high, name
        assert meter.identify().startswith(f"Mavrik,Stand-in {name}")
        meter.close()


def test_a_belt_that_slips_shows_at_the_tachometer_and_a_lost_phase_at_the_scope() -> None:
    turned = {}
    for cause in ("none:", "belt_slips:alternator", "phase_lost:alternator"):
        with meters_on(cause) as servers:
            say(servers["multimeter"], "SIM:STAT fast_loaded")
            turned[cause] = [
                connect(kind, servers[name].address).read().value
                for name, kind in (
                    ("tachometer", "tachometer"),
                    ("oscilloscope", "oscilloscope"),
                    ("thermometer", "thermometer"),
                )
            ]
    sound, slips, lost = turned.values()
    assert slips[0] == pytest.approx(0.8 * sound[0], rel=0.02)  # type: ignore[operator]
    assert lost[1] > 3 * sound[1] and lost[2] > sound[2] + 20  # type: ignore[operator]


def test_an_instrument_on_a_serial_port(monkeypatch: pytest.MonkeyPatch) -> None:
    """A pair of pseudo-terminals: one end is the port that the client opens, at the other sits a meter."""
    ours, theirs = pty.openpty()
    monkeypatch.setattr(reaching, "reach", lambda: Reach.from_environment({"MAVRIK_SERIAL_PORTS": os.ttyname(theirs)}))
    tty.setraw(theirs)

    def answer() -> None:
        heard = b""
        while len(heard) < 200:
            try:
                heard += os.read(ours, 64)
            except OSError:
                return
            while b"\n" in heard:
                line, _, heard = heard.partition(b"\n")
                os.write(
                    ours, {b"*IDN?": b"Bench,Serial meter,7,1\n", b"MEAS:VOLT:DC?": b"1.2345E+01\n"}.get(line.strip(), b"\n")
                )

    threading.Thread(target=answer, daemon=True).start()
    meter = connect("voltmeter", f"serial:{os.ttyname(theirs)}@9600")
    assert meter.identify().startswith("Bench,Serial meter")
    assert meter.read().value == pytest.approx(12.345)
    meter.close()
    os.close(ours)
    os.close(theirs)


@pytest.mark.parametrize(
    "text",
    [
        "serial:/etc/passwd@9600",
        "serial:/dev/sda@9600",
        "serial:/dev/tty/../mem@9600",
        "serial:/dev/ttyUSB0",
        "file:///dev/ttyUSB0",
    ],
)
def test_only_a_serial_port_can_be_opened(text: str) -> None:
    with pytest.raises(ValueError, match="host:port"):
        parse_address(text)


def test_a_place_that_is_not_there_gives_no_number_and_an_error(bench: dict[str, MeterServer]) -> None:
    """A probe on a stud the vehicle does not have: the instrument says so, and goes on."""
    with socket.create_connection(bench["multimeter"].server_address, timeout=3) as link:
        link.settimeout(3)
        for words in (b"SIM:STAT fast\n", b"SIM:PROB nowhere,bat_neg\n", b"MEAS:VOLT:DC?\n"):
            link.sendall(words)
        assert link.recv(100).strip() == b"9.91E37"
        link.sendall(b"SYST:ERR?\n")
        assert b"-200" in link.recv(100)
    meter = connect("voltmeter", bench["multimeter"].address)
    assert meter.read().overload
    meter.tell("SIM:PROB bat_pos,bat_neg")
    assert not meter.read().overload
    meter.close()


def test_each_battery_alone_under_the_load_of_its_test(bench: dict[str, MeterServer]) -> None:
    """By hand: the rest voltage less half the cold cranking current through the internal resistance."""
    meter = connect("voltmeter", bench["multimeter"].address)
    rest = meter.read().value
    meter.tell("SIM:STAT battery_load")
    loaded = meter.read().value
    battery = VEHICLES["front"].battery
    assert rest and loaded and battery.cca_a
    assert rest - loaded == pytest.approx(battery.cca_a / 2 * battery.internal_mohm / 1000, rel=0.15)
    meter.close()


def wave_of(server: MeterServer, seconds: float) -> Wave:
    scope = connect_scope(server.address)
    try:
        return scope.capture(seconds)
    finally:
        scope.close()


@pytest.mark.parametrize(
    ("cause", "pulses"),
    [("none:", Pulses.EVEN), ("diode_open:alternator", Pulses.DIODE), ("phase_lost:alternator", Pulses.PHASE)],
)
def test_the_waveform_of_an_oscilloscope_says_what_the_rectifier_does(cause: str, pulses: Pulses) -> None:
    with meters_on(cause) as servers:
        say(servers["oscilloscope"], "SIM:STAT fast_loaded")
        wave = wave_of(servers["oscilloscope"], 0.2)
        shaft = connect("tachometer", servers["tachometer"].address)
        turned = shaft.read().value
        shaft.close()
    assert turned is not None and wave.seconds == pytest.approx(0.2, rel=0.01)
    ripple = ripple_of(wave, pulse_hz(turned, 1.0, 6))
    assert ripple.pulses is pulses and 13 < ripple.mean_v < 15


def test_a_start_is_captured_from_before_the_key_until_it_charges() -> None:
    with meters_on("none:") as servers:
        say(servers["oscilloscope"], "SIM:STAT cranking")
        cranking = cranking_of(wave_of(servers["oscilloscope"], 3.0))
    assert 8 < cranking.least_v < 11.5 < cranking.rest_v < 12.9
    assert cranking.charging_v is not None and cranking.charging_v > 13.5


BLOCKS = {
    "no block": (b"12.3,12.4\n", "block of known length"),
    "of no length": (b"#0abcd\n", "block of known length"),
    "half a sample": (b"#16abcdef\n", "whole number of samples"),
    "no length in digits": (b"#2x4abcd\n", "whole number of samples"),
    "empty": (b"#10\n", "are taken"),
    "endless": (b"#9400000000", "are taken"),
    "less than it said": (b"#3400abcd", "is lost"),
}


@pytest.mark.parametrize("name", BLOCKS)
def test_samples_that_are_none_are_said_to_be_none(name: str) -> None:
    block, says = BLOCKS[name]

    class Odd(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            for line in self.rfile:
                if line.startswith(b"*ESR?"):
                    self.wfile.write(b"1\n")
                elif line.startswith(b"SENS:SWE:TINT?"):
                    self.wfile.write(b"1E-4\n")
                elif line.startswith(b"TRAC"):
                    self.wfile.write(block)

    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Odd) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        scope = connect_scope(f"127.0.0.1:{server.server_address[1]}")
        with pytest.raises(LinkError, match=says):
            scope.capture(0.01)
        scope.close()
        server.shutdown()


def test_an_oscilloscope_captures_for_so_long_and_says_what_it_does_not_know(bench: dict[str, MeterServer]) -> None:
    scope = connect_scope(bench["oscilloscope"].address)
    for seconds in (0.0, -1.0, 3600.0, float("nan")):
        with pytest.raises(ValueError, match="lasts up to"):
            scope.capture(seconds)
    scope.close()
    assert say(bench["multimeter"], "TRAC:DATA? CH1\nSYST:ERR?") == '-113,"Undefined header"'


def test_overload_in_a_waveform_is_a_gap(bench: dict[str, MeterServer], monkeypatch: pytest.MonkeyPatch) -> None:
    beyond = np.array([12.0, 9.9e37, 12.2], dtype=">f4").tobytes()
    monkeypatch.setattr(ScpiScope, "_block", lambda *_: beyond)
    volts = wave_of(bench["oscilloscope"], 0.01).volts
    assert np.isnan(volts[1]) and volts[[0, 2]] == pytest.approx([12.0, 12.2])


def test_a_meter_on_hold_shows_the_same_whatever_the_vehicle_does(bench: dict[str, MeterServer]) -> None:
    meter = connect("voltmeter", bench["multimeter"].address)
    bench["multimeter"].hold.set()
    first = meter.read().value
    say(bench["multimeter"], "SIM:STAT fast")
    assert meter.read().value == first
    bench["multimeter"].hold.clear()
    assert meter.read().value != first
    meter.close()


def test_a_clamp_at_the_battery_reads_what_goes_in_with_the_engine_running_and_a_drain_without() -> None:
    with meters_on("none:") as servers:
        clamp = connect("clamp", servers["clamp"].address)
        say(servers["clamp"], "SIM:STAT fast")
        charging = clamp.read().value
        say(servers["clamp"], "SIM:STAT rest")
        drain = clamp.read().value
        clamp.close()
    assert charging is not None and charging > 0.5 and drain is not None and 0 < drain < 0.1
