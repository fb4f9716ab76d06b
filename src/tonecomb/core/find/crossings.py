"""Resonances from a run-up: fixed frequencies that orders sweep through or towards.

The amplitude of an order, divided by the square of the speed as unbalance drives it, is fitted
over the order's frequency by the magnitude of a mode and a complex, straight background. The
phase is left alone: it carries every error of the angle, as often as the order says.

A mode does not follow a sweep at once: its peak comes late, low and wide. So the model is not the
steady response: where the frequency rises by α Hz/s, the pole's share 1/(s − p) becomes
∫₀^∞ e^(−(s−p)τ + iπατ²) dτ, which is √π/(2√a) · w(i(s − p)/(2√a)) with a = −iπα and w Faddeeva's
function (F. M. Lewis, Trans. ASME 54 (1932) 253–261, for the question; Abramowitz and Stegun 7.4.2
for the integral). It is averaged over the frame as the samples are.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.orders import OrderLevels, Turning, hann
from tonecomb.core.record.recording import Array

_RISE = 2.0  # times as high as what lies beside it, from which a peak is looked at
_BESIDE = 0.12  # of its frequency, to either side, where that is taken
_WIDE = 0.08  # of its frequency, to either side, that a peak is fitted over
_END = 0.45  # of the order's highest frequency from which its end is fitted
_BEYOND = 1.15  # times that frequency up to which a mode is believed
_LEAST = 10  # frames that a fit needs
_MOST = 150  # frames that a fit takes, evenly chosen
_WITHIN = 12  # places in a frame at which the model is taken
_LAST = 3  # frames at an order's end, of which one is the highest where it does not reach the mode
_START = 0.01  # damping ratio
_UNEXPLAINED = 0.02  # share of the power that a fit may leave
_SURE = 0.01  # of its frequency that a mode's standard deviation may be
_TOLD = 0.3  # standard deviation of a damping, as a part of it, from which it is not told
_SAME = 0.03  # of a frequency within which two orders found the same mode
_STILL = 1e-6  # Hz/s, below which a sweep stands still


@dataclass(frozen=True)
class Crossing:
    """A mode that ``order`` meets when the shaft turns at ``speed`` (Hz), or would. ``frequency``
    in Hz, ``damping`` as a ratio, nan where the order does not come close enough to tell; both
    with their standard deviations."""

    frequency: float
    frequency_std: float
    damping: float
    damping_std: float
    order: float

    @property
    def speed(self) -> float:
        """The shaft's frequency at which they meet, Hz."""
        return self.frequency / self.order


def find_crossings(levels: OrderLevels, turning: Turning) -> tuple[Crossing, ...]:
    """The modes that the orders show, by rising frequency."""
    crossings: list[Crossing] = []
    rising = np.argsort(levels.speed)
    for order, amplitude in zip(levels.orders, levels.amplitude, strict=True):
        frequency = order * levels.speed[rising]
        driven = np.abs(amplitude[rising]) / levels.speed[rising] ** 2
        for part in _parts(frequency, driven):
            chosen = np.unique(np.linspace(part.start, part.stop - 1, _MOST).round().astype(int))
            sweep = _Sweep.of(levels, turning, rising[chosen], order)
            one = _fit(sweep, frequency[chosen], driven[chosen], float(frequency[-1]))
            if one is not None:
                crossings.append(one)
    kept: list[Crossing] = []
    for one in sorted(crossings, key=lambda c: c.frequency_std / c.frequency):
        if all(abs(one.frequency / other.frequency - 1) > _SAME for other in kept):
            kept.append(one)
    return tuple(sorted(kept, key=lambda c: c.frequency))


def _parts(frequency: Array, size: Array) -> list[slice]:
    """Frames about each peak, and those up to the end where the order rises towards it."""
    parts: list[slice] = []
    inner = np.flatnonzero((size[1:-1] > size[:-2]) & (size[1:-1] >= size[2:])) + 1
    for top in inner[np.argsort(-size[inner])]:
        low, high = (frequency[top] * (1 + side * _BESIDE) for side in (-1, 1))
        if low < frequency[0] or high > frequency[-1]:
            continue
        beside = [float(np.interp(at, frequency, size)) for at in (low, high)]
        if size[top] < _RISE * max(beside):
            continue
        ends = np.searchsorted(frequency, frequency[top] * np.array([1 - _WIDE, 1 + _WIDE]))
        part = slice(int(ends[0]), int(ends[1]))
        if all(part.start >= p.stop or part.stop <= p.start for p in parts):
            parts.append(part)
    near_end = float(np.interp((1 - _BESIDE) * frequency[-1], frequency, size))
    if size[-1] > _RISE * near_end or size[-3:].mean() > _RISE * near_end:
        parts.append(slice(int(np.searchsorted(frequency, _END * frequency[-1])), len(frequency)))
    return [part for part in parts if part.stop - part.start >= _LEAST]


