"""The signals of the Quillbeck ropeway, made from tables of what is in them.

Everything is invented. Amplitudes are rms values in m/s², frequencies in Hz, phases (of a
cosine at the recording's start) in degrees, noise densities in m/s²/√Hz.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Array

SEED = 20260918
MOTOR = 24.3
TEETH = 17
MESH = TEETH * MOTOR
MAINS = 50.0
BEARING = 88.37
RINGING = 3100.0
RINGING_DAMPING = 0.021
SLIP = 0.002  # spread of each interval between two hits of the bearing


@dataclass(frozen=True)
class ToneTruth:
    """A steady tone: its frequency, rms amplitude, phase and what it is."""

    frequency_hz: float
    rms: float
    phase_deg: float
    kind: str


@dataclass(frozen=True)
class ChannelTruth:
    """What a channel holds: tones, white noise, and the hits of the bearing (peak, 0 for none)."""

    name: str
    tones: tuple[ToneTruth, ...]
    noise_density: float
    bearing_peak: float = 0.0
    offset: float = 0.0


def _phase(frequency: float, channel: int) -> float:
    """Any phase will do, as long as it stays the same."""
    return round((frequency * 37.7 + 71 * channel) % 360 - 180, 1)


def _motor(channel: int, *amplitudes: float) -> list[ToneTruth]:
    return [
        ToneTruth(round(n * MOTOR, 6), a, _phase(n * MOTOR, channel), f"motor {n}×")
        for n, a in enumerate(amplitudes, start=1)
    ]


def _mesh(channel: int, carrier: float, *sidebands: float) -> list[ToneTruth]:
    tones = [ToneTruth(round(MESH, 6), carrier, _phase(MESH, channel), "gear mesh")]
    for n, a in enumerate(sidebands, start=1):
        for sign in (-1, 1):
            f = MESH + sign * n * MOTOR
            # The upper side is the stronger one, as load modulates speed too.
            rms = round(a * (1.25 if sign > 0 else 0.8), 6)
            tones.append(
                ToneTruth(round(f, 6), rms, _phase(f, channel), f"gear mesh sideband {sign * n:+d}")
            )
    second = 2 * MESH
    tones.append(ToneTruth(round(second, 6), carrier / 5, _phase(second, channel), "gear mesh 2×"))
    return tones


def _mains(channel: int, *amplitudes: float) -> list[ToneTruth]:
    return [
        ToneTruth(
            (2 * i + 1) * MAINS, a, _phase((2 * i + 1) * MAINS, channel), f"mains {2 * i + 1}×"
        )
        for i, a in enumerate(amplitudes)
    ]


DRIVE_STEADY = (
    ChannelTruth(
        "Motor DE",
        (
            *_motor(0, 0.62, 0.31, 0.12, 0.058, 0.031, 0.017),
            *_mesh(0, 0.12, 0.02),
            *_mains(0, 0.09, 0.06, 0.03, 0.014),
        ),
        1.1e-3,
        offset=0.04,
    ),
    ChannelTruth(
        "Gearbox DE",
        (
            *_motor(1, 0.36, 0.18, 0.07, 0.03),
            *_mesh(1, 0.90, 0.28, 0.11, 0.045),
            *_mains(1, 0.03, 0.02, 0.009),
        ),
        1.4e-3,
        offset=-0.06,
    ),
    ChannelTruth(
        "Bullwheel",
        (*_motor(2, 0.11, 0.05), *_mesh(2, 0.16, 0.03), *_mains(2, 0.02)),
        0.8e-3,
        bearing_peak=2.2,
        offset=0.01,
    ),
)
DRIVE_RATE, DRIVE_SECONDS = 12800, 60.0

STATION_LOG = (
    ChannelTruth(
        "Deck vertical",
        (
            ToneTruth(4.86, 0.021, 35.0, "sheave passing"),
            ToneTruth(24.3, 0.034, -120.0, "motor 1×"),
            ToneTruth(48.6, 0.012, 80.0, "motor 2×"),
        ),
        6e-4,
        offset=9.81,
    ),
    ChannelTruth(
        "Hut wall",
        (ToneTruth(24.3, 0.009, 15.0, "motor 1×"), ToneTruth(50.0, 0.006, 0.0, "mains 1×")),
        4e-4,
    ),
)
STATION_RATE, STATION_SECONDS = 200, 120.0
STATION_GAP = (20600, 172)  # the row before which the logger stopped, and for how many
STATION_MISSING = ((0, 2480), (0, 2481), (1, 19400))  # channel and row of values not written

# No filter stood before this recorder's converter, so that what lies above half its sample
# rate shows up where it is not.
UNDERSAMPLED_RATE, UNDERSAMPLED_SECONDS = 500, 60.0
UNDERSAMPLED = (
    ChannelTruth(
        "Gearbox DE",
        # A tone at exactly half the sample rate has no amplitude of its own.
        tuple(t for t in DRIVE_STEADY[1].tones if 2 * t.frequency_hz != UNDERSAMPLED_RATE),
        1.4e-3,
    ),
)


def alias(frequency: float, fs: float) -> float:
    """Where a tone shows up in the spectrum of samples taken at ``fs``."""
    folded = frequency % fs
    return min(folded, fs - folded)


def make(channel: ChannelTruth, fs: float, seconds: float, seed: tuple[int, ...]) -> Array:
    """Samples of a channel, shape (seconds·fs,), in m/s². The same seed gives the same samples."""
    rng = np.random.default_rng((SEED, *seed))
    n = round(seconds * fs)
    t = np.arange(n) / fs
    x: Array = np.full(n, channel.offset)
    x += channel.noise_density * np.sqrt(fs / 2) * rng.standard_normal(n)
    for tone in channel.tones:
        angle = 2 * np.pi * tone.frequency_hz * t + np.radians(tone.phase_deg)
        x += np.sqrt(2) * tone.rms * np.cos(angle)
    if channel.bearing_peak:
        x += _bearing(channel.bearing_peak, fs, n, rng)
    return x


def _bearing(peak: float, fs: float, n: int, rng: np.random.Generator) -> Array:
    """A hit for each rolling element over the fault, each ringing one resonance."""
    steps = (1 + SLIP * rng.standard_normal(int(n / fs * BEARING) + 2)) / BEARING
    hits = np.cumsum(steps)
    hits = hits[hits < n / fs]
    decay = 2 * np.pi * RINGING * RINGING_DAMPING
    damped = 2 * np.pi * RINGING * np.sqrt(1 - RINGING_DAMPING**2)
    length = int(8 / decay * fs)
    x = np.zeros(n + length)
    for hit in hits:
        first = int(np.ceil(hit * fs))
        t = (first + np.arange(length)) / fs - hit
        x[first : first + length] += peak * np.exp(-decay * t) * np.sin(damped * t)
    return x[:n]
