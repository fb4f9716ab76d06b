"""How many frames become one spectrum: each way is a small type with what belongs to it alone.

The median is corrected for its bias: of n independent values that are exponentially distributed
it is Σ (−1)ˡ⁺¹/l, l = 1 … n (n odd), of their mean (Allen et al., Phys. Rev. D 85 (2012) 122006,
appendix B).
"""

from __future__ import annotations

from abc import ABC
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import check_samples
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.estimate.framing import Framing, make_framing
from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.spectrum import READ_SAMPLES, detrended, frames_of, read_frames
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Channel

_HELD_BYTES = 192 << 20  # of squared magnitudes that are held at once for the median
_GROUP = 1 << 20  # samples of frames that are transformed at once
_NEWEST = 1 / 8  # weight of the newest frame in the exponential average
MEDIAN_WORTH = float(np.log(2) ** 2)  # of an average: its variance is 1/(ln 2)² times as large


def median_bias(count: int) -> float:
    """What the median of ``count`` exponential values is of their mean."""
    odd = max(1, count - (count + 1) % 2)
    signs = np.where(np.arange(odd) % 2 == 0, 1.0, -1.0)
    return float(np.sum(signs / np.arange(1, odd + 1)))


@dataclass(frozen=True, eq=False)
class FrameSquares:
    """|X|² of every frame of a stretch, a few at a time; ``nfft`` is the transform's length."""

    read: Read
    framing: Framing
    fs: float
    weights: Array
    nfft: int
    detrend: Detrend

    def groups(self) -> Iterator[tuple[int, Array]]:
        """How many frames came before and the squares, shape (frames, bins), group by group."""
        rows, passed = max(1, _GROUP // self.nfft), 0
        for numbers in self.framing.blocks(READ_SAMPLES):
            samples = read_frames(self.read, self.framing, numbers, self.fs)
            frames = frames_of(samples, self.framing)
            for first in range(0, len(numbers), rows):
                yield passed + first, self._squares(frames[first : first + rows])
            passed += len(numbers)

    def _squares(self, frames: Array) -> Array:
        check_samples(frames)
        values = rfft(detrended(frames, self.detrend, self.weights) * self.weights, self.nfft)
        return np.asarray(values.real**2 + values.imag**2)


@dataclass(frozen=True)
class Average(ABC):
    """``key`` names the way in files and on the command line, ``title`` and ``note`` in menus.

    ``cut`` where frames are cut from the stretch one after the other, so that some of them may be
    left out, and ``spaced`` where the overlap says how they follow; ``typical`` where the result
    is what the frames are on average, so that tones can be fitted to them and the 95 % band
    holds; ``summed`` where it is the plain mean of squares.
    """

    key: ClassVar[str]
    title: ClassVar[str]
    note: ClassVar[str]
    told: ClassVar[str] = "{} averaged"
    cut: ClassVar[bool] = True
    spaced: ClassVar[bool] = True
    typical: ClassVar[bool] = True
    summed: ClassVar[bool] = False

    def check(self, channels: tuple[Channel, ...]) -> None:  # noqa: B027 - most can always be
        """Raise :class:`UserError` where this cannot be."""

    def words(self, frames: int, middle: str, channels: tuple[Channel, ...]) -> str:
        """For the sentence, of so many frames; ``middle`` is when the first has its middle."""
        return "1 frame" if frames == 1 else self.told.format(f"{frames} frames")

    def frames(
        self, start: int, stop: int, frame: int, overlap: float, fs: float
    ) -> tuple[int, int, Framing]:
        """The samples ``start`` to ``stop`` that are read of a stretch, and their frames."""
        return start, stop, make_framing(stop - start, frame, overlap, fs)

    def worth(self, averages: float) -> float:
        """How many independent frames would average as well, when ``averages`` are averaged."""
        return 1.0

    def combine(self, frames: FrameSquares, averages: float, progress: Progress) -> Array:
        """|X|² of all frames made one, shape (bins,). ``averages`` is their effective number."""
        total: Array | None = None
        for number, squares in frames.groups():
            total = self.taken(total, squares)
            progress((number + len(squares)) / frames.framing.count)
        if total is None:
            raise UserError("No frame fits", remedy="choose a shorter frame")
        return total

    def taken(self, total: Array | None, squares: Array) -> Array:
        """What becomes of the frames so far with some more, shape (frames, bins)."""
        raise NotImplementedError


@dataclass(frozen=True)
class Mean(Average):
    """Of the frames' power (Welch 1967)."""

    key: ClassVar[str] = "mean"
    title: ClassVar[str] = "Mean"
    note: ClassVar[str] = "Of the frames' power; tones and noise as they are on average"
    summed: ClassVar[bool] = True

    def worth(self, averages: float) -> float:
        return averages


@dataclass(frozen=True)
class Median(Average):
    """Corrected for its bias. It holds the frames' squares for some of the bins at a time and
    passes over the stretch as often as that takes."""

    key: ClassVar[str] = "median"
    title: ClassVar[str] = "Median"
    note: ClassVar[str] = (
        "For the floor under impacts and drop-outs; tones come out 1.5 dB high, "
        "levels are those of the mean"
    )
    told: ClassVar[str] = "median of {}"

    def worth(self, averages: float) -> float:
        return max(1.0, averages * MEDIAN_WORTH)

    def combine(self, frames: FrameSquares, averages: float, progress: Progress) -> Array:
        bins, count = frames.nfft // 2 + 1, frames.framing.count
        at_once = max(1, min(bins, _HELD_BYTES // (8 * count)))
        out = np.empty(bins)
        starts = range(0, bins, at_once)
        for turn, first in enumerate(starts):
            last = min(bins, first + at_once)
            held = np.empty((count, last - first))
            share = part(progress, turn / len(starts), (turn + 1) / len(starts))
            for number, squares in frames.groups():
                held[number : number + len(squares)] = squares[:, first:last]
                share((number + len(squares)) / count)
            out[first:last] = np.median(held, axis=0)
        return out / median_bias(max(1, round(averages)))


@dataclass(frozen=True)
class Exponential(Average):
    """The newest frame counts for an eighth, the one before for an eighth of the rest, …"""

    key: ClassVar[str] = "exponential"
    title: ClassVar[str] = "Exponential"
    note: ClassVar[str] = "The newest frames count most: an eighth each"
    told: ClassVar[str] = "{} averaged exponentially"

    def worth(self, averages: float) -> float:
        return min(averages, (2 - _NEWEST) / _NEWEST)

    def taken(self, total: Array | None, squares: Array) -> Array:
        for frame in squares:
            total = frame.copy() if total is None else total + _NEWEST * (frame - total)
        assert total is not None
        return total


@dataclass(frozen=True)
class Highest(Average):
    """The highest that each bin ever reached."""

    key: ClassVar[str] = "max"
    title: ClassVar[str] = "Maximum"
    note: ClassVar[str] = "The highest that each bin ever reached; no peaks are fitted"
    told: ClassVar[str] = "maximum of {}"
    typical: ClassVar[bool] = False

    def taken(self, total: Array | None, squares: Array) -> Array:
        return np.asarray(np.max(squares if total is None else [total, *squares], axis=0))


@dataclass(frozen=True)
class Lowest(Average):
    """The lowest that each bin ever fell to."""

    key: ClassVar[str] = "min"
    title: ClassVar[str] = "Minimum"
    note: ClassVar[str] = "The lowest that each bin ever fell to; no peaks are fitted"
    told: ClassVar[str] = "minimum of {}"
    typical: ClassVar[bool] = False

    def taken(self, total: Array | None, squares: Array) -> Array:
        return np.asarray(np.min(squares if total is None else [total, *squares], axis=0))


@dataclass(frozen=True)
class Single(Average):
    """One frame about ``at`` (s); the one in the stretch's middle for None."""

    key: ClassVar[str] = "single"
    title: ClassVar[str] = "Single frame"
    note: ClassVar[str] = "One frame only, about a time; it has a phase"
    cut: ClassVar[bool] = False
    summed: ClassVar[bool] = True

    at: float | None = None

    def words(self, frames: int, middle: str, channels: tuple[Channel, ...]) -> str:
        return f"single frame at {middle} s"

    def frames(
        self, start: int, stop: int, frame: int, overlap: float, fs: float
    ) -> tuple[int, int, Framing]:
        make_framing(stop - start, frame, overlap, fs)  # raises where it does not fit
        middle = (start + stop) / 2 if self.at is None else self.at * fs
        start = min(max(round(middle - frame / 2), start), stop - frame)
        return start, start + frame, make_framing(frame, frame, 0.0, fs)


@dataclass(frozen=True)
class InStep(Average):
    """The mean of frames that begin where ``sync`` says, as samples, before any transform."""

    key: ClassVar[str] = "synchronous"
    title: ClassVar[str] = "In step (synchronous)"
    note: ClassVar[str] = "What keeps step with a trigger or period stays"
    cut: ClassVar[bool] = False
    spaced: ClassVar[bool] = False

    sync: Sync = field(default_factory=Sync)

    def check(self, channels: tuple[Channel, ...]) -> None:
        self.sync.check(channels)

    def words(self, frames: int, middle: str, channels: tuple[Channel, ...]) -> str:
        return f"frames averaged {self.sync.words(channels)}"

    def frames(
        self, start: int, stop: int, frame: int, overlap: float, fs: float
    ) -> tuple[int, int, Framing]:
        make_framing(stop - start, frame, overlap, fs)
        return start, stop, make_framing(frame, frame, 0.0, fs)


AVERAGES: dict[str, type[Average]] = {
    kind.key: kind for kind in (Mean, Median, Exponential, Highest, Lowest, Single, InStep)
}
"""By key, in the order of menus."""
