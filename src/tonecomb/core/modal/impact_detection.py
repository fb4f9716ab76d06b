"""Hits that are only heard: found in the answer of what was hit.

What rings is predicted from what was before; a hit is not. So the record is whitened by a linear
prediction whose coefficients are found where it is quiet as much as where it is loud (covariance
method, weighted by one over the local energy, three passes), and a hit is where the residual's
energy jumps and does not come back. Thresholds were found on records of random spacing, loudness
and handling noise.
"""

from __future__ import annotations

import numpy as np

from tonecomb.core.base.runs import spans_of
from tonecomb.core.record.recording import Array

_BAND = 2000.0  # Hz of the band that is whitened
_ORDER = 32  # of the linear prediction that takes out what rings
_PASSES = 3  # of the prediction, each without the hits found before
_ENERGY_S = 0.001  # s over which the residual's energy is averaged
_NEXT_S, _BEFORE_S = 0.002, 0.024  # s after, and before, a hit that it is held against
_RISE = 10 ** (11 / 10)  # of the next 2 ms over the 24 ms before
_LOUD_S = 0.15  # before and after, over which a hit has to stand out
# Times the energy before, after and on average (benchmark taps)
_OVER_BEFORE, _OVER_AFTER, _OVER_MEAN = 10 ** (11 / 10), 10 ** (4 / 10), 10 ** (11 / 10)
_AFTER_S = 0.036  # from when on what follows is looked at
_DEAD_S, _END_S = 0.045, 0.01  # s after a hit, and at the end, in which no other is told
_DOUBLE = 10 ** (-12 / 10)  # of a hit's energy, from which another within it is suspected
_DOUBLE_S = (0.006, 0.1)  # s after a hit in which a second one spoils it
_MOST_SAMPLES = 1 << 16  # of which the prediction is found


def find_knocks(x: Array, fs: float) -> list[tuple[int, bool]]:
    """Samples at which hits begin in ``x`` (samples,) at ``fs`` Hz, and whether a second one is
    suspected within each."""
    x = np.asarray(x, np.float64) - np.median(x)
    x = x / (float(np.abs(x).max()) or 1.0)  # squares of very small numbers are none
    step = max(1, int(fs / (2 * _BAND)))
    slow, rate = _decimated(x, step), fs / step
    if len(slow) < 8 * _ORDER or not np.any(slow):
        return []
    residual = _whitened(slow, rate)
    energy = _smoothed(residual**2, max(1, round(_ENERGY_S * rate)))
    floor = float(np.percentile(energy, 15)) + 1e-12 * float(energy.max())
    numbers: list[int] = []
    for at in _candidates(energy, rate, floor):
        if numbers and at - numbers[-1] < _DEAD_S * rate:
            continue
        if not _END_S * rate < at < len(energy) - _END_S * rate:
            continue  # where the record begins or ends is no hit
        if _stands_out(energy, at, rate):
            numbers.append(at)
    return [(_onset(x, at * step, fs), _doubled(energy, at, rate, numbers)) for at in numbers]


def _decimated(x: Array, step: int) -> Array:
    if step == 1:
        return x
    half = 8 * step  # a sinc under a Kaiser window: 60 dB down from the new Nyquist on
    n = np.arange(-half, half + 1)
    taps = np.sinc(0.8 * n / step) * np.kaiser(2 * half + 1, 6.0)
    return np.asarray(np.convolve(x, taps / taps.sum(), "same")[::step])


