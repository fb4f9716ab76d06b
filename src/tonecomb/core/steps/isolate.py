"""What lies in regions of time and frequency, alone, or all but that.

Boxes and outlines are gains on the transforms of overlapping frames, which are put together again
with the dual of their window, w/Σw² (Griffin and Lim 1984; Harris 1978 for the windows): where all
gains are one the samples come back as they were. A tooth is turned down to 0 Hz along its track,
low-passed and turned up again, which tells it from its neighbours however quickly it moves. What is
taken out is the samples less what is kept, so that both always add up.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import WINDOWS, window
from tonecomb.core.steps.fir import design, smooth
from tonecomb.core.steps.recursive import bridged
from tonecomb.core.steps.regions import Marked, Region, RegionBox, RegionTooth
from tonecomb.core.steps.step import Step, unfit

_EDGE_BINS = 8  # over which a region's edge fades, against ringing
_BLOCK = 1 << 17  # samples read at once: 1 MB
_LIFTS = 2.0  # by which the dual window may raise noise in a gain that is not even
_SECONDS = 0.16  # s of a frame: 12 Hz wide edges
_TAPS = 8.0  # over the low-pass's fade, that it lasts
_LEAST_FRAME = 32  # samples


def dual(name: str, frame: int, hop: int) -> tuple[Array, Array]:
    """The window, and that by which frames ``hop`` apart are put together again, shape (frame,)
    each; :class:`UserError` where that would raise what lies between regions."""
    w = window(name).samples(frame)
    total = np.zeros(hop)
    for start in range(0, frame, hop):
        part = w[start : start + hop] ** 2
        total[: len(part)] += part
    overlap = 100 * (1 - hop / frame)
    least = float(total.min())
    if least <= 1e-9 * float(total.max()) or float((total.mean() / total).mean()) > _LIFTS:
        raise unfit(
            f"Frames that overlap by {overlap:.3g} % cannot be put together again",
            "let them overlap more, or choose a Hann window",
            f"the {window(name).title} window leaves hardly anything where two of them meet",
        )
    return w, w / np.resize(total, frame)


@dataclass(frozen=True)
class Isolate(Step):
    """``regions`` alone, or with ``out`` all but them; boxes and outlines by frames of ``frame``
    samples (0 for about 0.16 s)."""

    key: ClassVar[str] = "isolate"
    title: ClassVar[str] = "Isolate"
    tip: ClassVar[str] = "Keep regions of the spectrogram, or take them out"
    takes: ClassVar[bool] = True

    regions: tuple[Region, ...] = setting(
        "regions", "regions", help="box/START/END/LOW/HIGH, outline/…, tooth/NUMBER/HALF/0/HZ"
    )
    out: bool = setting("out", "flag", False, help="take them out, and keep the rest")
    frame: int = setting("frame", "whole", 0, least=0, help="samples of a frame; 0: about 0.16 s")
    window: str = setting("window", "choice", "hann", choices=tuple(WINDOWS), help="of the frames")
    overlap: float = setting("overlap", "number", 75.0, unit="%", help="of the frames")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        whole = RegionBox(0.0, signal.duration, 0.1 * signal.rate, 0.2 * signal.rate)
        return {"regions": (whole,)}

    def words(self, names: Sequence[str]) -> str:
        what = "taken out" if self.out else "kept"
        if len(self.regions) == 1:
            return f"{what}: {self.regions[0].words()}"
        return f"{what}: {len(self.regions)} regions"

    def swapped(self) -> Isolate:
        """With what is kept and what is taken out changed over."""
        return replace(self, out=not self.out)

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        for region in self.regions:
            region.check(signal.duration, fs / 2)
        frame = self.frame or 1 << max(5, round(np.log2(_SECONDS * fs)))
        hop = round(frame * (1 - self.overlap / 100))
        if not (_LEAST_FRAME <= frame <= signal.length and 1 <= hop <= frame):
            raise unfit(
                f"Frames of {frame} samples that overlap by {self.overlap:g} % cannot be",
                f"choose {_LEAST_FRAME} to {signal.length} samples, and an overlap below 100 %",
            )
        marked = [one for one in self.regions if isinstance(one, Marked)]
        parts: list[Samples] = []
        if marked:
            frames = _Frames(fs, signal.length, frame, hop, *dual(self.window, frame, hop))
            parts.append(InRegions(signal.samples, frames, marked))
        # What lies in two regions is kept once: teeth are sought in what the others leave.
        rest = KeptRegions(signal.samples, tuple(parts), out=True) if parts else signal.samples
        parts += [
            AlongTrack(rest, signal.length, fs, one)
            for one in self.regions
            if isinstance(one, RegionTooth)
        ]
        # Beyond the ends a tooth is taken to be silent.
        teeth = [one for one in self.regions if isinstance(one, RegionTooth)]
        ends = max((math.ceil(_TAPS / one.reach * fs / 2) for one in teeth), default=0)
        if 2 * ends >= signal.length:
            raise unfit(
                f"A tooth ± {min(one.reach for one in teeth):.3g} Hz wide is too narrow for this "
                "record",
                "choose a wider one or a longer record",
                f"it takes {ends / fs:.3g} s to settle at each end, and there are "
                f"{signal.duration:.3g} s",
            )
        return replace(
            signal,
            samples=KeptRegions(signal.samples, parts, out=self.out),
            edge_samples=signal.more_edge_samples(ends, ends),
        )


@dataclass(frozen=True, eq=False)
class _Frames:
    fs: float
    length: int
    frame: int
    hop: int
    taper: Array
    back: Array

    @cached_property
    def frequency(self) -> Array:
        return np.asarray(np.arange(self.frame // 2 + 1) * (self.fs / self.frame))

    @property
    def edge(self) -> float:
        """Hz over which an edge fades."""
        return _EDGE_BINS * self.fs / self.frame

    @property
    def fade(self) -> float:
        """Seconds over which a region begins and ends."""
        return self.frame / 2 / self.fs


class InRegions(Samples):
    """What lies in marked regions of every channel of ``source``."""

    costly = True

    def __init__(self, source: Samples, frames: _Frames, regions: Sequence[Marked]) -> None:
        self._source, self._frames, self._regions = source, frames, regions

    @property
    def grain(self) -> int:
        return max(_BLOCK, 4 * self._frames.frame)

    def gains(self, numbers: range) -> Array:
        """Of frames, each bin from 0 to 1, shape (frames, bins)."""
        f = self._frames
        out = np.zeros((len(numbers), len(f.frequency)))
        for row, number in zip(out, numbers, strict=True):
            time = (number * f.hop + f.frame / 2) / f.fs
            for region in self._regions:
                start, end = region.span
                inside = _at_ends((time - start) / f.fade + 0.5, (end - time) / f.fade + 0.5)
                within = min(max(time, start + 1e-9), end - 1e-9)
                for low, high in region.ranges(within) if inside > 0 else ():
                    gain = self._range(low, high)
                    np.maximum(row, gain if inside == 1 else inside * gain, out=row)
        return out

    @lru_cache(maxsize=8)  # noqa: B019 - of a box it is the same in every frame
    def _range(self, low: float, high: float) -> Array:
        """Gain of each bin for a range of frequencies, half of it at its limits; to the ends of the
        axis a range has no edge."""
        f = self._frames
        frequency, edge = f.frequency, f.edge
        gain = np.ones(len(frequency))
        if low > 0:
            gain *= _half_cosine((frequency - low) / edge + 0.5)
        if high < f.fs / 2:
            gain *= _half_cosine((high - frequency) / edge + 0.5)
        return gain

    def read(self, channel: int, start: int, stop: int) -> Array:
        import scipy.fft

        f = self._frames
        out = np.zeros(stop - start)
        some = max(1, _BLOCK // f.hop)
        first, last = -((f.frame - start - 1) // f.hop), (stop - 1) // f.hop + 1
        for begin in range(first, last, some):
            numbers = range(begin, min(begin + some, last))
            gains = self.gains(numbers)
            if not gains.any():
                continue
            low, high = numbers[0] * f.hop, numbers[-1] * f.hop + f.frame
            a, b = max(low, 0), min(high, f.length)
            x = np.zeros(high - low)
            x[a - low : b - low] = bridged(self._source.read(channel, a, b))
            frames = np.lib.stride_tricks.sliding_window_view(x, f.frame)[:: f.hop] * f.taper
            made = scipy.fft.irfft(scipy.fft.rfft(frames, axis=1) * gains, f.frame, axis=1) * f.back
            total = np.zeros(high - low)
            for k, one in enumerate(made):
                total[k * f.hop : k * f.hop + f.frame] += one
            c, d = max(low, start), min(high, stop)
            out[c - start : d - start] += total[c - low : d - low]
        return out


def _at_ends(after: float, before: float) -> float:
    """Gain of a frame so far after a region's start and before its end, in parts of the fade."""
    if after >= 1 and before >= 1:
        return 1.0
    return float(smooth(np.array([after, before])).prod()) if min(after, before) > 0 else 0.0


