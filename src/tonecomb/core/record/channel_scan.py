"""A whole channel in one pass: its pyramid and its plain figures."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.parallel import Read, StretchRead, Tell, spread
from tonecomb.core.record.pyramid import Cells, Pyramid, cells_of, joined
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.statistics import ChannelFigures, SampleMoments


def whole_look(
    signal: Signal, channel: int, progress: Progress = silent
) -> tuple[Pyramid, ChannelFigures]:
    """Read a channel once."""
    read, length = StretchRead(signal, channel), signal.length
    first = float(read(0, 1)[0]) if length else 0.0
    work = _Whole(length, first if math.isfinite(first) else 0.0)
    cells, moments = spread(read, work, length, 1, progress)
    return cells.pyramid(length), moments.figures()


@dataclass(frozen=True)
class _Whole:
    length: int
    shift: float

    def __call__(
        self, read: Read, first: int, last: int, tell: Tell
    ) -> tuple[Cells, SampleMoments]:
        samples, moments = read(first, last), SampleMoments(self.shift)
        moments.take(samples)
        tell(last - first)
        return cells_of(samples, first, self.length), moments

    def join(self, parts: Iterable[tuple[Cells, SampleMoments]]) -> tuple[Cells, SampleMoments]:
        cells, total = [], SampleMoments(self.shift)
        for one, moments in parts:
            cells.append(one)
            total.add(moments)
        return joined(cells), total