@dataclass(frozen=True, eq=False)
class _Sweep:
    """An order's frequency (Hz), how fast it rises (Hz/s), and the share of the driving force, at
    places within each frame, shape (frames, places); ``middle`` (Hz) is of the frames' middles."""

    order: float
    frequency: Array
    rate: Array
    force: Array
    middle: Array

    @classmethod
    def of(cls, levels: OrderLevels, turning: Turning, frames: Array, order: float) -> _Sweep:
        weights = hann(_WITHIN)
        turns = levels.begin[frames][:, None] + np.arange(_WITHIN) * (levels.turns / _WITHIN)
        time = turning.time_at(turns)
        # Rates from frame to frame: those within one are the interpolation's, not the shaft's.
        every = np.gradient(levels.speed, levels.time)
        speed = turning.speed_at(time)
        rate = np.interp(time, levels.time, every)
        middle = levels.speed[frames]
        force = weights * (speed / middle[:, None]) ** 2
        return cls(order, order * speed, order * rate, force, order * middle)

    def mode(self, frequency: float, damping: float) -> np.ndarray:
        """Accelerance of a mode for a unit of modal mass, averaged over the frames, shape
        (frames,): 1 + R/(s − p) + R*/(s − p*) with R = p²/(p − p*), the first swept."""
        natural = 2 * np.pi * frequency
        pole = complex(-damping, math.sqrt(1 - damping**2)) * natural
        residue = pole**2 / (2j * pole.imag)
        s = 2j * np.pi * self.frequency
        answer = 1 + residue * _swept(s - pole, self.rate)
        answer += np.conj(residue) / (s - np.conj(pole))
        return np.asarray((self.force * answer).sum(axis=1))


def _swept(q: np.ndarray, rate: Array) -> np.ndarray:
    """∫₀^∞ e^(−qτ + iπ·rate·τ²) dτ, the real part of q being above 0."""
    from scipy.special import wofz

    still = np.abs(rate) < _STILL
    falls = rate < 0
    # Where the frequency falls, everything is mirrored.
    mirrored = np.where(falls, np.conj(q), q)
    root = np.sqrt(-1j * np.pi * np.where(still, 1.0, np.abs(rate)))
    made = math.sqrt(math.pi) / (2 * root) * wofz(1j * mirrored / (2 * root))
    return np.where(still, 1 / q, np.where(falls, np.conj(made), made))


def _fit(sweep: _Sweep, frequency: Array, size: Array, highest: float) -> Crossing | None:
    from scipy.optimize import least_squares

    measured = size / size.max()
    at = sweep.middle / sweep.middle.mean() - 1
    top = float(frequency[np.argmax(size)])
    # Where the order ends below the mode, its damping makes no difference and cannot be told.
    short = top >= frequency[-_LAST]
    parts = np.stack([np.ones(len(at)), at, at**2]) if short else np.stack([np.ones(len(at)), at])

    def model(now: Array) -> Array:
        damping = _START if short else math.exp(float(np.clip(now[-1], -9.0, -1.0)))
        beside = (now[2 : 2 + len(parts)] + 1j * now[2 + len(parts) : 2 + 2 * len(parts)]) @ parts
        return np.asarray(np.abs(now[1] * sweep.mode(float(now[0]), damping) + beside))

    count = 2 + 2 * len(parts)
    begin = np.zeros(count if short else count + 1)
    begin[:2], begin[2 + len(parts)] = (1.03 * top if short else top, 2 * _START), 0.05
    scale = np.full(len(begin), 0.1)
    scale[:2] = 1e-3 * top, 0.01
    if not short:
        begin[-1] = math.log(_START)
    fit = least_squares(lambda now: model(now) - measured, begin, x_scale=scale, max_nfev=300)
    place, left = float(fit.x[0]), float(fit.fun @ fit.fun)
    if left > _UNEXPLAINED * float(measured @ measured):
        return None
    if not frequency[0] < place < _BEYOND * highest:
        return None
    # From the curvature, with half-overlapped frames worth two thirds of as many.
    variance = 1.5 * left / max(len(measured) - len(begin), 1)
    scaled = fit.jac * scale
    stds = np.sqrt(np.maximum(np.diag(np.linalg.pinv(scaled.T @ scaled)) * variance, 0)) * scale
    if not stds[0] < _SURE * place:
        return None
    damping, share = (math.nan, math.nan) if short else (math.exp(fit.x[-1]), float(stds[-1]))
    if not share < _TOLD:
        damping = share = math.nan
    return Crossing(place, float(stds[0]), damping, damping * share, sweep.order)
