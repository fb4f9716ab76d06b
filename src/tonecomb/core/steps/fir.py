"""Linear-phase-free shaping: a real or odd response applied block by block, without delay.

A response over frequency becomes taps centred on their sample, and blocks are convolved by
overlap-save (Oppenheim and Schafer, Discrete-Time Signal Processing, 8.7.3), so that any part of
a record comes out as it would from the whole.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.steps.recursive import Continued

Response = Callable[[Array], np.ndarray]
_MOST_TAPS = 1 << 22  # of a filter: 32 MB
_LEAST_BLOCK = 1 << 18  # samples filtered at once
_LONGER = 2  # times what compact taps last, that they are designed for
_ENDS, _SMOOTH = 0.1, 3.0  # of the windows exp(a − a/(1 − t²)) over taps and over a constant


def smooth(x: Array) -> Array:
    """0 below 0, 1 above 1, and between them a polynomial with three flat derivatives at the
    ends, so that taps die away quickly."""
    u = np.clip(x, 0.0, 1.0)
    return u**4 * (35 - 84 * u + 70 * u**2 - 20 * u**3)


def design(fs: float, response: Response, seconds: float) -> Array:
    """Taps of an odd number, centred, that have ``response`` (of frequencies in Hz, shape (n,);
    real, or imaginary for an odd filter). ``seconds`` is how long the taps last.

    Raises :class:`UserError` where that is more than can be computed with.
    """
    from scipy.fft import irfft, next_fast_len

    size = next_fast_len(max(64, int(np.ceil(seconds * fs))), real=True)
    size += size % 2
    if size > _MOST_TAPS:
        raise UserError(
            f"A limit this low needs a filter of {seconds:.3g} s",
            f"at {fs:g} Hz that is more than can be computed with",
            "decimate the recording first, or choose a higher limit",
        )
    taps = np.roll(irfft(response(np.arange(size // 2 + 1) * (fs / size)), size), size // 2)
    return np.asarray(np.append(taps, 0.0))


def compact(fs: float, response: Response, seconds: float) -> Array:
    """Taps as :func:`design` has them, that last ``seconds`` and are nothing beyond: faded out by a
    window all whose derivatives vanish at its ends, so that what they leave of frequencies far
    above a limit is far below what an integral makes of those. What is constant has its exact gain.

    With 14 periods of a limit that an eighth octave fades below, and more, an integral, a second
    integral, a derivative and a high-pass are within 7e-4 of theirs from the limit on.
    """
    long = design(fs, response, _LONGER * seconds)
    half, middle = round(seconds * fs / 2), len(long) // 2
    kept = long[middle - half : middle + half + 1]
    inside = 1 - (np.arange(-half, half + 1) / (half + 1)) ** 2
    taps = kept * np.exp(_ENDS * (1 - 1 / inside))
    constant = np.exp(_SMOOTH * (1 - 1 / inside))
    wanted = float(response(np.zeros(1)).real[0])
    return np.asarray(taps - constant * (taps.sum() - wanted) / constant.sum())


class Shaped(Samples):
    """``source`` through taps that are designed when they are first wanted; of the result every
    ``step``-th sample, times its channel's of ``sizes``. Beyond its ends the record goes on as
    :class:`Continued` has it for ``level``. Missing samples are bridged, and are missing in the
    result where they are."""

    costly = True

    def __init__(
        self,
        source: Samples,
        length: int,
        make: Callable[[], Array],
        step: int = 1,
        sizes: Sequence[float] = (),
        level: int = 1,
    ) -> None:
        self._source, self._length, self._make, self._step = source, length, make, step
        self._sizes, self._level = sizes, level
        self._lock = threading.Lock()
        self._continued: dict[int, Continued] = {}

    @cached_property
    def _taps(self) -> Array:
        return self._make()

    @property
    def grain(self) -> int:
        with self._lock:
            return max(_LEAST_BLOCK, 2 * len(self._taps)) // self._step

    def read(self, channel: int, start: int, stop: int) -> Array:
        from scipy.fft import irfft, next_fast_len, rfft

        block = self.grain
        taps, step = self._taps, self._step
        half = len(taps) // 2
        source = self._beyond(channel, half)
        parts = []
        for first in range(start, stop, block):
            last = min(stop, first + block)
            low, high = first * step - half, (last - 1) * step + half + 1
            samples = self._around(source, low, high)
            size = next_fast_len(len(samples), real=True)
            made = irfft(rfft(samples, size) * rfft(taps, size), size)
            made = made[2 * half : len(samples) : step]
            parts.append(self._with_holes(made, channel, first, last) if source.holed else made)
        joined = np.concatenate(parts) if parts else np.empty(0)
        return joined * self._sizes[channel] if self._sizes else joined

    def _beyond(self, channel: int, half: int) -> Continued:
        with self._lock:
            if channel not in self._continued:
                self._continued[channel] = Continued(
                    self._source, channel, self._length, half, self._level
                )
            return self._continued[channel]

    def _around(self, source: Continued, low: int, high: int) -> Array:
        """Samples from ``low`` to ``high``, which may lie outside the record."""
        first, stop = max(low, -source.beyond), min(high, self._length + source.beyond)
        inside = source.read(first + source.beyond, stop + source.beyond)
        if first == low and stop == high:
            return inside
        return np.pad(inside, (first - low, high - stop), mode="edge")

    def _with_holes(self, made: Array, channel: int, first: int, last: int) -> Array:
        """What was made of samples, but for those beside a missing one."""
        step = self._step
        low = max((first - 1) * step + 1, 0)
        own = self._source.read(channel, low, min(last * step, self._length))
        bad = low + np.flatnonzero(~np.isfinite(own))
        gone = np.union1d(bad // step, -(-bad // step)) - first
        made = np.array(made)
        made[gone[(gone >= 0) & (gone < len(made))]] = np.nan
        return made
