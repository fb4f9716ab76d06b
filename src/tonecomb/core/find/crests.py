"""Where the crests of a tone lie in a frame, so that counting them confirms it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.find.tones import fit_tones
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import window

_NEAR = 2.0  # bins to each side in which the tone is looked for


@dataclass(frozen=True, eq=False)
class Crests:
    """Of a tone of ``frequency`` (Hz): the times of its crests in s of the recording, rising."""

    frequency: float
    times: Array


def find_crests(
    signal: Signal, channel: int, start: int, stop: int, frequency: float
) -> Crests | None:
    """The crests, from sample ``start`` to ``stop``, of the strongest tone within two bins of
    ``frequency`` (Hz); None where there are less than two periods or a sample is missing."""
    from scipy.fft import rfft

    fs, n = signal.rate, stop - start
    if n < 8 or frequency * n / fs < 2:
        return None
    samples = signal.samples.read(channel, start, stop)
    if not np.isfinite(samples).all():
        return None
    taper = window("hann")
    power = np.abs(rfft((samples - samples.mean()) * taper.samples(n))) ** 2
    at = frequency * n / fs
    first = max(1, math.floor(at - _NEAR))
    last = min(len(power) - 1, math.ceil(at + _NEAR) + 1)
    if last <= first:
        return None
    top = first + int(np.argmax(power[first:last]))

    def read(a: int, b: int) -> Array:
        return samples[a:b]

    guess = np.array([top * fs / n])
    (tone,) = fit_tones(read, make_framing(n, n, 0.0, fs), fs, taper, guess, np.array([1e-300]))
    if not 0 < tone.frequency < fs / 2:
        return None
    # cos(2πft + φ) is highest where 2πft + φ is a whole number of turns.
    turn = -math.radians(tone.phase_deg) / (2 * math.pi)
    numbers = np.arange(math.ceil(-turn - 1), math.floor(tone.frequency * n / fs - turn) + 2)
    times = (numbers + turn) / tone.frequency
    inside = times[(times >= 0) & (times <= n / fs)]
    return Crests(tone.frequency, np.asarray(inside + start / fs))
