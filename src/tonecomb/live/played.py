"""A recording played as if it were live: at its own speed, or so many times as fast."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Recording
from tonecomb.core.record.resampling import Filled
from tonecomb.live.source import Block, Described, LiveSource

_BLOCK_S = 0.02


@dataclass
class PlayedSource(LiveSource):
    """``speed`` is times its own; what is missing in the recording counts as lost."""

    recording: Recording | None = None
    speed: float = 1.0

    @classmethod
    def of(cls, recording: Recording, speed: float = 1.0) -> PlayedSource:
        """A recording, from its first sample to its last."""
        described = Described(recording.name, recording.rate, recording.channels)
        return cls(described, recording=recording, speed=speed)

    def blocks(self, stopped: Callable[[], bool]) -> Iterator[Block]:
        recording = self.recording
        assert recording is not None
        size = max(1, round(_BLOCK_S * recording.rate * max(self.speed, 1.0)))
        started = time.monotonic()
        every, samples = range(len(recording.channels)), recording.samples
        if isinstance(samples, Filled):
            samples = samples.source  # what is missing is lost, not a straight line
        for first in range(0, recording.length, size):
            stop = min(first + size, recording.length)
            due = started + stop / (recording.rate * self.speed)
            while (ahead := due - time.monotonic()) > 0 and not stopped():
                time.sleep(min(ahead, 0.05))
            if stopped():
                return
            frames = np.stack(samples.read_many(every, first, stop), axis=1)
            missing = ~np.isfinite(frames)
            self.counts.taken += 1
            self.counts.lost_samples += int(missing.any(axis=1).sum())
            gone = missing.all()
            yield Block(first, stop - first, None if gone else frames.astype(np.float32))
