"""Recursive filters over records of any length: any block comes out as it would from the whole.

A filter that forgets soon is run a little before and after each block. Where it takes long,
sections' states are kept where blocks start; backward, blocks are taken in reverse: each is run
forward again from its state and then backward with the state that the block after it left, which
is kept as well. So the result is that of one pass over all, to the last bit, however long the
filter takes to settle, and a block may be read again by itself.

The record goes on beyond its ends as if turned about them: about the value there of a line through
the last half period of the edge, so that neither noise in the last sample nor a trend is a step.
"""

from __future__ import annotations

import math
import threading
from bisect import bisect_left, bisect_right

import numpy as np

from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.steps.sections import Sections

BLOCK = 1 << 18  # samples filtered at once: 2 MB
_REST = 1e-17  # of what was before, after which it is forgotten
_SOON = BLOCK // 4  # samples in which a filter forgets that is run anew for each block
_ENDS = 1e-6  # of where a record is taken to have stood, that its continuation leaves
_LONGEST = 1 << 22  # samples by which a record is continued at most


class Continued:
    """One channel of ``source`` with ``beyond`` samples more at each end. Beyond an end the record
    is turned about the value there of a line through its ``level`` last samples; with ``level`` 0
    it is mirrored, which adds nothing to its mean. Missing samples are bridged."""

    def __init__(self, source: Samples, channel: int, length: int, beyond: int, level: int) -> None:
        self._source, self._channel, self._own = source, channel, length
        self._beyond = min(beyond, length - 1)
        self._sign = -1.0 if level else 1.0
        self.length = length + 2 * self._beyond
        self.holed = False  # whether a sample was missing in what was read
        few = max(1, min(level, length))
        self._turns = (
            (0.0, 0.0)
            if not level
            else (
                _end_of_line(self._plain(0, few)[::-1]),
                _end_of_line(self._plain(length - few, length)),
            )
        )

    @property
    def beyond(self) -> int:
        """How many samples there are more at each end."""
        return self._beyond

    def _plain(self, start: int, stop: int) -> Array:
        x = self._source.read(self._channel, start, stop)
        # One sum is the cheapest question whether all samples are finite.
        if math.isfinite(float(x.sum())):
            return x
        self.holed = True
        return bridged(x)

    def read(self, start: int, stop: int) -> Array:
        """Samples ``start`` to ``stop``, counted from where the continuation begins."""
        low, high = start - self._beyond, stop - self._beyond
        parts = []
        if low < 0:  # −k mirrors k
            last = min(high, 0)
            mirror = self._plain(1 - last, 1 - low)[::-1]
            parts.append(2 * self._turns[0] + self._sign * mirror)
        if high > 0 and low < self._own:
            parts.append(self._plain(max(low, 0), min(high, self._own)))
        if high > self._own:
            first, end = max(low, self._own), 2 * self._own - 1
            mirror = self._plain(end - high, end - first)[::-1]
            parts.append(2 * self._turns[1] + self._sign * mirror)
        return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _end_of_line(x: Array) -> float:
    """What the line through ``x`` is at its last sample."""
    n = len(x)
    if n < 3:
        return float(x[-1])
    t = np.arange(n) - (n - 1) / 2
    return float(x.mean() + (t @ x) / (t @ t) * t[-1])


def bridged(x: Array) -> Array:
    """``x`` with a straight line over what is not finite."""
    good = np.isfinite(x)
    if good.all():
        return x
    if not good.any():
        return np.zeros(len(x))
    return np.interp(np.arange(len(x)), np.flatnonzero(good), x[good])


class _Soon:
    """One channel through sections that forget within ``margin`` samples."""

    def __init__(self, source: Continued, sections: Sections, margin: int) -> None:
        from scipy.signal import sosfilt, sosfilt_zi

        self._filter, self._steady = sosfilt, sosfilt_zi(sections.sos)
        self._source, self._sections, self._margin = source, sections, margin

    def read(self, start: int, stop: int) -> Array:
        """Samples of the result, counted from where the continuation begins."""
        low = max(start - self._margin, 0)
        high = min(stop + self._margin, self._source.length) if self._sections.zero_phase else stop
        x = self._source.read(low, high)
        x = self._through(x)[start - low :]
        if self._sections.zero_phase:
            x = self._through(x[::-1])[::-1][: stop - start]
        return x

    def _through(self, x: Array) -> Array:
        return np.asarray(self._filter(self._sections.sos, x, zi=self._steady * x[0])[0])