def _half_cosine(x: Array) -> Array:
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * np.clip(x, 0, 1)))


class AlongTrack(Samples):
    """A tooth of every channel of ``source``, turned down, low-passed and turned up again."""

    costly = True

    def __init__(self, source: Samples, length: int, fs: float, tooth: RegionTooth) -> None:
        self._source, self._length, self._fs, self._tooth = source, length, fs, tooth

    @cached_property
    def _taps(self) -> Array:
        reach = self._tooth.reach
        return design(
            self._fs, lambda f: smooth((1.25 * reach - np.abs(f)) / (0.5 * reach)), _TAPS / reach
        )

    @property
    def grain(self) -> int:
        return max(_BLOCK, 4 * len(self._taps))

    def read(self, channel: int, start: int, stop: int) -> Array:
        from scipy.fft import fft, ifft, next_fast_len

        half = len(self._taps) // 2
        parts = []
        for first in range(start, stop, self.grain):
            last = min(stop, first + self.grain)
            low, high = first - half, last + half
            a, b = max(low, 0), min(high, self._length)
            turn = self._turn(a, b)
            z = np.zeros(high - low, dtype=np.complex128)
            z[a - low : b - low] = bridged(self._source.read(channel, a, b)) * np.conj(turn)
            size = next_fast_len(len(z))
            made = ifft(fft(z, size) * fft(self._taps, size))[2 * half : len(z)]
            parts.append(2 * np.real(made * turn[first - a : last - a]))
        return parts[0] if len(parts) == 1 else np.concatenate(parts) if parts else np.empty(0)

    def _turn(self, start: int, stop: int) -> NDArray[np.complex128]:
        turns = self._tooth.turns(np.arange(start, stop) / self._fs)
        return np.asarray(np.exp(2j * np.pi * np.mod(turns, 1.0)))


class KeptRegions(Samples):
    """The sum of ``parts`` of ``source``, or with ``out`` all but that."""

    costly = True

    def __init__(self, source: Samples, parts: Sequence[Samples], out: bool) -> None:
        self._source, self._parts, self._out = source, parts, out

    @property
    def grain(self) -> int:
        return max((part.grain for part in self._parts), default=_BLOCK)

    def read(self, channel: int, start: int, stop: int) -> Array:
        total = sum(
            (part.read(channel, start, stop) for part in self._parts), np.zeros(stop - start)
        )
        own = self._source.read(channel, start, stop)
        left = own - total if self._out else total
        return np.where(np.isfinite(own), left, np.nan)
