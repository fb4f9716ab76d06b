"""What a slower or coarser logger would have shown of a recording."""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.setting import setting
from tonecomb.core.record import seeded_noise as chance
from tonecomb.core.record import sinc
from tonecomb.core.record.quantised import MOST_BITS, quantised
from tonecomb.core.record.recording import Array, Problem, Samples
from tonecomb.core.record.resampling import Filled
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.decimate import low_passed, passed, settling
from tonecomb.core.steps.step import Step, rounded, unfit

_CHUNK = 1 << 13  # samples made at once
_MOST_FASTER = 1000.0  # times the rate that there is
_SEED = 15  # of what strays
_USUAL = 0.25  # of the rate, that is asked for first


@dataclass(frozen=True)
class AsSampled(Step):
    """Taken anew at ``rate`` Hz, behind a filter that lets nothing be folded down or, with
    ``no_filter``, as it is; then as ``bits`` and ``full_scale`` show it. ``missing`` % of the
    samples were not written, and are bridged by straight lines; the clock strays by ``jitter``.

    Bits without a full scale have the least of 1, 2, 5 times a power of ten that holds the record.
    """

    key: ClassVar[str] = "as-sampled"
    title: ClassVar[str] = "As sampled at"
    tip: ClassVar[str] = "What a slower or coarser logger would have shown"

    rate: float = setting("rate", "number", unit="Hz", help="samples a second")
    bits: int = setting("bits", "whole", 0, least=0, help="of the converter; 0 for all figures")
    full_scale: float = setting(
        "full-scale",
        "number",
        0.0,
        help="what is beyond is clipped; 0 for nothing, with bits as much as the record needs",
    )
    no_filter: bool = setting(
        "no-filter", "flag", False, help="nothing before the converter: what is above is folded"
    )
    missing: float = setting("missing", "number", 0.0, unit="%", help="samples not written")
    jitter: float = setting("jitter", "number", 0.0, unit="µs", help="rms, of the clock")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"rate": rounded(_USUAL * signal.rate)}

    def words(self, names: Sequence[str]) -> str:
        text = f"as sampled at {self.rate:.9g} Hz"
        if self.no_filter:
            text += " without a filter"
        text += f", {self.bits} bits" if self.bits else ""
        if self.full_scale:
            text += f" of ± {self.full_scale:.6g}" if self.bits else f", ± {self.full_scale:.6g}"
        text += f", {self.missing:.3g} % missing" if self.missing else ""
        return text + (f", clock ± {self.jitter:.4g} µs" if self.jitter else "")

    def response(self, frequency: Array, fs: float) -> NDArray[np.complex128] | None:
        if self.no_filter or not 0 < self.rate < fs:
            return None
        return passed(frequency, self.rate).astype(np.complex128)

    def note(self, fs: float) -> str:
        nyquist = self.rate / 2
        if not 0 < self.rate < fs:
            return f"nothing is lost at {self.rate:g} Hz"
        if self.no_filter:
            return f"what lies above {nyquist:g} Hz is folded down"
        return f"everything up to {0.8 * nyquist:.6g} Hz stays, nothing from {nyquist:g} Hz on"

    def _check(self, signal: Signal) -> None:
        if not 0 < self.rate <= _MOST_FASTER * signal.rate:
            raise unfit(
                f"A rate of {self.rate:g} Hz cannot be sampled at",
                f"give one above 0 Hz, up to {_MOST_FASTER:g} times the recording's",
            )
        if self._length(signal) < 2:
            raise unfit(
                f"{signal.duration:.4g} s sampled at {self.rate:g} Hz leave nothing to analyse",
                "choose a higher rate",
            )
        if not 0 <= self.bits <= MOST_BITS or self.full_scale < 0:
            raise unfit(
                f"A converter of {self.bits} bits and ± {self.full_scale:g} cannot be",
                f"give 1 to {MOST_BITS} bits, or 0 for all figures, and a full scale from 0 on",
            )
        if not 0 <= self.missing <= 50 or not 0 <= self.jitter * 1e-6 * self.rate <= 0.5:
            raise unfit(
                f"{self.missing:g} % missing and a clock of ± {self.jitter:g} µs cannot be",
                "give 0 to 50 %, and at most half the time between two samples",
            )

    def _length(self, signal: Signal) -> int:
        return math.floor((signal.length - 1) * self.rate / signal.rate + 1e-9) + 1

    def apply(self, signal: Signal) -> Signal:
        self._check(signal)
        fs, ratio = signal.rate, self.rate / signal.rate
        source, settles = signal.samples, 0
        if self.rate < fs and not self.no_filter:
            source = low_passed(source, signal.length, fs, self.rate)
            settles = math.ceil(settling(self.rate) * self.rate)
        length = self._length(signal)
        taken: Samples = _Taken(source, signal.length, fs, self)
        problems = signal.problems
        if self.missing:
            taken = Filled(taken, length)
            text = f"{self.missing:.3g} % of the samples are missing and were bridged."
            problems = (*problems, Problem("nan", text))
        return replace(
            signal,
            samples=taken,
            length=length,
            rate=self.rate,
            rate_found=f"{signal.rate_found}; {self.words(())}",
            breaks=tuple(replace(b, sample=int(b.sample * ratio)) for b in signal.breaks),
            lost=tuple((int(a * ratio), math.ceil(b * ratio)) for a, b in signal.lost),
            edge_samples=tuple(
                (math.ceil(a * ratio) + settles, math.ceil(b * ratio) + settles)
                for a, b in signal.edge_samples
            ),
            problems=problems,
        )


