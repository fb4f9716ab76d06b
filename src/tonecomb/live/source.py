"""What every source of live samples is: channels, a rate, and blocks that come as time goes on."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Channel

Frames = NDArray[np.float32]
"""Samples of all channels, shape (samples, channels), in the channels' units."""


@dataclass(frozen=True)
class Described:
    """What is known of a source before the first sample: its ``name``, ``rate`` (Hz) and
    ``channels``."""

    name: str
    rate: float
    channels: tuple[Channel, ...]


@dataclass(frozen=True, eq=False)
class Block:
    """``length`` samples from number ``first`` on. ``frames`` is None where they were lost. Blocks
    follow one another without a hole."""

    first: int
    length: int
    frames: Frames | None

    @property
    def end(self) -> int:
        """The number after its last sample."""
        return self.first + self.length


@dataclass
class Counts:
    """What came and what did not: packets that were ``taken``, packets and samples that were
    ``lost``, packets that came too ``late`` or ``twice``, from others (``foreign``), or that were
    none (``malformed``); ``joined`` counts how often a source went away and came back, ``overrun``
    packets that our own reader was too slow for (they are among the lost), and ``rate_ppm`` by how
    many parts in a million samples come faster than the source says, by this machine's clock,
    where that is sure and much."""

    taken: int = 0
    lost: int = 0
    lost_samples: int = 0
    late: int = 0
    twice: int = 0
    foreign: int = 0
    malformed: int = 0
    joined: int = 0
    overrun: int = 0
    rate_ppm: int = 0

    def words(self) -> str:
        """All that is worth telling in one line, "" where nothing is."""
        lines = [
            f"{count} {what}"
            for count, what in (
                (self.lost, "packets lost"),
                (self.lost_samples, "samples lost"),
                (self.late, "came late"),
                (self.twice, "came twice"),
                (self.foreign, "of others dropped"),
                (self.malformed, "malformed"),
                (self.joined, "times joined again"),
                (self.overrun, "missed by this machine"),
                (self.rate_ppm, "parts in a million too fast"),
            )
            if count
        ]
        return ", ".join(lines)


@dataclass
class LiveSource(ABC):
    """``described`` says what it is, ``counts`` how it goes. Its blocks can be had once."""

    described: Described
    counts: Counts = field(default_factory=Counts)
    closed: bool = False

    @abstractmethod
    def blocks(self, stopped: Callable[[], bool]) -> Iterator[Block]:
        """Blocks as they come, until ``stopped`` says so or the source ends. Raises
        :class:`UserError` where it cannot be listened to."""

    def close(self) -> None:
        """Let go of what it holds open."""
        self.closed = True
