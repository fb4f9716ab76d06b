"""The envelope of a band: how strongly it rings from moment to moment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.fir import Shaped, design, smooth
from tonecomb.core.steps.step import Step, rounded, unfit

_TAPS = 12  # periods of the edges' width that the filter lasts
_FADE = 0.2  # of the band's width, over which it fades in outside of its limits


@dataclass(frozen=True)
class Envelope(Step):
    """Size of the analytic signal of the band from ``low`` to ``high`` (Hz), on every channel: of a
    steady tone in it, its peak amplitude."""

    key: ClassVar[str] = "envelope"
    title: ClassVar[str] = "Envelope"
    tip: ClassVar[str] = "How strongly a band rings from moment to moment, such as a bearing's hits"

    low: float = setting("low", "number", unit="Hz", help="the band's lower limit")
    high: float = setting("high", "number", unit="Hz", help="its upper limit")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"low": rounded(signal.rate / 8), "high": rounded(signal.rate / 4)}

    def words(self, names: Sequence[str]) -> str:
        return f"envelope of {self.low:g}–{self.high:g} Hz"

    def fade(self, fs: float) -> float:
        """Over how many Hz it fades in and out, beside the band."""
        return min(_FADE * (self.high - self.low), self.low, fs / 2 - self.high)

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        if not 0 < self.low < self.high < fs / 2:
            raise unfit(
                f"There is no envelope of {self.low:g} to {self.high:g} Hz",
                f"choose a band above 0 and below {fs / 2:g} Hz, the lower limit first",
            )
        seconds = _TAPS / self.fade(fs)
        edge_samples = round(seconds * fs / 2)
        if 3 * edge_samples > signal.length:
            raise unfit(
                "The band is too narrow, or too near 0 Hz or the Nyquist frequency, for this "
                f"record of {signal.duration:.3g} s",
                "choose a wider one",
            )
        parts = (
            Shaped(signal.samples, signal.length, partial(_band, fs, self, turn))
            for turn in (1.0, -1j)
        )
        return replace(
            signal,
            samples=Size(*parts),
            edge_samples=signal.more_edge_samples(edge_samples, edge_samples),
        )


def _band(fs: float, of: Envelope, turn: complex) -> Array:
    """Taps of the band, or with ``turn`` −i of its Hilbert transform."""
    fade = of.fade(fs)

    def response(f: Array) -> np.ndarray:
        inside = smooth((f - of.low + fade) / fade) * smooth((of.high + fade - f) / fade)
        return np.asarray(turn * inside)

    return design(fs, response, _TAPS / fade)


class Size(Samples):
    """Root of the sum of the squares of two."""

    costly = True

    def __init__(self, first: Samples, second: Samples) -> None:
        self._first, self._second = first, second

    @property
    def grain(self) -> int:
        return self._first.grain

    def read(self, channel: int, start: int, stop: int) -> Array:
        parts = (one.read(channel, start, stop) for one in (self._first, self._second))
        return np.hypot(*parts)
