"""Keep one sample of several, behind a filter that lets nothing be folded down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import ClassVar

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.fir import Shaped, design, smooth
from tonecomb.core.steps.step import Step, unfit

_TAPS = 32  # periods of the transition that the filter lasts
_SETTLES = 24  # samples at the new rate, within a thousandth of what is folded down otherwise
_EDGE = 0.8  # of the new Nyquist frequency: up to here everything stays as it is


@dataclass(frozen=True)
class Decimate(Step):
    """Of every ``factor`` samples one stays."""

    key: ClassVar[str] = "decimate"
    title: ClassVar[str] = "Decimate"
    tip: ClassVar[str] = "Keep one sample of several, for slow things and long records"

    factor: int = setting("factor", "whole", 2, help="one sample of so many stays")

    def words(self, names: Sequence[str]) -> str:
        return f"decimated by {self.factor}"

    def apply(self, signal: Signal) -> Signal:
        if not 1 <= self.factor < max(2, signal.length / (2 * _SETTLES)):
            raise unfit(
                f"One sample of {self.factor} leaves nothing to analyse",
                f"decimate {signal.name} by less",
            )
        if self.factor == 1:
            return signal
        fs = signal.rate / self.factor
        breaks = (replace(one, sample=one.sample // self.factor) for one in signal.breaks)
        return replace(
            signal,
            samples=decimated(signal.samples, signal.length, signal.rate, self.factor),
            length=-(-signal.length // self.factor),
            rate=fs,
            rate_found=f"{signal.rate_found}; decimated by {self.factor} to {fs:g} Hz",
            breaks=tuple(breaks),
            lost=tuple((a // self.factor, -(-b // self.factor)) for a, b in signal.lost),
            edge_samples=tuple(
                (-(-a // self.factor) + _SETTLES, -(-b // self.factor) + _SETTLES)
                for a, b in signal.edge_samples
            ),
        )


def decimated(samples: Samples, length: int, fs: float, factor: int) -> Samples:
    """One sample of ``factor``, of a record of ``length`` samples at ``fs`` Hz."""
    return Shaped(samples, length, partial(_low_pass, fs, fs / factor), factor, level=0)


def low_passed(samples: Samples, length: int, fs: float, rate: float) -> Samples:
    """A record of ``length`` samples at ``fs`` Hz, of which nothing is folded down when it is taken
    anew at ``rate`` Hz."""
    return Shaped(samples, length, partial(_low_pass, fs, rate), level=0)


def settling(rate: float) -> float:
    """How long either takes to settle at each end, s: mirrored there, what it stops is not gone at
    once."""
    return _SETTLES / rate


def passed(frequency: Array, rate: float) -> Array:
    """What the filter before a lower ``rate`` (Hz) leaves of frequencies (Hz): everything up to 0.8
    of its Nyquist frequency, nothing from that on."""
    nyquist = rate / 2
    return smooth((nyquist - frequency) / ((1 - _EDGE) * nyquist))


def _low_pass(fs: float, rate: float) -> Array:
    return design(fs, lambda f: passed(f, rate), _TAPS / ((1 - _EDGE) * rate / 2))
