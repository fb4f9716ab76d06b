"""Spectrograms for the screen: every frame counts, pooled into as many cells as can be seen.

Frames are tapered and transformed in float32 while they lie in the cache (their offset is taken
off in float64 first), squared, and pooled over time, then over bins, straight into the cells: the
highest or the mean of what falls into each. No array of all frames × bins is ever made.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.errors import UserError
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import (
    CACHE_SAMPLES,
    READ_SAMPLES,
    Detrend,
    Level,
    Scaling,
    frame_means,
    frames_of,
    read_frames,
    scaled,
)
from tonecomb.core.estimate.transform import on_lines, rfft
from tonecomb.core.estimate.windows import Window
from tonecomb.core.method import Method, frame_plan
from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.spread import Read
from tonecomb.core.steps.prepare import prepare

Pooling = Literal["max", "mean"]
Cells = NDArray[np.float32]
_THREADS_FROM = 1 << 19  # samples from which a second thread pays
_FEWEST = 16  # samples of a frame in a stretch that is shorter than the method's


@dataclass(frozen=True)
class View:
    """What is to be seen: times in s of the recording and frequencies in Hz (None for all), into
    at most so many rows of time and columns of frequency, these even or, where ``log`` is set, in
    even ratios."""

    rows: int
    columns: int
    start: float | None = None
    end: float | None = None
    low: float | None = None
    high: float | None = None
    log: bool = False
    pooling: Pooling = "max"


@dataclass(frozen=True, eq=False)
class Spectrogram:
    """``mean_square`` (unit²) has shape (rows, columns). ``time`` are the edges of the rows in s
    of the recording, shape (rows + 1,): a frame counts from half a hop before its middle to half
    a hop after. ``frequency`` are the edges of the columns in Hz, shape (columns + 1,), a bin
    reaching halfway to its neighbours. ``frame`` and ``hop`` are in samples,
    ``enbw_hz`` and ``gain_s`` as in :class:`tonecomb.core.estimate.spectrum.Spectrum`."""

    time: Array
    frequency: Array
    mean_square: Cells
    view: View
    frame: int
    hop: int
    frames: int
    fs: float
    enbw_hz: float
    gain_s: float

    @property
    def centres(self) -> Array:
        """Frequency of the middle of each column, Hz."""
        return np.asarray((self.frequency[:-1] + self.frequency[1:]) / 2)

    def values(self, scaling: Scaling, level: Level, display: Display, symbol: str) -> Array:
        """The cells in a scaling, as the quantity that is shown of a channel in the unit
        ``symbol``; shape (rows, columns), float32."""
        gain = display.gain(self.centres, symbol).astype(np.float32) ** 2
        cells: Array = self.mean_square * gain  # type: ignore[assignment]  # as short as it came
        return scaled(cells, scaling, level, self.enbw_hz, self.gain_s)

    def cell(self, time: float, frequency: float) -> tuple[int, int] | None:
        """Row and column that a place lies in, None outside."""
        row = int(np.searchsorted(self.time, time, side="right")) - 1
        column = int(np.searchsorted(self.frequency, frequency, side="right")) - 1
        inside = 0 <= row < len(self.time) - 1 and 0 <= column < len(self.frequency) - 1
        return (row, column) if inside else None


def run_spectrogram(
    method: Method, recording: Recording, view: View, progress: Progress = silent
) -> Spectrogram:
    """The spectrogram of a method's stretch, whatever its way of averaging.

    Where the stretch gives fewer frames than rows, they follow each other more closely than the
    method's overlap says; where it is shorter than a frame, the frame is shortened. Raises
    :class:`UserError` as :func:`tonecomb.core.method.plan` does.
    """
    signal = prepare(recording, method.source.steps)
    start, stop = method.source.span(signal)
    frame = method.frames.frame
    if frame > stop - start >= _FEWEST:
        frame = 1 << (int(stop - start).bit_length() - 1)
    p = frame_plan(method, recording, frame)
    return spectrogram(
        p.read, closer(p.framing, view.rows), p.fs, p.taper, view, offset=p.start,
        pad=method.frames.pad, detrend=method.frames.detrend, progress=progress,
    )  # fmt: skip


def closer(framing: Framing, rows: int) -> Framing:
    """The same frames, or as many as there are rows where those are more."""
    if framing.places >= rows:
        return framing
    room = framing.length - framing.frame
    return replace(framing, hop=max(1, min(framing.hop, room // max(rows - 1, 1))))


def spectrogram(
    read: Read,
    framing: Framing,
    fs: float,
    taper: Window,
    view: View,
    *,
    offset: int = 0,
    pad: int = 1,
    detrend: Detrend = "mean",
    progress: Progress = silent,
    threads: int | None = None,
) -> Spectrogram:
    """Pool the frames of ``framing`` into the cells of ``view``; ``offset`` is the stretch's
    first sample in the recording, ``pad`` multiplies the transform's length."""
    nfft = framing.frame * pad
    weights = taper.samples(framing.frame)
    middle = (offset + framing.frame / 2) / fs  # of frame 0, in s
    hop_s = framing.hop / fs
    first, last = _frames_in(view, middle, hop_s, framing.places)
    rows = min(view.rows, last - first)
    row_edges = first + np.arange(rows + 1) * (last - first) // rows
    columns, edges = columns_of(view, fs / nfft, nfft // 2 + 1)
    out = np.empty((rows, len(columns)), dtype=np.float32)
    work = _Work(read, framing, fs, weights, nfft, detrend, columns, view.pooling)
    if threads is None:
        threads = 2 if (last - first) * framing.frame >= _THREADS_FROM else 1
    done, lock = [0], threading.Lock()

    def fill(begin: int, end: int) -> None:
        for row, cells in work.rows(row_edges[begin : end + 1]):
            out[begin + row] = cells
            with lock:
                done[0] += 1
                fraction = done[0] / rows
            progress(fraction)

    parts = [rows * i // threads for i in range(threads + 1)]
    if threads == 1:
        fill(0, rows)
    else:
        with ThreadPoolExecutor(threads, thread_name_prefix="spectrogram") as pool:
            list(pool.map(fill, parts[:-1], parts[1:]))
    if not np.isfinite(out).all():
        raise UserError(
            "The stretch holds values too large to be squared",
            remedy="check the file's unit and scale",
        )
    scale = 2 / weights.sum() ** 2
    out *= np.float32(scale)
    ends = [i for i, one in enumerate(columns) if one.start == 0 or one.stop == nfft // 2 + 1]
    for i in ends:  # there the offset or the Nyquist frequency has only one side
        if len(columns[i]) == 1 and (columns[i].start == 0 or nfft % 2 == 0):
            out[:, i] /= 2
    return Spectrogram(
        time=np.asarray(middle + (row_edges - 0.5) * hop_s),
        frequency=edges,
        mean_square=out,
        view=view,
        frame=framing.frame,
        hop=framing.hop,
        frames=last - first,
        fs=fs,
        enbw_hz=float(fs * (weights @ weights) / weights.sum() ** 2),
        gain_s=float(weights.sum() / fs),
    )


def _frames_in(view: View, middle: float, hop_s: float, places: int) -> tuple[int, int]:
    """First frame and the one after the last that reach into the view, at least one."""
    first, last = 0, places
    if view.start is not None:
        first = min(max(int(np.floor((view.start - middle) / hop_s + 0.5)), 0), places - 1)
    if view.end is not None:
        last = min(max(int(np.ceil((view.end - middle) / hop_s + 0.5)), first + 1), places)
    return first, last


def columns_of(view: View, bin_hz: float, bins: int) -> tuple[list[range], Array]:
    """The bins of each column, and the columns' edges in Hz."""
    low = 0.0 if view.low is None else view.low
    high = (bins - 1) * bin_hz if view.high is None else view.high
    first = min(max(int(np.floor(low / bin_hz + 0.5)), 1 if view.log else 0), bins - 1)
    last = min(max(int(np.ceil(high / bin_hz + 0.5)), first + 1), bins)
    if not view.log:
        count = min(view.columns, last - first)
        edges = first + np.arange(count + 1) * (last - first) // count
        places: Array = (edges - 0.5) * np.float64(bin_hz)
        return [range(int(a), int(b)) for a, b in pairwise(edges)], places
    # Edges in even ratios; a column between two bins has the one that it lies in.
    places = np.asarray(np.geomspace(first - 0.5, last - 0.5, view.columns + 1))
    starts = np.ceil(places[:-1]).astype(int)
    stops = np.ceil(places[1:]).astype(int)
    nearest = np.floor(np.sqrt(places[:-1] * places[1:]) + 0.5).astype(int)
    empty = stops <= starts
    starts = np.clip(np.where(empty, nearest, starts), first, last - 1)
    stops = np.where(empty, starts + 1, np.clip(stops, starts + 1, last))
    ranges = [range(int(a), int(b)) for a, b in zip(starts, stops, strict=True)]
    return ranges, places * bin_hz


@dataclass(frozen=True, eq=False)
class _Work:
    """Frames on their way to cells."""

    read: Read
    framing: Framing
    fs: float
    weights: Array
    nfft: int
    detrend: Detrend
    columns: list[range]
    pooling: Pooling

    def rows(self, edges: NDArray[np.int_]) -> Iterator[tuple[int, Cells]]:
        """Number and cells of each row, whose frames go from one edge to the next."""
        hop, frame = self.framing.hop, self.framing.frame
        per_block = max(1, (READ_SAMPLES - frame) // hop + 1)
        row, count = 0, len(edges) - 1
        pool = _Pool(self)
        while row < count:
            # As many whole rows as fit a block, or one row in several blocks.
            upto = int(np.searchsorted(edges, edges[row] + per_block, side="right")) - 1
            upto = min(max(upto, row + 1), count)
            first, last = int(edges[row]), int(edges[upto])
            if upto > row + 1 or last - first <= per_block:
                block = self._block(range(first, last))
                for r in range(row, upto):
                    a, b = int(edges[r]) - first, int(edges[r + 1]) - first
                    pool.begin()
                    pool.add(block[0][a:b], block[1][a:b])
                    yield r, pool.end(b - a)
            else:
                pool.begin()
                for begin in range(first, last, per_block):
                    pool.add(*self._block(range(begin, min(begin + per_block, last))))
                yield row, pool.end(last - first)
            row = upto

    def _block(self, numbers: range) -> tuple[Cells, Cells]:
        """Frames without a common offset, shape (frames, frame), and what is still to be taken
        off each, shape (frames,)."""
        samples = read_frames(self.read, self.framing, numbers, self.fs)
        about = float(samples.mean())
        samples = samples - about
        with np.errstate(over="ignore"):  # told once, at the end
            short = samples.astype(np.float32)
        windows = np.lib.stride_tricks.sliding_window_view
        frames = windows(short, self.framing.frame)[:: self.framing.hop]
        if self.detrend == "none":
            return frames, np.full(len(frames), -about, dtype=np.float32)
        means = frame_means(samples, frames_of(samples, self.framing), self.framing.hop)
        with np.errstate(over="ignore"):
            return frames, means.astype(np.float32)


class _Pool:
    """Cells of one row at a time."""

    def __init__(self, work: _Work) -> None:
        self._work = work
        frame, nfft = work.framing.frame, work.nfft
        self._at_once = max(1, 2 * CACHE_SAMPLES // nfft)
        # What lies beyond a frame stays zero: that is the padding.
        self._buffer = on_lines(self._at_once, nfft, np.float32)
        self._buffer[:, frame:] = 0
        self._bins = on_lines(self._at_once, nfft // 2 + 1, np.complex64)
        self._weights = on_lines(1, frame, np.float32)[0]
        self._weights[:] = work.weights
        self._first = min(one.start for one in work.columns)
        self._last = max(one.stop for one in work.columns)
        self._row = np.empty(self._last - self._first, dtype=np.float32)
        self._empty = True
        starts = np.array([one.start for one in work.columns]) - self._first
        stops = np.array([one.stop for one in work.columns]) - self._first
        self._counts = (stops - starts).astype(np.float32)
        # reduceat wants starts alone where one column follows the other without a gap
        self._follow = bool(np.array_equal(starts[1:], stops[:-1]))
        self._starts, self._stops = starts, stops
        ramp = np.arange(frame, dtype=np.float64) - (frame - 1) / 2
        self._ramp = ramp.astype(np.float32)
        self._ramp_square = float(ramp @ ramp)
        offset = rfft(work.weights[None, :], nfft)[0]
        wide = int(np.flatnonzero(np.abs(offset) > 1e-9 * frame)[-1]) + 1
        self._offset = offset[:wide].astype(np.complex64)

    def begin(self) -> None:
        self._empty = True

    @np.errstate(over="ignore", invalid="ignore")  # told once, at the end
    def add(self, frames: Cells, lost: Cells) -> None:
        """Take frames into the row."""
        frame = self._work.framing.frame
        for first in range(0, len(frames), self._at_once):
            group = frames[first : first + self._at_once]
            off = lost[first : first + len(group), None]
            tapered = self._buffer[: len(group), :frame]
            if self._work.detrend == "line":
                np.subtract(group, off, out=tapered)
                slopes = (tapered @ self._ramp) / self._ramp_square
                tapered -= slopes[:, None].astype(np.float32) * self._ramp
                tapered *= self._weights
            else:
                np.multiply(group, self._weights, out=tapered)
            bins = rfft(self._buffer[: len(group)], out=self._bins[: len(group)])
            if self._work.detrend != "line":
                # An offset is the window's transform there, which is a few bins wide.
                bins[:, : len(self._offset)] -= off * self._offset
            if len(self._row) < bins.shape[1]:
                bins = np.ascontiguousarray(bins[:, self._first : self._last])
            parts = bins.view(np.float32)
            np.multiply(parts, parts, out=parts)
            self._take(parts)

    def _take(self, parts: Cells) -> None:
        """Pool squares of real and imaginary parts, in turn, over the frames."""
        if self._work.pooling == "mean":
            sums = parts.sum(axis=0)
            squares = sums[0::2] + sums[1::2]
            self._row[:] = squares if self._empty else self._row + squares
        else:
            squares = (parts[:, 0::2] + parts[:, 1::2]).max(axis=0)
            self._row[:] = squares if self._empty else np.maximum(self._row, squares)
        self._empty = False

    def end(self, frames: int) -> Cells:
        """The row's cells, of so many frames."""
        mean = self._work.pooling == "mean"
        join = np.add if mean else np.maximum
        if self._follow:
            cells = join.reduceat(self._row, self._starts)
        else:
            pairs = np.stack([self._starts, self._stops], axis=1).ravel()
            padded = np.append(self._row, np.float32(0))
            cells = join.reduceat(padded, pairs)[::2]
        return np.asarray(cells / (self._counts * np.float32(frames)) if mean else cells)
