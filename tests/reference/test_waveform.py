"""Ripple and cranking, held against computed rectifiers (any power-electronics text; ngspice) and captures worked by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from mavrik.core.measuring.waveform import Pulses, Wave, WaveformError, cranking_of, envelope, pulse_hz, ripple_of
from tests.rectifier import Rectifier

RATE = 50_000.0
PAIR_HZ = 120.0
Floats = np.typing.NDArray[np.float64]


def rectified(
    top: tuple[int, ...] = (0, 1, 2), bottom: tuple[int, ...] = (0, 1, 2), seconds: float = 1.0, noise: float = 0.0
) -> Floats:
    """An ideal bridge on phases of 1 V peak: the diodes that work, above and below."""
    t = np.arange(int(seconds * RATE)) / RATE
    phase = np.sin(2 * np.pi * PAIR_HZ * t - 2 * np.pi * np.arange(3)[:, None] / 3)
    clean = phase[list(top)].max(axis=0) - phase[list(bottom)].min(axis=0)
    return np.asarray(clean + noise * np.random.default_rng(3).normal(size=len(t)))


def test_an_ideal_six_pulse_bridge() -> None:
    """Mean 1.35 x line-to-line rms, ripple 4.2 % rms at six times the frequency, 1 - cos 30 deg peak to peak."""
    line_rms = np.sqrt(3) / np.sqrt(2)
    ripple = ripple_of(Wave(rectified(), 1 / RATE), PAIR_HZ)
    assert ripple.mean_v == pytest.approx(1.35 * line_rms, rel=1e-3)
    assert ripple.rms_v / ripple.mean_v == pytest.approx(0.042, abs=0.0005)
    assert ripple.strongest_hz == pytest.approx(6 * PAIR_HZ, rel=0.01)
    assert ripple.ripple_vpp == pytest.approx(np.sqrt(3) * (1 - np.cos(np.pi / 6)), rel=0.02)
    assert ripple.pulses is Pulses.EVEN


CASES = {
    "even": (rectified(noise=0.02), Pulses.EVEN),
    "upper diode open": (rectified(top=(1, 2), noise=0.02), Pulses.DIODE),
    "lower diode open": (rectified(bottom=(0, 2), noise=0.02), Pulses.DIODE),
    "diodes of two phases open": (rectified(top=(1, 2), bottom=(0, 2), noise=0.02), Pulses.DIODE),
    "phase lost": (rectified(top=(1, 2), bottom=(1, 2), noise=0.02), Pulses.PHASE),
}


@pytest.mark.parametrize("name", CASES)
def test_missing_pulses_are_told_apart_with_the_speed(name: str) -> None:
    volts, expected = CASES[name]
    for off in (0.9, 1.0, 1.1):  # the belt slips, or the speed was read off a dial
        assert ripple_of(Wave(volts, 1 / RATE), PAIR_HZ * off).pulses is expected


@pytest.mark.parametrize("name", CASES)
def test_pulses_that_come_too_slowly_ask_about_the_belt(name: str) -> None:
    volts, expected = CASES[name]
    slips = ripple_of(Wave(volts, 1 / RATE), PAIR_HZ / 0.78)
    assert slips.pulses is expected and "22% slower" in slips.words and "does the belt slip?" in slips.words
    assert "belt" not in ripple_of(Wave(volts, 1 / RATE), PAIR_HZ / 0.95).words


@pytest.mark.parametrize("name", [n for n in CASES if n != "phase lost"])
def test_without_the_speed_a_missing_diode_still_shows(name: str) -> None:
    volts, expected = CASES[name]
    assert ripple_of(Wave(volts, 1 / RATE)).pulses is expected
    for smoothed in (3, 9):  # a battery and a long lead take the edges off
        rounded = np.convolve(volts, np.ones(smoothed) / smoothed, mode="same")
        assert ripple_of(Wave(rounded, 1 / RATE)).pulses is expected


def test_without_the_speed_a_lost_phase_shows_where_no_sound_unit_could_turn_so_slowly() -> None:
    """240 pulses a second of six pole pairs: a sound bridge at 400 /min charges nothing, one that lost a phase turns 1,200 /min."""
    ripple = ripple_of(Wave(CASES["phase lost"][0], 1 / RATE))
    assert ripple.pulses is Pulses.PHASE and ripple.shaft_rpm == pytest.approx(1200, rel=0.02)


UNITS = {
    "idle": Rectifier(150, 12.5, henry=90e-6),
    "heavily loaded": Rectifier(300, 22.0, load_ohm=0.15),
    "fast": Rectifier(520, 40.0, henry=110e-6, load_ohm=0.3),
}
FAULTY = [("", Pulses.EVEN), ("open", Pulses.DIODE), ("shorted", Pulses.DIODE), ("phase", Pulses.PHASE)]


@pytest.mark.long(but=4)
@pytest.mark.parametrize(("fault", "says"), FAULTY)
@pytest.mark.parametrize("unit", UNITS)
def test_a_rectifier_on_a_battery_is_told_with_the_speed_and_by_its_shape_without(unit: str, fault: str, says: Pulses) -> None:
    of = replace(UNITS[unit], fault=fault)
    volts = of.at_the_stud(0.2, 25_000) + np.random.default_rng(4).normal(0, 0.005, 5000)
    wave = Wave(volts, 1 / 25_000)
    known = ripple_of(wave, 1.05 * of.pole_pair_hz)
    assert known.pulses is says and known.shaft_rpm == pytest.approx(10 * of.pole_pair_hz, rel=0.03)
    by_shape = ripple_of(wave)
    if fault == "phase":
        # Two pulses of a fast unit look like six of one at a third of the speed: that is said, and never called sound when they are deep.
        assert by_shape.pulses is Pulses.PHASE or "a lost phase at" in by_shape.words
        assert by_shape.pulses is not Pulses.EVEN or by_shape.ripple_vpp < 0.5
    else:
        assert by_shape.pulses is says and by_shape.shaft_rpm == pytest.approx(10 * of.pole_pair_hz, rel=0.03)


@pytest.mark.long(but=1)
@pytest.mark.parametrize("fault", ["", "open", "phase"])
def test_too_few_samples_for_the_pulses_give_no_verdict_but_the_rate_that_is_needed(fault: str) -> None:
    """Nyquist: six pulses of 300 Hz need 3,600 samples a second."""
    volts = replace(UNITS["heavily loaded"], fault=fault).at_the_stud(1.0, 3000)
    ripple = ripple_of(Wave(volts, 1 / 3000), 300)
    assert ripple.pulses is Pulses.TOO_FEW and "3.6 kHz" in ripple.words and ripple.shaft_rpm is None
    unknown = ripple_of(Wave(volts, 1 / 3000))
    assert unknown.pulses is Pulses.TOO_FEW and "enter the speed" in unknown.words
    enough = replace(UNITS["heavily loaded"], fault=fault).at_the_stud(0.5, 4000)
    assert ripple_of(Wave(enough, 1 / 4000), 300).pulses is dict(FAULTY)[fault]


def test_a_slow_change_of_load_is_no_ripple_and_a_spike_is_kept_apart() -> None:
    t = np.arange(int(RATE)) / RATE
    volts = 14.2 - 1.5 * t + 0.05 * np.sin(2 * np.pi * 720 * t)
    volts[20_000] += 3
    ripple = ripple_of(Wave(volts, 1 / RATE))
    assert ripple.ripple_vpp == pytest.approx(0.1, rel=0.1) and ripple.spikes_vpp == pytest.approx(3.05, rel=0.05)


def test_noise_alone_has_no_pulses_and_another_frequency_is_unclear() -> None:
    noise = 12.6 + 0.01 * np.random.default_rng(1).normal(size=200_000)
    quiet = ripple_of(Wave(noise, 1 / RATE))
    assert quiet.pulses is Pulses.FLAT and quiet.strongest_hz is None
    assert ripple_of(Wave(rectified(), 1 / RATE), 260.0).pulses is Pulses.UNCLEAR


def test_a_cranking_capture_is_no_ripple_and_a_step_is_no_missing_diode() -> None:
    """What a step leaves in a spectrum falls off evenly; it must never be called a fault of the rectifier."""
    noise = np.random.default_rng(2).normal(0, 0.02, 40_000)
    with pytest.raises(WaveformError, match="capture of cranking"):
        ripple_of(Wave(cranked(5000.0, 2.0)[:40_000] + noise, 1 / 5000))
    step = np.where(np.arange(40_000) < 17_000, 12.6, 14.3) + noise
    for pair in (None, 20.0, 41.0, 120.0):
        ripple = ripple_of(Wave(step, 1 / 5000), pair)
        assert ripple.pulses in (Pulses.UNSTEADY, Pulses.FLAT), (pair, ripple.pulses)


def test_a_speed_that_wavers_by_two_percent_still_has_its_pulses() -> None:
    t = np.arange(int(RATE)) / RATE
    speed = 720 * (t + 0.02 / (2 * np.pi * 1.5) * np.sin(2 * np.pi * 1.5 * t))
    ripple = ripple_of(
        Wave(14.2 + 0.1 * np.sin(2 * np.pi * speed) + np.random.default_rng(1).normal(0, 0.01, len(t)), 1 / RATE), PAIR_HZ
    )
    assert ripple.pulses is Pulses.EVEN


@pytest.mark.parametrize(
    ("volts", "interval", "word"),
    [
        (np.zeros(100), 1e-5, "too short"), (np.zeros(1000), 1e-2, "too few"), (np.full(100_000, np.nan), 1e-5, "no numbers"),
    ],
)  # fmt: skip
def test_what_cannot_be_ripple_is_refused_in_words(volts: Floats, interval: float, word: str) -> None:
    with pytest.raises(WaveformError, match=word):
        ripple_of(Wave(volts, interval))


def test_frequency_of_a_pole_pair() -> None:
    """By hand: 800 /min with a ratio of 2.5 is 2000 /min; six pole pairs pass 200 times a second."""
    assert pulse_hz(800, 2.5, 6) == pytest.approx(200)
    with pytest.raises(ValueError, match="above 0"):
        pulse_hz(0, 2.5, 6)


def cranked(rate: float, glow_s: float = 0.0) -> Floats:
    """12.6 V, 2 s of cranking with compression between 9.4 and 10.4 V, glow plugs, then 14.3 V."""
    t = np.arange(int(rate * (6 + glow_s))) / rate
    volts = np.full(len(t), 12.6)
    on = (t >= 1) & (t < 3)
    volts[on] = 9.9 + 0.5 * np.cos(2 * np.pi * 4 * t[on])
    volts[t >= 3] = 12.2
    volts[t >= 3.5 + glow_s] = 14.3
    return volts


@pytest.mark.parametrize(("rate", "glow"), [(1000.0, 0.0), (20_000.0, 0.0), (200.0, 40.0)])
def test_cranking_is_found_with_its_least_and_the_onset_of_charge(rate: float, glow: float) -> None:
    cranking = cranking_of(Wave(cranked(rate, glow), 1 / rate))
    assert cranking.rest_v == pytest.approx(12.6) and cranking.least_v == pytest.approx(9.4, abs=0.02)
    assert cranking.from_s == pytest.approx(1, abs=0.02) and cranking.to_s == pytest.approx(3, abs=0.02)
    assert cranking.onset_s == pytest.approx(0.5 + glow, abs=0.05) and cranking.charging_v == pytest.approx(14.3)


def test_one_bad_sample_is_no_least_voltage_and_24_v_scales() -> None:
    volts = cranked(20_000.0)
    volts[30_000] = 0.0
    assert cranking_of(Wave(volts, 1 / 20_000)).least_v > 9.3
    assert cranking_of(Wave(2 * cranked(1000.0), 1e-3), 24).least_v == pytest.approx(18.8, abs=0.04)


RATES = [200.0, 1000.0, 20_000.0]


def diesel(
    rate: float, rest: float = 12.6, glow: float = 0.7, charge: float = 14.3, noise: float = 0.0, attempts: int = 1
) -> Floats:
    """2 s at rest, glow plugs for 5 s before the starter and on, cranking of 1.6 s with compression and its inrush, each a second
    and a half after the last; charging 4 s after the last. Common practice of a diesel; the values are invented."""
    parts = [np.full(int(2 * rate), rest), np.full(int(5 * rate), rest - glow)]
    t = np.arange(int(1.6 * rate)) / rate
    for k in range(attempts):
        parts.append(9.6 + 0.5 * np.sin(2 * np.pi * 5 * t) - np.where(t < 0.03, 1.8, 0.0))
        parts.append(np.full(int((1.5 if k < attempts - 1 else 4.0) * rate), 12.3 - glow))
    parts.append(np.full(int(6 * rate), charge))
    volts = np.concatenate(parts)
    return np.asarray(volts + np.random.default_rng(8).normal(0, noise, len(volts)) if noise else volts)


@pytest.mark.long(but=6)
@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize(
    "what", [{}, {"rest": 12.9}, {"noise": 0.1}, {"charge": 13.2}, {"rest": 12.9, "charge": 13.2, "noise": 0.1}, {"glow": 0.0}]
)
def test_glow_plugs_surface_charge_noise_and_a_low_charge(rate: float, what: dict[str, float]) -> None:
    cranking = cranking_of(Wave(diesel(rate, **what), 1 / rate))
    assert cranking.rest_v == pytest.approx(what.get("rest", 12.6), abs=0.06)
    assert cranking.from_s == pytest.approx(7, abs=0.06) and cranking.to_s == pytest.approx(8.6, abs=0.06)
    assert cranking.onset_s == pytest.approx(4, abs=0.1) and cranking.charging_v == pytest.approx(
        what.get("charge", 14.3), abs=0.05
    )
    assert len(cranking.attempts) == 1 and "cranking for 1.6 s" in cranking.words


@pytest.mark.parametrize("rate", RATES)
def test_a_second_attempt_is_reported(rate: float) -> None:
    cranking = cranking_of(Wave(diesel(rate, attempts=3, noise=0.1), 1 / rate))
    assert [round(a.to_s - a.from_s, 1) for a in cranking.attempts] == [1.6, 1.6, 1.6] and "cranking 3 times" in cranking.words
    assert cranking.from_s == pytest.approx(7 + 2 * 3.1, abs=0.06) and cranking.onset_s == pytest.approx(4, abs=0.1)


@pytest.mark.parametrize("system_v", [12, 24])
def test_a_battery_that_recovers_is_not_charged(system_v: int) -> None:
    """A surface charge is gone after cranking; what comes back stays below rest."""
    volts = diesel(1000.0, rest=12.9)[: int(11.6 * 1000)] * system_v / 12
    recovered = np.concatenate((volts, np.full(8000, 12.85 * system_v / 12)))
    assert cranking_of(Wave(recovered, 1e-3), system_v).onset_s is None


def test_a_capture_without_charge_and_one_without_cranking() -> None:
    dead = cranked(1000.0)[:3400]
    assert cranking_of(Wave(dead, 1e-3)).onset_s is None
    with pytest.raises(WaveformError, match="never falls"):
        cranking_of(Wave(np.full(5000, 12.6), 1e-3))


@given(arrays.arrays(np.float64, st.integers(1, 3000), elements=st.floats(-50, 50, width=32)), st.integers(1, 700))
def test_no_peak_is_lost_however_small_a_capture_is_drawn(volts: Floats, buckets: int) -> None:
    least, most = envelope(volts, buckets)
    assert len(least) == len(most) <= min(buckets, len(volts))
    assert least.min() == pytest.approx(volts.min(), abs=1e-5) and most.max() == pytest.approx(volts.max(), abs=1e-5)
    assert (least <= most).all()
