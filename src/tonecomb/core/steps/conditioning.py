"""What is done to a recording before it is analysed, without touching its file.

The order is fixed: keep a stretch, remove mean, line or drift, derive channels, decimate. Every
step works on blocks as they are read.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.record.evenly import Part
from tonecomb.core.record.recording import Array, Channel, Recording, Samples, Stretch
from tonecomb.core.steps.fir import Shaped, design, smooth
from tonecomb.core.units import COUNTS, FULL_SCALE, MOTIONS, conversion, unit

Removed = Literal["nothing", "mean", "line", "drift"]
Kind = Literal[
    "vector sum", "sum", "difference", "scaled", "integral", "double integral", "derivative"
]
INTEGRALS: dict[Kind, int] = {"integral": -1, "double integral": -2, "derivative": 1}
_BLOCK = 1 << 20
_TAPS = 32  # periods of the low cut that a filter lasts
_TOP = 0.9  # of the Nyquist frequency: integrals and derivatives fade out from here
_EDGE = 0.8  # of the new Nyquist frequency: up to here decimation leaves everything as it is
# Velocity and displacement of an acceleration, and back, as the trade shows them.


@dataclass(frozen=True)
class Derived:
    """A channel made of others, which are named by their number.

    ``low_cut`` in Hz is for integrals and derivatives, ``factor`` for ``scaled``. An empty
    ``name`` is made up from what it is.
    """

    kind: Kind
    channels: tuple[int, ...]
    low_cut: float = 1.0
    factor: float = 1.0
    name: str = ""


@dataclass(frozen=True)
class Conditioning:
    """``keep`` is what stays of the record; ``removed`` from each channel, with drift meaning
    what is slower than ``drift_cut`` in Hz; of every ``decimate`` samples one stays."""

    keep: Stretch | None = None
    removed: Removed = "nothing"
    drift_cut: float = 0.5
    derived: tuple[Derived, ...] = ()
    decimate: int = 1


AS_RECORDED = Conditioning()


def condition(recording: Recording, how: Conditioning) -> Recording:
    """The recording as it is conditioned; nothing is read yet.

    Raises :class:`UserError` for a step that the recording does not allow.
    """
    if how == AS_RECORDED or recording.sample_rate is None:
        return recording
    if how.keep is not None:
        first, stop = how.keep.indices(recording)
        told = (replace(one, sample=one.sample - first) for one in recording.breaks)
        recording = replace(
            recording,
            samples=Part(recording.samples, first),
            length=stop - first,
            start="",
            breaks=tuple(one for one in told if 0 <= one.sample < stop - first),
        )
    samples, length, fs = recording.samples, recording.length, recording.rate
    if how.removed in ("mean", "line"):
        samples = _Straight(samples, length, how.removed == "line")
    elif how.removed == "drift":
        if not 0 < how.drift_cut < fs / 4:
            raise UserError(
                f"Drift below {how.drift_cut:g} Hz cannot be removed",
                remedy=f"choose a limit above 0 and below {fs / 4:g} Hz",
            )
        samples = Shaped(samples, length, partial(_high_pass, fs, how.drift_cut))
    channels = recording.channels
    if how.derived:
        made = [_derive(one, recording, samples) for one in how.derived]
        channels += tuple(channel for channel, _ in made)
        samples = _Extended(samples, len(recording.channels), tuple(s for _, s in made))
    if how.decimate > 1:
        if how.decimate > length // 2:
            raise UserError(
                f"One sample of {how.decimate} leaves nothing to analyse",
                remedy=f"decimate {recording.name} by less",
            )
        samples = Shaped(samples, length, partial(low_pass, fs, how.decimate), how.decimate)
        length = -(-length // how.decimate)
        fs /= how.decimate
        found = f"{recording.rate_found}; decimated by {how.decimate} to {fs:g} Hz"
        told = (replace(one, sample=one.sample // how.decimate) for one in recording.breaks)
        recording = replace(recording, rate_found=found, breaks=tuple(told))
    return replace(
        recording,
        samples=samples,
        length=length,
        channels=channels,
        sample_rate=fs,
        prepared=words(how),
    )


def words(how: Conditioning) -> tuple[str, ...]:
    """The steps as the method line and the report name them."""
    said = []
    if how.keep is not None:
        said.append(f"kept {how.keep.start:.6g}–{how.keep.end:.6g} s")
    if how.removed == "drift":
        said.append(f"drift below {how.drift_cut:g} Hz removed")
    elif how.removed != "nothing":
        said.append(f"{how.removed} of the record removed")
    if how.decimate > 1:
        said.append(f"decimated by {how.decimate}")
    return tuple(said)


def derived_name(one: Derived, names: list[str]) -> str:
    """What a derived channel is called: its own name, or what it is."""
    if one.name:
        return one.name
    of = [names[i] for i in one.channels if i < len(names)]
    if one.kind == "scaled":
        return f"{one.factor:g} × {of[0]}" if of else "scaled"
    if one.kind in INTEGRALS:
        return f"{one.kind} of {of[0]}, from {one.low_cut:g} Hz" if of else one.kind
    joint = {"difference": " − ", "sum": " + ", "vector sum": ", "}[one.kind]
    joined = joint.join(of)
    return f"|{joined}|" if one.kind == "vector sum" else joined


def derived_unit(one: Derived, channel: Channel) -> tuple[str, float]:
    """The unit of a derived channel, and what its samples are multiplied by to be in it."""
    symbol = channel.unit
    if one.kind not in INTEGRALS or symbol in (FULL_SCALE, COUNTS):
        return symbol, one.factor if one.kind == "scaled" else 1.0
    known, order = unit(symbol), INTEGRALS[one.kind]
    if known.quantity in MOTIONS:
        motions = list(MOTIONS.values())
        at = list(MOTIONS).index(known.quantity) + order
        if 0 <= at < len(motions):
            target = motions[at]
            base = conversion(symbol, MOTIONS[known.quantity].base)
            return target.shown, base * conversion(target.base, target.shown)
    times = {1: "/s", -1: "*s", -2: "*s**2"}[order]
    return unit(f"{symbol}{times}").symbol, 1.0


def _derive(one: Derived, recording: Recording, samples: Samples) -> tuple[Channel, Samples]:
    count = len(recording.channels)
    least = 1 if one.kind == "scaled" or one.kind in INTEGRALS else 2
    if len(one.channels) < least or not all(0 <= i < count for i in one.channels):
        raise UserError(
            f"A {one.kind} needs {'a channel' if least == 1 else 'at least two channels'}",
            f"{recording.name} has {count}",
            "choose from those",
        )
    first = recording.channels[one.channels[0]]
    for i in one.channels[1:]:
        conversion(recording.channels[i].unit, first.unit)  # raises where they do not go together
    symbol, size = derived_unit(one, first)
    name = derived_name(one, [channel.name for channel in recording.channels])
    channel = Channel(name, symbol)
    if one.kind in INTEGRALS:
        fs = recording.rate
        if not 0 < one.low_cut < fs / 4:
            raise UserError(
                f"A low cut of {one.low_cut:g} Hz cannot be used",
                remedy=f"choose one above 0 and below {fs / 4:g} Hz",
            )
        picked = _Pointwise(samples, one.channels[:1], (1.0,), False)
        order = INTEGRALS[one.kind]
        make = partial(_power_of_frequency, fs, order, one.low_cut, size)
        return channel, Shaped(picked, recording.length, make)
    factors = [conversion(recording.channels[i].unit, first.unit) for i in one.channels]
    if one.kind == "difference":
        factors = [factors[0], *(-factor for factor in factors[1:])]
    if one.kind == "scaled":
        factors = [size]
    return channel, _Pointwise(samples, one.channels, tuple(factors), one.kind == "vector sum")


@dataclass(frozen=True, eq=False)
class _Pointwise:
    """Channels of ``source`` by their factors, added up, or their squares added and the root
    taken."""

    source: Samples
    chosen: tuple[int, ...]
    factors: tuple[float, ...]
    root: bool

    def read(self, channel: int, start: int, stop: int) -> Array:
        total = np.zeros(stop - start)
        for i, factor in zip(self.chosen, self.factors, strict=True):
            samples = self.source.read(i, start, stop)
            total += (factor * samples) ** 2 if self.root else factor * samples
        return np.sqrt(total) if self.root else total


@dataclass(frozen=True, eq=False)
class _Extended:
    """``source`` with its ``count`` channels, and derived ones after them."""

    source: Samples
    count: int
    derived: tuple[Samples, ...]

    def read(self, channel: int, start: int, stop: int) -> Array:
        if channel < self.count:
            return self.source.read(channel, start, stop)
        return self.derived[channel - self.count].read(0, start, stop)


class _Straight:
    """``source`` without its mean, or the straight line that fits best by least squares; both
    are found in one pass over the finite samples when a channel is first read."""

    def __init__(self, source: Samples, length: int, sloped: bool) -> None:
        self._source, self._length, self._sloped = source, length, sloped
        self._found: dict[int, tuple[float, float]] = {}
        self._lock = threading.Lock()

    def read(self, channel: int, start: int, stop: int) -> Array:
        with self._lock:
            if channel not in self._found:
                self._found[channel] = self._fit(channel)
        level, slope = self._found[channel]
        samples = self._source.read(channel, start, stop) - level
        if slope:
            samples -= slope * (np.arange(start, stop) - (self._length - 1) / 2)
        return samples

    def _fit(self, channel: int) -> tuple[float, float]:
        """Level in the middle of the record, and slope per sample."""
        sums = np.zeros(5)  # of 1, t, t², x, t·x
        middle, shift = (self._length - 1) / 2, np.nan
        for start in range(0, self._length, _BLOCK):
            stop = min(self._length, start + _BLOCK)
            x = self._source.read(channel, start, stop)
            good = np.isfinite(x)
            t = np.arange(start, stop) - middle
            if not good.all():
                x, t = x[good], t[good]
            if not len(x):
                continue
            shift = float(x[0]) if np.isnan(shift) else shift
            y = x - shift
            sums += np.array([len(y), t.sum(), t @ t, y.sum(), t @ y])
        count, t1, t2, x1, tx = sums
        if not count:
            return 0.0, 0.0
        spread = t2 - t1 * t1 / count
        slope = (tx - t1 * x1 / count) / spread if self._sloped and spread > 0 else 0.0
        return shift + (x1 - slope * t1) / count, slope


def _high_pass(fs: float, cut: float) -> Array:
    """Nothing up to half of ``cut``, everything from ``cut`` on."""
    return design(fs, lambda f: smooth(2 * f / cut - 1), _TAPS / cut)


def low_pass(fs: float, decimate: int) -> Array:
    """Everything up to 0.8 of the new Nyquist frequency, nothing from it on."""
    nyquist = fs / decimate / 2
    fade = (1 - _EDGE) * nyquist
    return design(fs, lambda f: smooth((nyquist - f) / fade), _TAPS / fade)


def _power_of_frequency(fs: float, order: int, cut: float, size: float) -> Array:
    """(j2πf) to the power ``order``, from ``cut`` on; below half of it nothing. Towards the
    Nyquist frequency it fades out from nine tenths on, as an odd response has to."""

    def response(f: Array) -> np.ndarray:
        passed = smooth(2 * f / cut - 1)
        if order % 2:
            passed = passed * smooth((fs / 2 - f) / ((1 - _TOP) * fs / 2))
        out = np.zeros(len(f), dtype=np.complex128)
        inside = passed > 0
        out[inside] = size * passed[inside] * (2j * np.pi * f[inside]) ** order
        return out

    return design(fs, response, max(_TAPS / cut, 2000 / fs))
