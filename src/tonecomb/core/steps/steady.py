"""Samples in machine time: as if the shaft had kept its speed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from itertools import pairwise
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.step import Step, unfit
from tonecomb.core.steps.warp import MOST_KNOTS, Warp

ENDS_S = 0.5  # at both ends, where a law that was found is continued and not measured
_FASTEST = 0.5  # share by which a speed may be off its mean


@dataclass(frozen=True)
class Steady(Step):
    """Samples at even steps of a shaft's angle, as many as there were: what turns with it stands
    still at its frequency at the mean speed. ``law`` has times (s) and the delay of machine time
    then (s), see :class:`~tonecomb.core.steps.warp.Warp`; ``by`` says what told the speed."""

    key: ClassVar[str] = "steady"
    title: ClassVar[str] = "Steady the speed"
    tip: ClassVar[str] = "Resample to machine time, in which what turns with the shaft stands still"

    law: tuple[tuple[float, float], ...] = setting(
        "law", "pairs", help="TIME/DELAY/TIME/DELAY…, in s; delays 0 at both ends"
    )
    by: str = setting("by", "text", "the signal", help="what told the speed")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"law": ((0.0, 0.0), (signal.duration, 0.0))}

    @cached_property
    def warp(self) -> Warp:
        """The law."""
        return Warp(self.law)

    def words(self, names: Sequence[str]) -> str:
        return f"steadied by {self.by} (± {100 * self.warp.wander:.2g} %)"

    def apply(self, signal: Signal) -> Signal:
        times = [time for time, _ in self.law]
        rises = len(times) >= 2 and all(a < b for a, b in pairwise(times))
        if not rises or len(times) > MOST_KNOTS or self.law[0][1] or self.law[-1][1]:
            raise unfit(
                "That is no law of time",
                f"give two to {MOST_KNOTS} times that rise, with delays of 0 at both ends",
            )
        if abs(times[-1] - signal.duration) > 2 / signal.rate or times[0]:
            raise unfit(
                f"The speed is known from {times[0]:.6g} to {times[-1]:.6g} s, and the record "
                f"lasts {signal.duration:.6g} s",
                "take the step off, and steady the record as it is now",
            )
        if max(map(abs, self.warp.range)) > _FASTEST:
            raise unfit(
                "The speed changes by more than half of its mean",
                "look at it as a run-up, by its shaft's angle",
            )
        fs, warp = signal.rate, self.warp

        def moved(sample: int) -> int:
            return round(float(warp.to_machine(np.array([sample / fs]))[0]) * fs)

        ends = math.ceil(ENDS_S * fs) if warp.wander else 0
        return replace(
            signal,
            samples=Steadied(signal.samples, signal.length, fs, warp),
            breaks=tuple(replace(b, sample=moved(b.sample)) for b in signal.breaks),
            lost=tuple((moved(a), moved(b)) for a, b in signal.lost),
            edge_samples=signal.more_edge_samples(ends, ends),
        )


class Steadied(Samples):
    """``source`` in machine time."""

    costly = True

    def __init__(self, source: Samples, length: int, fs: float, warp: Warp) -> None:
        self._source, self._length, self._fs, self._warp = source, length, fs, warp
        self.together = source.together

    def read(self, channel: int, start: int, stop: int) -> Array:
        read = partial(self._source.read, channel)
        return self._warp.samples(read, self._length, self._fs, sinc.EXACT)(start, stop)
