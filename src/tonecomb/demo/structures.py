"""Signals of the ropeway's structures: a run-up through resonances, taps, and the tower's sway.

Modes are given by frequency in Hz and damping ratio; their accelerance for a unit of force is
−ω²·r / (ω₀² − ω² + 2jζω₀ω), with r the residue in 1/kg, evaluated on the whole record's transform,
so that what is written has exactly these modes.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.demo.signals import MOTOR, SEED, TEETH


@dataclass(frozen=True)
class ModeTruth:
    """A mode: its natural frequency, its damping ratio, and its residue in each channel."""

    frequency_hz: float
    damping_ratio: float
    residues: tuple[float, ...]


RUN_UP_RATE, RUN_UP_SECONDS = 6400, 90.0
RUN_UP_FROM, RUN_UP_TO = 5.0, 29.0
RUN_UP_CHANNELS = ("Motor DE", "Tower bracket")
RUN_UP_ORDERS = {1: 0.55, 2: 0.22, TEETH: 0.35}  # exciting force in N, peak, at full speed
RUN_UP_MODES = (
    ModeTruth(61.8, 0.012, (0.02, 0.55)),
    ModeTruth(143.0, 0.009, (0.03, 0.30)),
)
RUN_UP_DIRECT = (2.0, 0.05)  # m/s² for a newton, far from the modes
RUN_UP_NOISE = 2e-4  # m/s²/√Hz

TAPS_RATE, TAPS_SECONDS = 8192, 62.0
TAPS_CHANNELS = ("Hammer", "Bracket", "Rail top", "Rail foot")
TAPS_MODES = (
    ModeTruth(61.8, 0.012, (0.021, 0.62 * 0.021, 0.20 * 0.021)),
    ModeTruth(143.0, 0.009, (0.034, -0.70 * 0.034, 1.60 * 0.034)),
    ModeTruth(388.0, 0.015, (0.052, -1.60 * 0.052, -0.80 * 0.052)),
)
TAPS_FULL_SCALE = 500.0  # N, of the hammer's recorder
TAPS_WIDTH = 1.4e-3  # s, of the half-sine
TAPS_FIRST, TAPS_SPACING = 2.0, 5.0
TAPS_PEAKS = (210, 245, 190, 230, 260, 205, 225, 240, 690, 215, 235, 200)  # N
TAPS_DOUBLE, TAPS_BOUNCE, TAPS_BOUNCE_SHARE = 4, 0.021, 0.35  # this tap bounces
TAPS_NOISE = (0.05, 0.01)  # rms, N and m/s²

SWAY_RATE, SWAY_SECONDS = 100, 10800.0
SWAY_CHANNELS = ("Along the line", "Across the line", "Vertical")
SWAY_MODES = (
    ModeTruth(0.31, 0.011, (1.0, 0.15, 0.01)),
    ModeTruth(0.47, 0.014, (0.12, 0.8, 0.01)),
)
SWAY_RMS = 0.02  # m/s² of a mode with residue one
SWAY_OFFSETS, SWAY_TILT = (0.0, 0.0, 9.81), (0.06, -0.03, 0.0)  # m/s²; tilt at the end
SWAY_STEP = 1e-5  # m/s², resolution of the logger
SWAY_NOISE = 3e-4  # m/s²/√Hz


def run_up() -> list[Array]:
    """Both channels while the motor's speed rises evenly, in m/s²."""
    n, fs = round(RUN_UP_SECONDS * RUN_UP_RATE), RUN_UP_RATE
    t = np.arange(n) / fs
    speed = RUN_UP_FROM + (RUN_UP_TO - RUN_UP_FROM) * t / RUN_UP_SECONDS
    turned = RUN_UP_FROM * t + (RUN_UP_TO - RUN_UP_FROM) * t * t / (2 * RUN_UP_SECONDS)
    force = np.zeros(n)
    for order, peak in RUN_UP_ORDERS.items():
        force += peak * (speed / MOTOR) ** 2 * np.cos(2 * np.pi * order * turned)
    noise = RUN_UP_NOISE * np.sqrt(fs / 2)
    return [
        _through(force, fs, RUN_UP_MODES, i, RUN_UP_DIRECT[i])
        + noise * np.random.default_rng((SEED, 3, i)).standard_normal(n)
        for i in range(2)
    ]


def taps() -> list[Array]:
    """The hammer in N, with its overload clipped, and the answers of the bracket and of the rail
    on it, in m/s²."""
    n, fs = round(TAPS_SECONDS * TAPS_RATE), TAPS_RATE
    t = np.arange(n) / fs
    force = np.zeros(n)
    for i, peak in enumerate(TAPS_PEAKS):
        at = TAPS_FIRST + TAPS_SPACING * i
        hits = [(at, float(peak))]
        if i == TAPS_DOUBLE:
            hits.append((at + TAPS_BOUNCE, TAPS_BOUNCE_SHARE * peak))
        for begin, height in hits:
            inside = (t >= begin) & (t < begin + TAPS_WIDTH)
            force[inside] += height * np.sin(np.pi * (t[inside] - begin) / TAPS_WIDTH)
    rng = np.random.default_rng((SEED, 4))
    hammer = force + TAPS_NOISE[0] * rng.standard_normal(n)
    answers = [
        _through(force, fs, TAPS_MODES, i, 0.0) + TAPS_NOISE[1] * rng.standard_normal(n)
        for i in range(len(TAPS_CHANNELS) - 1)
    ]
    return [np.clip(hammer, -TAPS_FULL_SCALE, TAPS_FULL_SCALE), *answers]


def sway() -> list[Array]:
    """Three axes at the tower's head in gusty wind, in m/s², in steps of the logger."""
    n, fs = round(SWAY_SECONDS * SWAY_RATE), SWAY_RATE
    rng = np.random.default_rng((SEED, 5))
    t = np.arange(n) / n
    # Gusts: the wind's push changes over minutes between about half and twice.
    knots = np.exp(0.45 * rng.standard_normal(45))
    gusts = np.interp(t * (len(knots) - 1), np.arange(len(knots)), knots)
    moved = []
    for mode in SWAY_MODES:
        unit = ModeTruth(mode.frequency_hz, mode.damping_ratio, (1.0,))
        swing = _through(gusts * rng.standard_normal(n), fs, (unit,), 0, 0.0)
        moved.append(swing * SWAY_RMS / swing.std())
    channels = []
    for i in range(len(SWAY_CHANNELS)):
        x = SWAY_OFFSETS[i] + SWAY_TILT[i] * t
        x = x + sum(mode.residues[i] * m for mode, m in zip(SWAY_MODES, moved, strict=True))
        x = x + SWAY_NOISE * np.sqrt(fs / 2) * rng.standard_normal(n)
        channels.append(np.round(x / SWAY_STEP) * SWAY_STEP)
    return channels


def _through(
    force: Array, fs: float, modes: tuple[ModeTruth, ...], channel: int, direct: float
) -> Array:
    """What a force in N makes of the structure, in m/s²."""
    from scipy.fft import irfft, next_fast_len, rfft, rfftfreq  # not for the bench's start

    size = next_fast_len(len(force) + int(8 * fs), real=True)  # room for the last one to ring out
    w = 2 * np.pi * rfftfreq(size, 1 / fs)
    response = np.full(len(w), direct, dtype=np.complex128)
    for mode in modes:
        w0 = 2 * np.pi * mode.frequency_hz
        response += (
            -(w**2) * mode.residues[channel] / (w0**2 - w**2 + 2j * mode.damping_ratio * w0 * w)
        )
    return np.asarray(irfft(rfft(force, size) * response, size)[: len(force)])