def _whitened(x: Array, rate: float) -> Array:
    """What a linear prediction leaves of ``x``."""
    residual = np.ones_like(x)  # at first what is loud tells how it rings
    rows = np.lib.stride_tricks.sliding_window_view(x, _ORDER + 1)
    thin = max(1, len(rows) // _MOST_SAMPLES)
    for _ in range(_PASSES):
        local = _smoothed(residual**2, max(1, round(0.02 * rate)))
        weight = 1 / np.sqrt(local + 1e-6 * float(local.mean()) + 1e-300)
        some = rows[::thin] * weight[_ORDER:][::thin][: len(rows[::thin]), None]
        past, now = some[:, :-1], some[:, -1]
        gram = past.T @ past
        gram[np.diag_indices(_ORDER)] += 1e-9 * np.trace(gram) / _ORDER
        a = np.linalg.solve(gram, past.T @ now)
        residual = np.concatenate([np.zeros(_ORDER), rows[:, -1] - rows[:, :-1] @ a])
    return residual


def _smoothed(x: Array, count: int) -> Array:
    """Mean over ``count`` samples about each."""
    total = np.concatenate([[0.0], np.cumsum(x)])
    low = np.maximum(np.arange(len(x)) - count // 2, 0)
    high = np.minimum(low + count, len(x))
    return np.asarray((total[high] - total[low]) / (high - low))


def _candidates(energy: Array, rate: float, floor: float) -> list[int]:
    """Where the next 2 ms stand over the 24 ms before."""
    total = np.concatenate([[0.0], np.cumsum(energy)])
    here = np.arange(len(energy))
    stop = np.minimum(here + max(1, round(_NEXT_S * rate)), len(energy))
    start = np.maximum(here - round(_BEFORE_S * rate), 0)
    after = (total[stop] - total[here]) / np.maximum(stop - here, 1)
    before = (total[here] - total[start]) / np.maximum(here - start, 1)
    ratio = after / (before + floor)
    above = ratio > _RISE
    return [int(a + np.argmax(ratio[a:b])) for a, b in spans_of(above)]


def _stands_out(energy: Array, at: int, rate: float) -> bool:
    loud, gap = round(_LOUD_S * rate), round(_AFTER_S * rate)
    near = max(1, round(0.006 * rate))
    peak = float(energy[at : at + near].max(initial=0.0))
    before = energy[max(0, at - loud) : max(0, at - near // 2)]
    after = energy[at + gap : at + loud]
    if len(before) and peak < _OVER_BEFORE * float(before.max()):
        return False
    if not len(after):
        return True
    return peak > _OVER_AFTER * float(after.max()) and peak > _OVER_MEAN * float(after.mean())


def _doubled(energy: Array, at: int, rate: float, found: list[int]) -> bool:
    """Whether the residual jumps again within a hit."""
    # The first is told by as many samples as the prediction has.
    first, last = at + _ORDER + round(_DOUBLE_S[0] * rate), at + round(_DOUBLE_S[1] * rate)
    following = [one for one in found if one > at]
    last = min(last, len(energy), *(one - round(0.01 * rate) for one in following[:1]))
    part = energy[first:last]
    if len(part) < 8:
        return False
    peak = float(energy[at:first].max(initial=0.0))
    most = int(np.argmax(part))
    quiet = float(np.median(part))
    if not float(part[most]) > max(_DOUBLE * peak, 30 * quiet):
        return False
    # It comes as suddenly as the first did: what rings on falls.
    before = energy[max(at, first + most - round(0.012 * rate)) : first + most]
    calm = before[: max(1, len(before) - round(0.003 * rate))]
    return float(part[most]) > _RISE * float(calm.max(initial=0.0))


def _onset(x: Array, at: int, fs: float) -> int:
    """Where the variance of the full-rate record changes most, about a place (Akaike's split of
    autoregressive onset pickers, with the variance alone)."""
    half = max(8, round(0.004 * fs))
    first, last = max(0, at - half), min(len(x), at + half)
    part = np.diff(x[first:last])
    n = len(part)
    if n < 8:
        return at
    total = np.cumsum(part**2)
    k = np.arange(2, n - 2)
    tiny = 1e-12 * float(total[-1]) + 1e-300
    left, right = total[k - 1] / k + tiny, (total[-1] - total[k - 1]) / (n - k) + tiny
    return first + int(k[np.argmin(k * np.log(left) + (n - k) * np.log(right))])
