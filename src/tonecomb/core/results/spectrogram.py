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

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.spectrum import (
    CACHE_SAMPLES,
    READ_SAMPLES,
    Baseline,
    Level,
    Scaling,
    read_frames,
    scaled,
)
from tonecomb.core.estimate.transform import on_lines, rfft, rows_at_once
from tonecomb.core.method.method import Method, frame_plan
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.record.windows import Window
from tonecomb.core.steps.prepare import prepare

Pooling = Literal["max", "mean"]
Cells = NDArray[np.float32]
_THREADS_FROM = 1 << 19  # samples from which a second thread pays
_FEW_BINS = 8  # of a column, up to which they are picked one by one: each start of a run costs more
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
        gain = display.weighted_gain(self.centres, symbol).astype(np.float32) ** 2
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
    :class:`UserError` as :func:`tonecomb.core.method.method.plan` does.
    """
    signal = prepare(recording, method.source.steps)
    start, stop = method.source.span(signal)
    frame = method.frames.frame
    if frame > stop - start >= _FEWEST:
        frame = 1 << (int(stop - start).bit_length() - 1)
    p = frame_plan(method, recording, frame)
    return spectrogram(
        p.read,
        closer(p.framing, view.rows),
        p.fs,
        p.taper,
        view,
        offset=p.start,
        pad=method.frames.pad,
        detrend=method.frames.detrend,
        progress=progress,
    )


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
        pool, last = _Pool(self, edges), int(edges[-1])
        for first in range(int(edges[0]), last, per_block):
            yield from pool.add(first, *self._block(range(first, min(first + per_block, last))))

    def _block(self, numbers: range) -> tuple[Cells, float]:
        """Frames without a common offset, shape (frames, frame), and that offset."""
        samples = read_frames(self.read, self.framing, numbers, self.fs)
        with np.errstate(over="ignore", invalid="ignore"):  # told once, at the end
            about = float(samples.mean())
            short = np.empty(len(samples), dtype=np.float32)
            np.subtract(samples, about, out=short, casting="same_kind")  # in double precision
        frames = np.lib.stride_tricks.sliding_window_view(short, self.framing.frame)
        return frames[:: self.framing.hop], about


class _Pool:
    """Frames that come one after the other, in rows of cells from one of the ``edges`` to the next.
    They are transformed without regard to rows: of few, many are done at once."""

    def __init__(self, work: _Work, edges: NDArray[np.int_]) -> None:
        self._work, self._edges, self._next = work, edges.tolist(), 1
        frame, nfft = work.framing.frame, work.nfft
        self._at_once = rows_at_once(nfft, np.float32, 2 * CACHE_SAMPLES)
        # What lies beyond a frame stays zero: that is the padding.
        self._buffer = on_lines(self._at_once, nfft, np.float32)
        self._buffer[:, frame:] = 0
        # Rows of whole lines, without gaps between: squared as one, that is twice as fast.
        wide = -(-(nfft // 2 + 1) // 8) * 8
        self._whole = on_lines(self._at_once, wide, np.complex64)
        self._whole[:] = 0
        self._bins = self._whole[:, : nfft // 2 + 1]
        self._real, self._imaginary = np.empty((2, self._at_once, wide), dtype=np.float32)
        self._weights = on_lines(1, frame, np.float32)[0]
        self._weights[:] = work.weights
        self._first = min(one.start for one in work.columns)
        self._last = max(one.stop for one in work.columns)
        # What is pooled, and behind it a zero, which neither adds to nor exceeds anything.
        self._row = np.zeros(self._last - self._first + 1, dtype=np.float32)
        starts = np.array([one.start for one in work.columns]) - self._first
        stops = np.array([one.stop for one in work.columns]) - self._first
        self._counts = (stops - starts).astype(np.float32)
        self._ends = np.stack([starts, stops], axis=1).ravel()
        self._few: NDArray[np.int_] | None = None
        if (most := int(np.max(stops - starts))) <= _FEW_BINS:
            bins = starts + np.arange(most)[:, None]
            self._few = np.where(bins < stops, bins, len(self._row) - 1)
        off = Baseline.of(work.weights, "line")
        self._level, self._slope, self._ramp = (
            one.astype(np.float32) for one in (off.level, off.slope, off.ramp)
        )
        offset = rfft(work.weights[None, :], nfft)[0]
        reach = int(np.flatnonzero(np.abs(offset) > 1e-9 * frame)[-1]) + 1
        self._offset = offset[:reach].astype(np.complex64)

    def add(self, number: int, frames: Cells, about: float) -> Iterator[tuple[int, Cells]]:
        """Take frames from ``number`` on, ``about`` off; gives each row that they complete."""
        for first in range(0, len(frames), self._at_once):
            stop = min(first + self._at_once, len(frames))
            with np.errstate(over="ignore", invalid="ignore"):  # told once, at the end
                squares = self._squares(frames[first:stop], about)
            at = first
            while at < stop:
                edge = self._edges[self._next] - number
                self._take(squares[at - first : min(edge, stop) - first])
                at = min(edge, stop)
                if at == edge:
                    yield self._next - 1, self._end()
                    self._next += 1

    def _squares(self, frames: Cells, about: float) -> Cells:
        """Of the transforms of these, from which ``about`` was taken off, without what is to be
        off each; shape (frames, bins)."""
        count = len(frames)
        tapered = self._buffer[:count, : self._work.framing.frame]
        if self._work.detrend == "line":
            np.subtract(frames, (frames @ self._level)[:, None], out=tapered)
            tapered -= (tapered @ self._slope)[:, None] * self._ramp
            tapered *= self._weights
        else:
            np.multiply(frames, self._weights, out=tapered)
        bins = rfft(self._buffer[:count], out=self._bins[:count])
        if self._work.detrend != "line":
            # An offset is the window's transform there, which is a few bins wide; the mean under
            # the window is what stands at 0 Hz.
            off = bins[:, :1].real / self._offset[0].real
            off = off if self._work.detrend == "mean" else np.full_like(off, -about)
            bins[:, : len(self._offset)] -= off * self._offset
        whole = self._whole[:count]
        squares = np.square(whole.real, out=self._real[:count])
        squares += np.square(whole.imag, out=self._imaginary[:count])
        result: Cells = squares[:, self._first : self._last]
        return result

    def _take(self, squares: Cells) -> None:
        """Pool them into the row."""
        with np.errstate(over="ignore", invalid="ignore"):
            if self._work.pooling == "mean":
                self._row[:-1] += squares.sum(axis=0)
            else:
                np.maximum(self._row[:-1], squares.max(axis=0), out=self._row[:-1])

    def _end(self) -> Cells:
        """The row's cells; the next begins."""
        mean = self._work.pooling == "mean"
        if self._few is not None:
            few = self._row[self._few]
            cells = few.sum(axis=0) if mean else few.max(axis=0)
        else:
            cells = (np.add if mean else np.maximum).reduceat(self._row, self._ends)[::2]
        if mean:
            frames = self._edges[self._next] - self._edges[self._next - 1]
            cells = cells / (self._counts * np.float32(frames))
        self._row[:] = 0
        return np.asarray(cells)
