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

from tonecomb.core.errors import UserError
from tonecomb.core.record.recording import Array, Samples

Response = Callable[[Array], np.ndarray]
_MOST_TAPS = 1 << 22
_LEAST_BLOCK = 1 << 18


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


class Shaped(Samples):
    """``source`` through taps that are designed when they are first wanted; of the result every
    ``step``-th sample, times its channel's of ``sizes``. Beyond its ends the record is turned
    about its end points."""

    costly = True

    def __init__(
        self, source: Samples, length: int, make: Callable[[], Array], step: int = 1,
        sizes: Sequence[float] = (),
    ) -> None:  # fmt: skip
        self._source, self._length, self._make, self._step = source, length, make, step
        self._sizes = sizes
        self._lock = threading.Lock()

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
        parts = []
        for first in range(start, stop, block):
            last = min(stop, first + block)
            samples = self._around(channel, first * step - half, (last - 1) * step + half + 1)
            size = next_fast_len(len(samples), real=True)
            made = irfft(rfft(samples, size) * rfft(taps, size), size)
            parts.append(made[2 * half : len(samples) : step])
        joined = np.concatenate(parts) if parts else np.empty(0)
        return joined * self._sizes[channel] if self._sizes else joined

    def _around(self, channel: int, low: int, high: int) -> Array:
        """Samples from ``low`` to ``high``, which may lie outside the record."""
        first, stop = max(low, 0), min(high, self._length)
        inside = self._source.read(channel, first, stop)
        before, after = first - low, high - stop
        if not before and not after:
            return inside
        if max(before, after) >= self._length:
            return np.pad(inside, (before, after), mode="edge")
        parts = [inside]
        if before:
            mirror = self._source.read(channel, 0, before + 1)
            parts.insert(0, 2 * mirror[0] - mirror[:0:-1])
        if after:
            mirror = self._source.read(channel, self._length - after - 1, self._length)
            parts.append(2 * mirror[-1] - mirror[-2::-1])
        return np.concatenate(parts)
