"""One more channel beside those that there are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from tonecomb.core.record.recording import Array, Channel, Samples
from tonecomb.core.record.signal import Signal


def with_channel(
    signal: Signal, channel: Channel, samples: Samples, of: Sequence[int], settles: int = 0
) -> Signal:
    """The signal with one more channel, the only one of ``samples``, at its end. It is made
    ``of`` others, and takes ``settles`` samples more at each end than they."""
    first, stop = signal.settled(of)
    return replace(
        signal,
        channels=(*signal.channels, channel),
        samples=_Extended(signal.samples, len(signal.channels), samples),
        edge_samples=(*signal.edge_samples, (first + settles, signal.length - stop + settles)),
    )


class _Extended(Samples):
    """``source`` with its ``count`` channels, and the one of ``added`` after them."""

    def __init__(self, source: Samples, count: int, added: Samples) -> None:
        self._source, self._count, self._added = source, count, added
        self.costly = source.costly or added.costly

    def read(self, channel: int, start: int, stop: int) -> Array:
        if channel < self._count:
            return self._source.read(channel, start, stop)
        return self._added.read(0, start, stop)

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        own = [channel for channel in channels if channel < self._count]
        read = dict(zip(own, self._source.read_many(own, start, stop), strict=True))
        if len(own) < len(channels):
            read[self._count] = self._added.read(0, start, stop)
        return tuple(read[channel] for channel in channels)
