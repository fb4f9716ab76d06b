"""Recordings, their channels, and the stretch of time that is analysed."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.truth import Truth

if TYPE_CHECKING:
    from tonecomb.core.record.parallel import WorkerPool
    from tonecomb.core.record.pyramid import Pyramid

Array = NDArray[np.float64]
RateSource = Literal["header", "time column", "given", "unknown"]


class Samples(ABC):
    """Where a recording's samples lie. Reading is thread-safe and never changes the source.

    ``costly`` where reading is work whose result is worth keeping (decoding, filtering);
    ``together`` where a block of one channel costs as much as one of all.
    """

    costly: bool = False
    together: bool = False

    @property
    def grain(self) -> int:
        """How many samples are best read at once."""
        return 1 << 18

    @abstractmethod
    def read(self, channel: int, start: int, stop: int) -> Array:
        """Samples ``start`` to ``stop`` (not included) of one channel, in its unit."""

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        """The same of several channels; of those that lie ``together`` in one pass."""
        return tuple(self.read(channel, start, stop) for channel in channels)

    def outline(self, channel: int) -> Pyramid | None:
        """The lowest and highest of all samples at several zoom levels, where they are known
        without reading."""
        return None


@dataclass(frozen=True, eq=False)
class ArraySamples(Samples):
    """Samples in memory, one array per channel, all of one length."""

    columns: tuple[Array, ...]

    @classmethod
    def of(cls, *columns: Array) -> ArraySamples:
        """Read-only views of the arrays; the caller's own are left as they are."""
        views = []
        for column in columns:
            view = np.asarray(column, dtype=np.float64).view()
            view.flags.writeable = False
            views.append(view)
        return cls(tuple(views))

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.columns[channel][start:stop]


@dataclass(frozen=True)
class Channel:
    """A channel's name and the symbol of its unit."""

    name: str
    unit: str


@dataclass(frozen=True)
class Problem:
    """Something that a reading of the recording should take into account."""

    code: str
    text: str


@dataclass(frozen=True)
class Break:
    """After the sample with this number, ``seconds`` are lacking in the record."""

    sample: int
    seconds: float


@dataclass(frozen=True, eq=False)
class Recording:
    """One imported file or capture.

    ``sample_rate`` is in Hz, or None when the file does not tell and nobody gave it;
    ``rate_found`` says in words how the rate was found. ``length`` counts samples per channel.
    ``assumed`` are sentences on what had to be guessed or left out when the file was read.
    ``breaks`` are the gaps across which samples were joined, the first thousand.
    ``start`` is when the first sample was taken (ISO 8601), "" when the file does not tell.
    """

    id: str
    name: str
    format: str
    sample_rate: float | None
    rate_source: RateSource
    rate_found: str
    length: int
    channels: tuple[Channel, ...]
    samples: Samples
    path: Path | None = None
    problems: tuple[Problem, ...] = ()
    start: str = ""
    comment: str = ""
    breaks: tuple[Break, ...] = ()
    lost: tuple[tuple[int, int], ...] = ()
    """Samples (the first, and one after the last) that a live source lost: frames that touch them
    do not count."""
    live: bool = False
    """Whether it ends now, and more will come."""
    assumed: tuple[str, ...] = ()
    truth: Truth | None = None
    """What is known to be in it, of a made one."""
    pool: WorkerPool | None = field(default=None, repr=False)
    """Processes that can read it too, which long passes over it are shared with."""
    memo: dict[Any, Any] = field(default_factory=dict, init=False, repr=False)
    """What was worked out of it and is worth keeping as long as it lives."""

    @property
    def rate(self) -> float:
        """The sample rate in Hz; raises :class:`UserError` when it is unknown."""
        if self.sample_rate is None:
            raise UserError(
                f"The sample rate of {self.name} is unknown",
                "the file holds neither a rate nor a time column",
                "give the rate in Hz (on the command line with --rate)",
            )
        return self.sample_rate

    @property
    def duration(self) -> float:
        """Length in s."""
        return self.length / self.rate


class Timed(Protocol):
    """What has a duration: a recording, or a signal that was prepared of it."""

    @property
    def name(self) -> str: ...
    @property
    def rate(self) -> float: ...
    @property
    def length(self) -> int: ...
    @property
    def duration(self) -> float: ...


class Sampled(Timed, Protocol):
    """What has channels with samples besides."""

    @property
    def channels(self) -> tuple[Channel, ...]: ...
    @property
    def samples(self) -> Samples: ...


@dataclass(frozen=True)
class Stretch:
    """A time range in s, counted from the recording's start."""

    start: float
    end: float

    def indices(self, recording: Timed) -> tuple[int, int]:
        """First sample and the one after the last; the nearest samples to the limits.

        Raises :class:`UserError` when the range is empty or not within the recording.
        """
        fs, duration = recording.rate, recording.duration
        if not np.isfinite([self.start, self.end]).all() or self.end <= self.start:
            raise UserError(
                f"The stretch {self.start:g}–{self.end:g} s is empty",
                remedy="give a start that lies before the end",
            )
        # Half a sample of play, so that limits rounded for display still fit.
        if self.start < -0.5 / fs or self.end > duration + 0.5 / fs:
            raise UserError(
                f"The stretch {self.start:g}–{self.end:g} s is outside {recording.name}",
                f"it lasts from 0 to {duration:.6g} s",
                "choose a stretch within it",
            )
        return max(0, round(self.start * fs)), min(recording.length, round(self.end * fs))


def whole(recording: Timed) -> Stretch:
    """The stretch from the first sample to the last."""
    return Stretch(0.0, recording.duration)
