"""What is heard of a stretch: at a sound device's rate, quicker or moved up, at a safe level.

Loudness is that of ITU-R BS.1770-4, without its gates, of what is heard and not of what was
measured: a rumble that is played eight times as fast is weighted where it sounds.
"""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.decimate import decimated
from tonecomb.core.steps.fir import Shaped, design, smooth

SPEEDS = (1, 2, 4, 8, 16, 32, 64)  # times the recorded one
FADE_S = 0.02  # s at both ends, against clicks
_HALF = 24  # samples of the source on each side, that one of the sound is made of
_PHASES = 1024  # of an interpolated place between two samples
_PEAK = 10 ** (-1 / 20)  # of full scale: nothing is louder
_LOUD = -20.0  # LKFS: what is played is made as loud as that, where its peaks allow it
_MOST_GAIN = 120.0  # dB: silence stays silent
_BLOCK = 1 << 18  # samples read at once: 2 MB
_SHIFT_LOW = 2.0  # Hz: what lies below is not moved up

Stereo = NDArray[np.float32]


@dataclass(frozen=True)
class Way:
    """How a stretch is heard: ``speed`` times as fast, and ``shift`` Hz higher."""

    speed: int = 1
    shift: float = 0.0

    def check(self) -> None:
        """Raise :class:`UserError` where nothing can be heard so."""
        if self.speed not in SPEEDS or not 0 <= self.shift <= 5000:
            raise UserError(
                f"Nothing is heard {self.speed} times as fast and {self.shift:g} Hz higher",
                remedy="choose a speed from 1 to 64 and a shift up to 5000 Hz",
            )

    def sounds_as(self, frequency: float) -> float:
        """The pitch (Hz) of what vibrates with a frequency (Hz)."""
        return frequency * self.speed + self.shift


