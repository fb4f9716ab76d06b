"""Keep a part of the record: the rest is as if it had not been recorded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.resampling import ResampledPart
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.step import Step


@dataclass(frozen=True)
class Keep(Step):
    """What stays goes from ``start`` to ``end``, in s; times are counted anew from its start."""

    key: ClassVar[str] = "keep"
    title: ClassVar[str] = "Keep a part"
    tip: ClassVar[str] = "Drop what is before and after a part of the record"

    start: float = setting("start", "number", unit="s", help="where the kept part begins")
    end: float = setting("end", "number", unit="s", help="where it ends")

    @property
    def stretch(self) -> Stretch:
        return Stretch(self.start, self.end)

    def words(self, names: Sequence[str]) -> str:
        return f"kept {self.start:.6g}–{self.end:.6g} s"

    def apply(self, signal: Signal) -> Signal:
        first, stop = self.stretch.indices(signal)
        breaks = (replace(one, sample=one.sample - first) for one in signal.breaks)
        lost = tuple((a - first, b - first) for a, b in signal.lost if b > first and a < stop)
        return replace(
            signal,
            samples=ResampledPart(signal.samples, first),
            length=stop - first,
            lost=lost,
            start="",
            breaks=tuple(one for one in breaks if 0 <= one.sample < stop - first),
            edge_samples=tuple(
                (max(before - first, 0), max(after - (signal.length - stop), 0))
                for before, after in signal.edge_samples
            ),
        )
