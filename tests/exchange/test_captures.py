"""Captured waveforms: the usual layouts of tables, sound files, sessions, and what is none of them."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mavrik.core.measuring.waveform import MOST_SAMPLES
from mavrik.exchange.captures import CaptureError, CaptureOptions, read_capture

VOLTS = [14.2, 14.21, 14.19, 14.25, 14.18, 14.2]
STEP = 0.0005


def rows(separator: str = ",", decimal: str = ".", times: bool = True, unit: float = 1.0, scale: float = 1.0) -> str:
    """The samples as a table."""
    lines = []
    for k, v in enumerate(VOLTS):
        cells = ([f"{k * STEP / unit:.6g}"] if times else []) + [f"{v * scale:.6g}"]
        lines.append(separator.join(c.replace(".", decimal) for c in cells))
    return "\n".join(lines) + "\n"


LAYOUTS = {
    "bare": rows(),
    "header": "time,volts\n" + rows(),
    "units in the header": "Time (s),Channel A (V)\n" + rows(),
    "units of their own line": "Time,Channel A\n(ms),(mV)\n\n" + rows(unit=1e-3, scale=1000),
    "decimal comma": "Zeit [s];Spannung [V]\n" + rows(";", ","),
    "semicolon and point": "t;u\n" + rows(";"),
    "tab": "time\tCH1\n" + rows("\t"),
    "tab and comma": "time\tCH1\n" + rows("\t", ","),
    "metadata first": "Bench scope\nSerial,none\nDate,2026-11-02\n\nSecond,Volt\n" + rows(),
    "milliseconds": "t (ms),V\n" + rows(unit=1e-3),
    "quoted header": '"Time (us)","CH 1 (V)"\n' + rows(unit=1e-6),
    "interval in the metadata": f"Sample interval: {STEP} s\nCH1\n" + rows(times=False),
    "rate in the metadata": "Sample rate,2 kHz\nCH1\n" + rows(times=False),
    "trailing separator": "time,V,\n" + "".join(line + ",\n" for line in rows().splitlines()),
    "words beside the numbers": "note,time,V\n" + "".join(f"ok,{line}\n" for line in rows().splitlines()),
    "windows line ends": ("time,V\n" + rows()).replace("\n", "\r\n"),
}


@pytest.mark.parametrize("name", LAYOUTS)
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
def test_the_usual_layouts_of_a_table(tmp_path: Path, name: str, encoding: str) -> None:
    path = tmp_path / "capture.csv"
    path.write_bytes(LAYOUTS[name].encode(encoding))
    capture = read_capture(path)
    assert capture.wave.volts.tolist() == pytest.approx(VOLTS, rel=1e-6)
    assert capture.wave.interval_s == pytest.approx(STEP)


def test_a_channel_by_name_a_probe_factor_and_an_interval_that_is_asked_for(tmp_path: Path) -> None:
    path = tmp_path / "two.csv"
    path.write_text("time,A,B\n" + "".join(f"{k * STEP:.6f},{v},{2 * v}\n" for k, v in enumerate(VOLTS)))
    assert read_capture(path).channels == ("A", "B")
    assert read_capture(path, CaptureOptions(channel="B", factor=10)).wave.volts[0] == pytest.approx(284)
    with pytest.raises(CaptureError, match=r"no channel 'C'.*A, B"):
        read_capture(path, CaptureOptions(channel="C"))
    path.write_text("volts\n" + rows(times=False))
    with pytest.raises(CaptureError, match="enter the interval"):
        read_capture(path)
    assert read_capture(path, CaptureOptions(interval_s=STEP)).wave.seconds == pytest.approx(len(VOLTS) * STEP)


def test_gaps_are_kept_as_gaps_and_uneven_samples_are_laid_even(tmp_path: Path) -> None:
    path = tmp_path / "gap.csv"
    path.write_text("time,V\n0,14\n1,\n2,14.2\n3,14.3\n")
    assert np.isnan(read_capture(path).wave.volts).tolist() == [False, True, False, False]
    times = [0, 1, 2, 3, 10, 11, 12, 30, 31, 32]
    path.write_text("time,V\n" + "".join(f"{t},{12 + t / 10}\n" for t in times))
    capture = read_capture(path)
    assert "not taken evenly" in capture.notes[0]
    assert capture.wave.volts == pytest.approx(12 + np.arange(33) / 10)


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "empty"), ("hello\nthere\nworld\n", "no table"), ("time,V\n", "no table"), ("time,V\n0,1\n2,1\n1,1\n3,1\n", "forward at row 3"),
        ("time,V\n" + "".join(f"{k},14\n" for k in range(20_000)) + "20000,oops\n", "to its end"),
        ("time,V\n" + "".join(f"{k},14\n" for k in range(60_000)) + "1\n" * 900 + "20000,14\n" * 3, "do not fit"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_table_is_said(tmp_path: Path, text: str, word: str) -> None:
    path = tmp_path / "bad.csv"
    path.write_text(text)
    with pytest.raises(CaptureError, match=word):
        read_capture(path)


def test_a_table_cut_off_in_its_last_line_is_read_up_to_there(tmp_path: Path) -> None:
    path = tmp_path / "cut.csv"
    path.write_text("time,V\n" + "".join(f"{k},14.2\n" for k in range(50_000)) + "50000")
    capture = read_capture(path)
    assert len(capture.wave.volts) == 50_000 and "left out" in capture.notes[0]


@pytest.mark.parametrize(("subtype", "step"), [("PCM_U8", 1 / 128), ("PCM_16", 1 / 32768), ("PCM_24", 2**-23), ("FLOAT", 1e-7)])
def test_sound_files_of_every_width(tmp_path: Path, subtype: str, step: float) -> None:
    """Full scale says what 1.0 stands for; what is left is the last bit."""
    path = tmp_path / "capture.wav"
    wave = 0.5 * np.sin(np.arange(4800) / 10)
    soundfile.write(path, np.stack((wave, -wave), axis=1), 48_000, subtype=subtype, format="WAV")
    capture = read_capture(path, CaptureOptions(channel="Channel 2", full_scale_v=20))
    assert capture.wave.volts == pytest.approx(-20 * wave, abs=20 * max(step, 1.5e-7) * 1.01)
    assert capture.wave.interval_s == pytest.approx(1 / 48_000)
    with pytest.raises(CaptureError, match="largest number"):
        read_capture(path)


def test_a_sound_file_that_claims_more_than_it_holds(tmp_path: Path) -> None:
    """Its header says two thousand million samples; there are a thousand."""
    path = tmp_path / "bomb.wav"
    soundfile.write(path, np.zeros(1000), 8000, subtype="PCM_16")
    raw = bytearray(path.read_bytes())
    at = raw.index(b"data") + 4
    raw[4:8], raw[at : at + 4] = b"\xff\xff\xff\xff", b"\xff\xff\xff\xfe"
    path.write_bytes(raw)
    try:
        assert len(read_capture(path, CaptureOptions(full_scale_v=1)).wave.volts) <= 1000
    except CaptureError as refusal:
        assert str(refusal)


def session(
    tmp_path: Path, rate: str = "200 kHz", members: dict[str, bytes] | None = None, analog: str = "analog1=A0\nanalog2=A1\n"
) -> Path:
    """A session file of two analog channels, the first in two pieces."""
    path = tmp_path / "capture.sr"
    halves = np.array(VOLTS, dtype="<f4")
    parts = {"analog-1-1-1": halves[:3].tobytes(), "analog-1-1-2": halves[3:].tobytes(), "analog-1-2-1": (-halves).tobytes()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("version", "2")
        archive.writestr("metadata", f"[global]\nsigrok version=0.5.2\n\n[device 1]\nsamplerate={rate}\ntotal analog=2\n{analog}")
        for name, raw in (parts if members is None else members).items():
            archive.writestr(name, raw)
    return path


def test_a_session_with_channels_in_pieces(tmp_path: Path) -> None:
    capture = read_capture(session(tmp_path))
    assert capture.wave.volts.tolist() == pytest.approx(VOLTS, rel=1e-6) and capture.channels == ("A0", "A1")
    assert capture.wave.interval_s == pytest.approx(5e-6)
    assert read_capture(session(tmp_path), CaptureOptions(channel="A1")).wave.volts[0] == pytest.approx(-14.2)
    for rate, step in (("1 MHz", 1e-6), ("48000", 1 / 48000), ("1.5 kHz", 1 / 1500)):
        assert read_capture(session(tmp_path, rate)).wave.interval_s == pytest.approx(step)


def test_a_session_that_would_unpack_to_too_much_or_to_nothing(tmp_path: Path) -> None:
    bomb = session(tmp_path, members={"analog-1-1-1": bytes(4 * (MOST_SAMPLES + 1))})
    assert bomb.stat().st_size < 100_000
    with pytest.raises(CaptureError, match="at most 10,000,000"):
        read_capture(bomb)
    for broken, word in (
        (lambda: session(tmp_path, members={}), "no samples"), (lambda: session(tmp_path, rate="fast"), "sample rate"), (lambda: session(tmp_path, analog=""), "no analog"),
    ):  # fmt: skip
        with pytest.raises(CaptureError, match=word):
            read_capture(broken())


def test_a_session_cut_off(tmp_path: Path) -> None:
    path = session(tmp_path)
    path.write_bytes(path.read_bytes()[:-40])
    with pytest.raises(CaptureError, match="cut off"):
        read_capture(path)


def test_a_reading_can_be_stopped_and_says_how_far_it_is(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    path.write_text("time,V\n" + "".join(f"{k / 1000:.3f},14.2\n" for k in range(2_000_000)))
    seen: list[float] = []

    class Enough(Exception):
        pass

    def stop(share: float) -> None:
        seen.append(share)
        if share > 0.3:
            raise Enough

    with pytest.raises(Enough):
        read_capture(path, progress=stop)
    assert seen == sorted(seen) and seen[-1] < 1


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.sampled_from([b"", b"PK\x03\x04", b"RIFF\x00\x00\x00\x00WAVE", b"fLaC", b"time,V\n0,1\n", b"\xff\xfe"]),
    st.binary(max_size=400),
)
def test_junk_is_refused_in_words(tmp_path: Path, start: bytes, junk: bytes) -> None:
    path = tmp_path / "junk"
    path.write_bytes(start + junk)
    try:
        capture = read_capture(path, CaptureOptions(full_scale_v=1, interval_s=1))
        assert len(capture.wave.volts) > 0
    except CaptureError as refusal:
        assert str(refusal)


def test_arrow_and_the_session_reader_never_write(tmp_path: Path) -> None:
    """A member's name cannot lead out of the archive: nothing is unpacked to a file."""
    raw = io.BytesIO()
    with zipfile.ZipFile(raw, "w") as archive:
        archive.writestr("../../evil", b"x")
    path = tmp_path / "evil.sr"
    path.write_bytes(raw.getvalue())
    with pytest.raises(CaptureError):
        read_capture(path)
    assert [p.name for p in tmp_path.iterdir()] == ["evil.sr"]


