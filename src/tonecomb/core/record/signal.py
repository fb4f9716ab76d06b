"""A signal: a recording's channels after the steps of a chain, worked out as they are read."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from tonecomb.core.record.blocks import KeptBlocks
from tonecomb.core.record.recording import Break, Channel, Problem, Recording, Samples


class Key:
    """Says which samples a signal has. Every view asks for it at every edit, and it may name
    hundreds of channels: its hash is taken once."""

    __slots__ = ("_hash", "parts")

    def __init__(self, parts: Hashable) -> None:
        self.parts = parts
        self._hash: int | None = None

    def __hash__(self) -> int:
        if self._hash is None:
            self._hash = hash(self.parts)
        return self._hash

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        return isinstance(other, Key) and hash(self) == hash(other) and self.parts == other.parts


@dataclass(frozen=True, eq=False)
class Signal:
    """What is analysed, looked at, measured and exported.

    ``recording`` is whose it is. ``channels`` are those of the recording and those that steps
    added; ``words`` say what the steps did, in their order. ``start`` (ISO 8601), ``breaks`` and
    ``lost`` are as in the recording, counted in this signal's samples. Of each channel's samples
    so many first and last ones (``edge_samples``) tell more of a filter's settling than of what was
    recorded. Two signals with one ``key`` have the same samples.
    """

    recording: Recording
    key: Key
    rate: float
    length: int
    channels: tuple[Channel, ...]
    samples: Samples
    breaks: tuple[Break, ...] = ()
    start: str = ""
    words: tuple[str, ...] = ()
    rate_found: str = ""
    problems: tuple[Problem, ...] = ()
    edge_samples: tuple[tuple[int, int], ...] = ()
    lost: tuple[tuple[int, int], ...] = ()
    steps: tuple[Any, ...] = ()
    """Those by which it was prepared."""

    @classmethod
    def of(cls, recording: Recording) -> Signal:
        """A recording as it is."""
        return cls(
            recording=recording,
            # Objects that hold samples are themselves only: read anew, they are others.
            key=Key((recording.id, recording.samples, recording.rate, recording.channels)),
            rate=recording.rate,
            length=recording.length,
            channels=recording.channels,
            samples=recording.samples,
            breaks=recording.breaks,
            start=recording.start,
            rate_found=recording.rate_found,
            problems=recording.problems,
            lost=recording.lost,
            edge_samples=((0, 0),) * len(recording.channels),
        )

    @property
    def id(self) -> str:
        """The recording's."""
        return self.recording.id

    @property
    def name(self) -> str:
        """The recording's."""
        return self.recording.name

    @property
    def duration(self) -> float:
        """Length in s."""
        return self.length / self.rate

    def settled(self, channels: Iterable[int]) -> tuple[int, int]:
        """The first sample that is settled in all of these channels, and the one after the last;
        they may cross."""
        ends = [self.edge_samples[i] for i in channels if 0 <= i < len(self.edge_samples)]
        first, last = (max((one[k] for one in ends), default=0) for k in (0, 1))
        return first, self.length - last

    def more_edge_samples(self, first: int, last: int) -> tuple[tuple[int, int], ...]:
        """``edge_samples`` after a step that takes so many more to settle on every channel."""
        return tuple((a + first, b + last) for a, b in self.edge_samples)

    def shared(self) -> Signal:
        """The same, with blocks that are work to read kept for whoever reads them next."""
        if not self.samples.costly:
            return self
        return replace(self, samples=KeptBlocks(self.samples, self.length, len(self.channels)))

    def as_recording(self) -> Recording:
        """What was prepared as a recording of its own, to be written to a file."""
        return replace(
            self.recording,
            sample_rate=self.rate,
            rate_found=self.rate_found,
            length=self.length,
            channels=self.channels,
            samples=self.samples,
            breaks=self.breaks,
            start=self.start,
        )