@dataclass(frozen=True, eq=False)
class Sound:
    """The samples from ``start`` to ``stop`` of one channel, or two as left and right, at ``rate``
    (of the sound device, Hz), times ``gain``."""

    signal: Signal
    channels: tuple[int, ...]
    start: int
    stop: int
    rate: int
    way: Way = Way()
    gain: float = 1.0

    @cached_property
    def _source(self) -> tuple[Samples, float, int]:
        """What is interpolated, how many of its samples pass in one of the sound, and how many
        there are."""
        signal, samples = self.signal, self.signal.samples
        ratio = signal.rate * self.way.speed / self.rate
        several = max(1, math.floor(ratio))
        length = signal.length
        if several > 1:
            samples = decimated(samples, length, signal.rate, several)
            length = -(-length // several)
        return samples, ratio / several, length

    @cached_property
    def _moved(self) -> tuple[Samples, Samples] | None:
        """The source and its Hilbert transform, where it is moved up."""
        if not self.way.shift:
            return None
        samples, _, length = self._source
        fs = self.rate * self._ratio  # of the source, as it is heard
        low = _SHIFT_LOW * self.way.speed

        def response(turn: complex) -> Array:
            def gain(f: Array) -> NDArray[np.complex128]:
                top = smooth((fs / 2 - f) / (0.1 * fs))
                return np.asarray(turn * smooth((f - low) / low + 0.5) * top)

            return design(fs, gain, 8 / low)

        return (
            Shaped(samples, length, lambda: response(1.0)),
            Shaped(samples, length, lambda: response(-1j)),
        )

    @property
    def _ratio(self) -> float:
        return self._source[1]

    @cached_property
    def _kernel(self) -> Array:
        return _kernel(max(1.0, self._ratio))

    @property
    def frames(self) -> int:
        """How many samples it lasts at the device's rate."""
        return max(1, int((self.stop - self.start) / self.signal.rate / self.way.speed * self.rate))

    def time(self, frame: float) -> float:
        """The time in the signal (s) that is heard at a sample of the sound."""
        return self.start / self.signal.rate + frame / self.rate * self.way.speed

    def frame(self, time: float) -> int:
        """The sample of the sound at which a time (s) of the signal is heard."""
        at = (time - self.start / self.signal.rate) * self.rate / self.way.speed
        return min(max(round(at), 0), self.frames - 1)

    def plain(self, first: int, count: int) -> Array:
        """Samples from ``first`` on before gain, shape (count, channels); zeros outside of it. What
        is missing is silent."""
        _, ratio, length = self._source
        begin = self.start / self.signal.rate * self.rate / self.way.speed
        places = (begin + first + np.arange(count)) * ratio
        low = max(int(places[0]) - _HALF + 1, 0)
        high = min(int(places[-1]) + _HALF + 1, length)
        out = np.zeros((count, len(self.channels)))
        if high - low < 2:
            return out
        whole = np.floor(places).astype(int)
        phase = (places - whole) * _PHASES
        at = phase.astype(int)
        part = (phase - at)[:, None]
        kernel = self._kernel
        weights = kernel[at] * (1 - part) + kernel[at + 1] * part
        before = max(low - (int(whole[0]) - _HALF + 1), 0)
        for k, channel in enumerate(self.channels):
            x = self._read(channel, low, high)
            x = np.pad(x, (before, max(int(whole[-1]) + _HALF + 1 - high, 0)))
            taken = np.lib.stride_tricks.sliding_window_view(x, 2 * _HALF)[whole - whole[0]]
            out[:, k] = np.einsum("ij,ij->i", taken, weights)
        number = first + np.arange(count)
        out[(number < 0) | (number >= self.frames)] = 0.0
        return out

    def _read(self, channel: int, low: int, high: int) -> Array:
        samples, _, _ = self._source
        if self._moved is None:
            return np.nan_to_num(samples.read(channel, low, high), posinf=0.0, neginf=0.0)
        even, odd = (np.nan_to_num(one.read(channel, low, high)) for one in self._moved)
        fs = self.rate * self._ratio
        turns = np.mod(np.arange(low, high) * (self.way.shift / fs), 1.0) * 2 * np.pi
        return np.asarray(even * np.cos(turns) - odd * np.sin(turns))

    def render(self, first: int, count: int) -> Stereo:
        """Left and right from sample ``first`` on, shape (count, 2), faded at the sound's start and
        end, and never beyond full scale."""
        values = self.plain(first, count) * self.gain
        number = first + np.arange(count)
        fade = FADE_S * self.rate
        ends = np.minimum(number, self.frames - 1 - number) / fade
        values *= raised(ends)[:, None]
        both = np.repeat(values, 2, axis=1) if values.shape[1] == 1 else values
        return np.clip(both, -_PEAK, _PEAK).astype(np.float32)

    def measured(self, progress: Progress = silent) -> tuple[float, float]:
        """Loudness (LKFS) at a gain of one, −inf for silence, and the highest peak. Of long sounds
        a part every so often is listened to, and the peak is of the samples themselves."""
        parts = min(24, max(1, self.frames // self.rate))
        size = min(self.frames, self.rate)
        total, count, peak = 0.0, 0, 0.0
        for k in range(parts):
            first = (self.frames - size) * k // max(parts - 1, 1)
            x = self.plain(first, size)
            peak = max(peak, float(np.abs(x).max(initial=0.0)))
            power = np.abs(np.fft.rfft(x, axis=0)) ** 2 * 2 / size**2
            power[0] = 0
            weight = k_weighting(np.asarray(np.arange(len(power)) * (self.rate / size)))
            total += float((weight[:, None] * power).sum())
            count += 1
            progress((k + 1) / parts)
        return (-0.691 + 10 * math.log10(total / count) if total > 0 else -math.inf), peak


def _kernel(reach: float) -> Array:
    """Weights of the samples about a place that lies k/PHASES of a sample after one, for k from 0
    on, shape (PHASES + 1, taps); with ``reach`` over one the pass-band narrows so that nothing
    folds down."""
    offsets = np.arange(-_HALF + 1, _HALF + 1) - np.arange(_PHASES + 1)[:, None] / _PHASES
    inside = np.sqrt(np.clip(1 - (offsets / _HALF) ** 2, 0, None))
    values = np.sinc(offsets / reach) * np.i0(9.0 * inside)
    return np.asarray(values / values.sum(axis=1, keepdims=True))


def raised(x: Array) -> Array:
    """0 at 0 and below, 1 from 1 on, half a cosine between."""
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * np.clip(x, 0.0, 1.0)))


def k_weighting(frequency: Array) -> Array:
    """Square of the gain of BS.1770's two filters, whose coefficients are for 48 kHz, at
    frequencies (Hz); above 20 kHz that at it."""
    z = np.exp(-2j * np.pi * np.minimum(frequency, 20_000.0) / 48_000)
    shelf = (1.53512485958697 - 2.69169618940638 * z + 1.19839281085285 * z**2) / (
        1 - 1.69065929318241 * z + 0.73248077421585 * z**2
    )
    high = (1 - 2 * z + z**2) / (1 - 1.99004745483398 * z + 0.99007225036621 * z**2)
    return np.asarray(np.abs(shelf * high) ** 2)


def equally_loud(*sounds: Sound, progress: Progress = silent) -> tuple[Sound, ...]:
    """The sounds with gains at which they are equally loud, none of them clips, and none is louder
    than it need be."""
    pairs = [one.measured(progress) for one in sounds]
    heard = [(loud, peak) for loud, peak in pairs if loud > -math.inf and peak > 0]
    if not heard:
        return sounds
    level = min([_LOUD, *(loud + 20 * math.log10(_PEAK / peak) for loud, peak in heard)])
    made = []
    for one, (loud, peak) in zip(sounds, pairs, strict=True):
        db = min(level - loud, _MOST_GAIN) if loud > -math.inf and peak > 0 else 0.0
        made.append(replace(one, gain=10 ** (db / 20)))
    return tuple(made)


class Heard:
    """Sounds of one length, of which one is heard at a time. Another is faded in within 20 ms, and
    what is heard begins anew at its end where it loops. Safe to take from another thread."""

    def __init__(self, sounds: tuple[Sound, ...], *, first: int = 0, loop: bool = False) -> None:
        self.sounds = sounds
        self.loop = loop
        self.at = first
        self._now, self._next, self._faded = 0, 0, 1.0
        self._lock = threading.Lock()

    @property
    def rate(self) -> int:
        return self.sounds[0].rate

    @property
    def number(self) -> int:
        """Which of the sounds is heard, or will be in a moment."""
        return self._next

    def switch(self, number: int) -> None:
        """Have another of the sounds heard from now on."""
        with self._lock:
            if number != self._next:
                if self._faded < 1.0:  # while the last switch still fades: go back from there
                    self._now, self._faded = self._next, 1.0 - self._faded
                self._next, self._faded = number, self._faded if self._faded < 1.0 else 0.0

    def take(self, count: int) -> Stereo:
        """The next samples, shape (count or fewer at the end, 2)."""
        parts: list[Stereo] = []
        frames = self.sounds[0].frames
        with self._lock:
            while count > 0:
                if self.at >= frames:
                    if not self.loop:
                        break
                    self.at = 0
                some = min(count, frames - self.at)
                parts.append(self._mixed(some))
                self.at += some
                count -= some
        return np.concatenate(parts) if parts else np.zeros((0, 2), dtype=np.float32)

    def go_back(self, count: int) -> None:
        """Have the last so many samples that were taken come again."""
        with self._lock:
            frames = self.sounds[0].frames
            self.at = (self.at - count) % frames if self.loop else max(self.at - count, 0)

    def _mixed(self, count: int) -> Stereo:
        new = self.sounds[self._next].render(self.at, count)
        if self._faded >= 1.0:
            return new
        old = self.sounds[self._now].render(self.at, count)
        fade = self._faded + np.arange(1, count + 1) / (FADE_S * self.rate)
        part = raised(fade)[:, None].astype(np.float32)
        self._faded = min(float(fade[-1]), 1.0)
        if self._faded >= 1.0:
            self._now = self._next
        return old * (1 - part) + new * part