@settings(max_examples=120, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    volts=st.lists(st.floats(-40, 40, allow_nan=False).map(lambda v: round(v, 4)), min_size=8, max_size=80),
    step=st.sampled_from([1e-6, 2.5e-5, 1e-3, 0.5]),
    manner=st.sampled_from([(",", "."), (";", "."), (";", ","), ("\t", "."), ("\t", ",")]),
    unit=st.sampled_from([("s", 1.0), ("ms", 1e-3), ("us", 1e-6)]),
    metadata=st.lists(st.sampled_from(["Model X", "Serial 123", "", "Recorded by nobody", "Remark: none"]), max_size=5),
)
def test_any_table_of_these_manners_is_read_as_it_was_written(
    tmp_path: Path, volts: list[float], step: float, manner: tuple[str, str], unit: tuple[str, float], metadata: list[str]
) -> None:
    separator, mark = manner
    name, by = unit
    rows = [f"{k * step / by:.10g}{separator}{v:.4f}".replace(".", mark) for k, v in enumerate(volts)]
    path = tmp_path / "any.csv"
    path.write_text("\n".join([*metadata, f"Time ({name}){separator}CH1 (V)", *rows]) + "\n")
    capture = read_capture(path)
    assert capture.wave.volts.tolist() == pytest.approx(volts, abs=1e-4)
    assert capture.wave.interval_s == pytest.approx(step, rel=1e-3) and capture.channel == "CH1 (V)"