class _Kept:
    """One channel through sections that take long; states at the edges of blocks are kept."""

    def __init__(self, source: Continued, sections: Sections) -> None:
        from scipy.signal import sosfilt, sosfilt_zi

        self._filter = sosfilt
        self._sos, self._zero_phase = sections.sos, sections.zero_phase
        self._source = source
        # The record itself begins at an edge, as blocks do that are read from here.
        first = source.beyond % BLOCK
        edges = [0] * (first > 0) + list(range(first, source.length, BLOCK)) + [source.length]
        self._edges = edges
        self._steady = sosfilt_zi(sections.sos)
        self._forward: list[Array] = [self._steady * source.read(0, 1)[0]]
        self._backward: dict[int, Array] = {}
        self._lock = threading.Lock()

    def read(self, start: int, stop: int) -> Array:
        """Samples of the result, counted from where the continuation begins."""
        first = bisect_right(self._edges, start) - 1
        last = bisect_left(self._edges, stop)
        with self._lock:
            if self._zero_phase:  # in reverse, as the states come
                parts = [self._block(one) for one in range(last - 1, first - 1, -1)][::-1]
            else:
                parts = [self._block(one) for one in range(first, last)]
        out = parts[0] if len(parts) == 1 else np.concatenate(parts)
        return out[start - self._edges[first] : stop - self._edges[first]]

    def _onward(self, block: int) -> Array:
        """A block run forward from the state that is known at its start."""
        samples = self._source.read(self._edges[block], self._edges[block + 1])
        made, state = self._filter(self._sos, samples, zi=self._forward[block])
        if len(self._forward) == block + 1:
            self._forward.append(state)
        return np.asarray(made)

    def _returned(self, block: int) -> Array:
        """A block run backward from the state that is known at its end."""
        forward = self._onward(block)
        made, state = self._filter(self._sos, forward[::-1], zi=self._backward[block])
        self._backward.setdefault(block - 1, state)
        return np.asarray(made)[::-1]

    def _block(self, block: int) -> Array:
        while len(self._forward) <= block:
            self._onward(len(self._forward) - 1)
        if not self._zero_phase:
            return self._onward(block)
        if not self._backward:
            self._turn_round()
        for later in range(min(one for one in self._backward if one >= block), block, -1):
            self._returned(later)
        return self._returned(block)

    def _turn_round(self) -> None:
        count = len(self._edges) - 1
        while len(self._forward) < count:
            self._onward(len(self._forward) - 1)
        self._backward[count - 1] = self._steady * self._onward(count - 1)[-1]


class Filtered(Samples):
    """Every channel of ``source`` through ``sections``; ``level`` is how many samples at an end
    tell where it stands."""

    costly = True

    def __init__(self, source: Samples, length: int, sections: Sections, level: int) -> None:
        self._source, self._length, self._sections = source, length, sections
        self._level = level
        self._runs: dict[int, tuple[Continued, _Soon | _Kept]] = {}
        self._lock = threading.Lock()

    @property
    def grain(self) -> int:
        return BLOCK

    def _run(self, channel: int) -> tuple[Continued, _Soon | _Kept]:
        with self._lock:
            if channel not in self._runs:
                margin = self._sections.settled(_REST)
                beyond = min(self._sections.settled(_ENDS), _LONGEST)
                source = Continued(self._source, channel, self._length, beyond, self._level)
                soon = margin <= _SOON
                made = (
                    _Soon(source, self._sections, margin) if soon else _Kept(source, self._sections)
                )
                self._runs[channel] = source, made
            return self._runs[channel]

    def read(self, channel: int, start: int, stop: int) -> Array:
        if stop <= start:
            return np.empty(0)
        source, run = self._run(channel)
        parts = []
        for first in range(start, stop, BLOCK):
            last = min(first + BLOCK, stop)
            parts.append(run.read(first + source.beyond, last + source.beyond))
        out = parts[0] if len(parts) == 1 else np.concatenate(parts)
        if not source.holed:
            return out
        return np.where(np.isfinite(self._source.read(channel, start, stop)), out, np.nan)
