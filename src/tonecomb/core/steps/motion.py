"""Integrals and derivatives over time: velocity and displacement of an acceleration, and back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.base.units import MOTIONS, PLAIN, SYSTEMS, conversion, unit
from tonecomb.core.record.recording import Array, Channel
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.adding import with_channel
from tonecomb.core.steps.combine import Pointwise
from tonecomb.core.steps.fir import Shaped, compact, smooth
from tonecomb.core.steps.step import Step, check_channels, rounded, unfit

_TAPS = 14  # periods of the low cut that a filter lasts
_FADE = 0.44  # of the low cut, over which it fades in, from half of it on
_TOP = 0.95  # of the Nyquist frequency: they fade out from here
_SHORTEST = 256  # samples that it takes at least to fade out there
_LONGEST = 1 / 3  # of a record that settling may take, of what is put into a chain first


@dataclass(frozen=True)
class Motion(Step):
    """The first of ``channels`` as one more channel, or, where none is named, every channel in
    its place. Nothing is left up to half of ``low_cut`` (Hz), everything from it on.

    What lies beyond the record's ends is not known, and an integral remembers it for as long as
    half of its filter lasts: so much of each end does not count.
    """

    order: ClassVar[int]

    channels: tuple[int, ...] = setting(
        "channels", "channels", (), help="what it is of; every channel in its place for none"
    )
    low_cut: float = setting("low-cut", "number", 1.0, unit="Hz", help="what is slower goes")
    name: str = setting("name", "text", "", help="what the new channel is called")
    units: str = setting(
        "units",
        "choice",
        "metric",
        choices=tuple(SYSTEMS),
        help="of the result: m/s², mm/s, µm or g, in/s, mil",
    )

    @property
    def adds(self) -> bool:
        return bool(self.channels)

    def words(self, names: Sequence[str]) -> str:
        if self.name:
            return self.name
        of = [names[i] for i in self.channels[:1] if i < len(names)]
        what = self.title.lower()
        if self.channels:
            return f"{what} of {of[0]}, from {self.low_cut:g} Hz" if of else what
        ends = _TAPS / 2 / self.low_cut
        return f"{what} from {self.low_cut:g} Hz, {ends:.3g} s left out at each end"

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"low_cut": max(1.0, rounded(_TAPS / (_LONGEST * signal.duration)))}

    def note(self, fs: float) -> str:
        """How long it takes to settle, and up to where it holds."""
        seconds = self._settles(fs) / fs
        top = f"; fades out above {_TOP * fs / 2:.4g} Hz" if self.order % 2 else ""
        return f"settles in {seconds:.3g} s at each end{top}"

    def _lasts(self, fs: float) -> float:
        """How long the filter is, s."""
        return max(_TAPS / self.low_cut, _SHORTEST / fs)

    def _settles(self, fs: float) -> int:
        """Samples at each end that hang on what lies beyond."""
        return round(self._lasts(fs) * fs / 2)

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        if not 0 < self.low_cut < fs / 4:
            raise unfit(
                f"A low cut of {self.low_cut:g} Hz cannot be used",
                f"choose one above 0 and below {fs / 4:g} Hz",
            )
        settles = self._settles(fs)
        if self.channels:
            check_channels(self.channels, signal.channels, 1, self.title.lower())
            first = signal.channels[self.channels[0]]
            symbol, size = self.unit_of(first)
            picked = Pointwise(signal.samples, self.channels[:1], (1.0,), False)
            made = Shaped(picked, signal.length, self._response(fs, size), level=0)
            name = self.words([channel.name for channel in signal.channels])
            return with_channel(signal, Channel(name, symbol), made, self.channels[:1], settles)
        if 2 * settles >= signal.length:
            lowest = _TAPS / (_LONGEST * signal.duration)
            raise unfit(
                f"A low cut of {self.low_cut:g} Hz is too low for this record",
                f"choose one of {lowest:.2g} Hz or more, or a longer record",
                f"the {self.title.lower()} takes {settles / fs:.3g} s to settle at each end, and "
                f"there are {signal.duration:.3g} s",
            )
        told = [self.unit_of(channel) for channel in signal.channels]
        sizes = tuple(size for _, size in told)
        shaped = Shaped(
            signal.samples, signal.length, self._response(fs, 1.0), sizes=sizes, level=0
        )
        units = zip(signal.channels, told, strict=True)
        channels = tuple(replace(channel, unit=symbol) for channel, (symbol, _) in units)
        edge_samples = signal.more_edge_samples(settles, settles)
        return replace(signal, channels=channels, samples=shaped, edge_samples=edge_samples)

    def unit_of(self, channel: Channel) -> tuple[str, float]:
        """The unit of the result, and what its samples are multiplied by to be in it. Reading an
        unusual unit takes a second."""
        symbol = channel.unit
        if symbol in PLAIN:
            return symbol, 1.0
        known = unit(symbol)
        if known.quantity in MOTIONS:
            motions = list(MOTIONS.values())
            at = list(MOTIONS).index(known.quantity) + self.order
            if 0 <= at < len(motions):
                name, target = list(MOTIONS)[at], motions[at]
                text = SYSTEMS["inch" if self.units == "inch" else "metric"][name]
                base = conversion(symbol, MOTIONS[known.quantity].base)
                return text, base * conversion(target.base, text)
        times = {1: "/s", -1: "*s", -2: "*s**2"}[self.order]
        return unit(f"{symbol}{times}").symbol, 1.0

    def _response(self, fs: float, size: float) -> partial[Array]:
        return partial(_power_of_frequency, fs, self.order, self.low_cut, size, self._lasts(fs))


@dataclass(frozen=True)
class Integral(Motion):
    key: ClassVar[str] = "integral"
    title: ClassVar[str] = "Integral"
    tip: ClassVar[str] = "Integrated over time: the velocity of an acceleration"
    order: ClassVar[int] = -1


@dataclass(frozen=True)
class DoubleIntegral(Motion):
    key: ClassVar[str] = "double-integral"
    title: ClassVar[str] = "Double integral"
    tip: ClassVar[str] = "Integrated twice: the displacement of an acceleration"
    order: ClassVar[int] = -2


@dataclass(frozen=True)
class Derivative(Motion):
    key: ClassVar[str] = "derivative"
    title: ClassVar[str] = "Derivative"
    tip: ClassVar[str] = "Differentiated: the acceleration of a velocity"
    order: ClassVar[int] = 1


def _power_of_frequency(fs: float, order: int, cut: float, size: float, seconds: float) -> Array:
    """(j2πf) to the power ``order``, from ``cut`` on; below half of it nothing. Towards the
    Nyquist frequency it fades out from 0.95 on, as an odd response has to."""

    def response(f: Array) -> np.ndarray:
        passed = smooth((f / cut - 0.5) / _FADE)
        if order % 2:
            passed = passed * smooth((fs / 2 - f) / ((1 - _TOP) * fs / 2))
        out = np.zeros(len(f), dtype=np.complex128)
        inside = passed > 0
        out[inside] = size * passed[inside] * (2j * np.pi * f[inside]) ** order
        return out

    return compact(fs, response, seconds)