class _Taken(Samples):
    """``source`` at other instants, by band-limited interpolation, as a converter shows it."""

    costly = True

    def __init__(self, source: Samples, length: int, fs: float, how: AsSampled) -> None:
        self._source, self._length, self._fs, self._how = source, length, fs, how
        self.together = source.together
        self._scales: dict[int, float] = {}
        self._lock = threading.Lock()

    def _full_scale(self, channel: int) -> float:
        """What the converter reaches to."""
        if self._how.full_scale or not self._how.bits:
            return self._how.full_scale
        with self._lock:
            if channel not in self._scales:
                high, grain = 0.0, max(self._source.grain, 1)
                for first in range(0, self._length, grain):
                    block = self._source.read(channel, first, min(first + grain, self._length))
                    high = max(high, float(np.nanmax(np.abs(block), initial=0.0)))
                self._scales[channel] = _holding(high)
            return self._scales[channel]

    def read(self, channel: int, start: int, stop: int) -> Array:
        how, parts = self._how, [np.empty(0)]
        for first in range(start, stop, _CHUNK):
            last = min(stop, first + _CHUNK)
            places = np.arange(first, last) * (self._fs / how.rate)
            if how.jitter:
                strays = chance.normal((_SEED, 1), first, last)
                places = places + how.jitter * 1e-6 * self._fs * strays
            parts.append(
                sinc.interpolated(
                    partial(self._source.read, channel),
                    self._length,
                    np.clip(places, 0, self._length - 1),
                )
            )
        x = quantised(np.concatenate(parts), how.bits, self._full_scale(channel))
        if how.missing:
            # Where the chance of a uniform number is as small as the share.
            drawn = chance.normal((_SEED, 2), start, stop)
            x = np.where(drawn < _quantile(how.missing / 100), np.nan, x)
        return x


def _holding(high: float) -> float:
    """The least of 1, 2, 5 times a power of ten that is above a value."""
    if not 0 < high < math.inf:
        return 1.0
    power = 10.0 ** math.floor(math.log10(high))
    return next(m * power for m in (1, 2, 5, 10) if m * power > high)


def _quantile(share: float) -> float:
    from scipy.special import ndtri

    return float(ndtri(share))
