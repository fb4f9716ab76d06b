"""What bears out that hits repeat, asked of each that is to be claimed.

An envelope repeats wherever a spectrum has lines: tones beat, coarse samples and clipped tops make
families, noise swells. Hits are more: their band is noise between few lines, both halves of the
record and a half of the band have their rate, and the mean cycle of their envelope is an impulse.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.recording import Array

_FEW, _SOME, _SOME_POWER = 0.04, 0.15, 0.35  # of a band's bins that are lines, and of its power
_HALF_RECORD, _HALF_BAND = 6.0, 10.0  # times the floor about it, that the rate's line stands
_SECOND = 0.3  # of the first harmonic of the mean cycle: noise under a sine has 0.25 at most
_DUTY = 0.35  # of a cycle, that holds half of the power over its quiet level
_QUIET = 15.0  # percentile of a cycle's envelope, that is its quiet level
_PHASES, _CYCLES = 32, 16  # of a cycle; cycles that are averaged before they are aligned
_PASSES = 6  # of aligning the mean cycle
_SLIP = 1e-4  # squared spread of an interval, for which a line is as wide as it may be
_NEAR, _FAR = 2, 62  # bins beside a line, that tell the floor about it


@dataclass(frozen=True)
class Witnesses:
    """Of a claim: the share of its band's bins, and of its power, that are steady lines; how many
    times the floor the line of its rate stands in either half of the record, and in either half
    of the band; the second over the first harmonic of the mean cycle of the squared envelope, and
    the part of that cycle which holds half of the power over its quiet level."""

    lines: float
    lines_power: float
    halves: tuple[float, float]
    bands: tuple[float, float]
    second: float
    duty: float

    @property
    def swells(self) -> bool:
        """Whether noise repeats, be it by hits or smoothly."""
        few = self.lines <= _FEW or (self.lines <= _SOME and self.lines_power <= _SOME_POWER)
        return few and min(self.halves) >= _HALF_RECORD and max(self.bands) >= _HALF_BAND

    @property
    def hits(self) -> bool:
        """Whether that are hits."""
        return self.swells and self.second >= _SECOND and self.duty <= _DUTY

    @property
    def slips(self) -> bool:
        """Whether they come with some slip, as those of a bearing do: exact ones are lines."""
        return self.hits and self.lines <= _FEW


def height(envelope: Array, seconds: float, frequency: float) -> float:
    """How many times the floor about it the line of a frequency (Hz) stands in the spectrum of a
    squared envelope that lasts so long."""
    power = np.abs(rfft(((envelope - envelope.mean()) * np.hanning(len(envelope)))[None])[0]) ** 2
    place = frequency * seconds
    half = max(2, int(np.ceil(np.pi * _SLIP * place)) + 1)
    first, last = max(int(place) - half, 1), int(place) + half + 2
    about = power[last + _NEAR : last + _FAR]
    if first - _NEAR > 8:
        about = np.concatenate([power[max(first - _FAR, 6) : first - _NEAR], about])
    if not len(about) or last > len(power):
        return 0.0
    floor = float(np.median(about)) / np.log(2)
    return float(power[first:last].max()) / floor if floor > 0 else 0.0


def mean_cycle(envelope: Array, per_cycle: float) -> Array:
    """The mean of the cycles, of so many samples each, of a squared envelope: parts of some cycles
    are aligned with the mean of all, as slip is a walk. Its mean is one; empty where there are too
    few."""
    count, phases = int(len(envelope) / per_cycle) - 1, max(8, min(_PHASES, int(per_cycle)))
    part = min(_CYCLES, max(2, count // 6))
    parts = count // part
    if parts < 2:
        return np.zeros(0)
    places = np.arange(parts * part)[:, None] + np.arange(phases) / phases
    cycles = np.interp(places * per_cycle, np.arange(len(envelope)), envelope)
    mean = cycles.reshape(parts, part, phases).mean(axis=1)
    mean /= max(float(mean.mean()), 1e-300)
    bins = np.fft.rfft(mean, axis=1)
    shift = np.zeros(parts, dtype=int)
    cycle = mean.mean(axis=0)
    for _ in range(_PASSES):
        like = np.fft.irfft(bins * np.fft.rfft(cycle - cycle.mean()).conj(), phases, axis=1)
        now = like.argmax(axis=1)
        aligned = mean[np.arange(parts)[:, None], (np.arange(phases) + now[:, None]) % phases]
        cycle = aligned.mean(axis=0)
        if np.array_equal(now, shift):
            break
        shift = now
    return np.asarray(cycle)


def shape(cycle: Array) -> tuple[float, float]:
    """The second over the first harmonic of a cycle, and the part of it that holds half of the
    power over its quiet level."""
    if not len(cycle):
        return 0.0, 1.0
    bins = np.abs(np.fft.rfft(cycle))
    over = np.sort(np.maximum(cycle - np.percentile(cycle, _QUIET), 0))[::-1].cumsum()
    if not over[-1] > 0:
        return 0.0, 1.0
    duty = float(np.searchsorted(over, 0.5 * over[-1]) + 1) / len(cycle)
    return float(bins[2] / max(bins[1], 1e-300)), duty
