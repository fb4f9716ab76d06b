"""One more channel, made of several: their vector sum, their sum, or the difference to others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.base.units import conversion
from tonecomb.core.record.recording import Array, Channel, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.adding import with_channel
from tonecomb.core.steps.step import Step, check_channels


@dataclass(frozen=True)
class Combine(Step):
    """``channels`` by their numbers; the result is in the unit of the first, and is called
    ``name``, or after what it is where that is empty."""

    joint: ClassVar[str]
    root: ClassVar[bool] = False

    channels: tuple[int, ...] = setting("channels", "channels", help="what it is made of", least=2)
    name: str = setting("name", "text", "", help="what the new channel is called")

    def words(self, names: Sequence[str]) -> str:
        if self.name:
            return self.name
        joined = self.joint.join(names[i] for i in self.channels if i < len(names))
        return f"|{joined}|" if self.root else joined

    def apply(self, signal: Signal) -> Signal:
        check_channels(self.channels, signal.channels, 2, self.title.lower())
        first = signal.channels[self.channels[0]]
        # Raises where they do not go together.
        factors = [conversion(signal.channels[i].unit, first.unit) for i in self.channels]
        pointwise = Pointwise(signal.samples, self.channels, self.signed(tuple(factors)), self.root)
        name = self.words([channel.name for channel in signal.channels])
        return with_channel(signal, Channel(name, first.unit), pointwise, self.channels)

    @property
    def adds(self) -> bool:
        return True

    def signed(self, factors: tuple[float, ...]) -> tuple[float, ...]:
        """What each channel is multiplied by."""
        return factors


@dataclass(frozen=True)
class VectorSum(Combine):
    """The root of the sum of the squares."""

    key: ClassVar[str] = "vector-sum"
    title: ClassVar[str] = "Vector sum"
    tip: ClassVar[str] = "Length of the vector that the channels are the components of"
    joint: ClassVar[str] = ", "
    root: ClassVar[bool] = True


@dataclass(frozen=True)
class Sum(Combine):
    """All of them, added up."""

    key: ClassVar[str] = "sum"
    title: ClassVar[str] = "Sum"
    tip: ClassVar[str] = "The channels added up"
    joint: ClassVar[str] = " + "


@dataclass(frozen=True)
class Difference(Combine):
    """The first less the others."""

    key: ClassVar[str] = "difference"
    title: ClassVar[str] = "Difference"
    tip: ClassVar[str] = "The first channel less the others"
    joint: ClassVar[str] = " − "

    @property
    def adds(self) -> bool:
        return True

    def signed(self, factors: tuple[float, ...]) -> tuple[float, ...]:
        return (factors[0], *(-factor for factor in factors[1:]))


class Pointwise(Samples):
    """Channels of ``source`` by their factors, added up, or their squares added and the root
    taken: one channel."""

    def __init__(
        self, source: Samples, chosen: tuple[int, ...], factors: tuple[float, ...], root: bool
    ) -> None:
        self._source, self._chosen, self._factors, self._root = source, chosen, factors, root
        self.costly = source.costly

    def read(self, channel: int, start: int, stop: int) -> Array:
        total = np.zeros(stop - start)
        blocks = self._source.read_many(self._chosen, start, stop)
        for factor, samples in zip(self._factors, blocks, strict=True):
            total += (factor * samples) ** 2 if self._root else factor * samples
        return np.sqrt(total) if self._root else total
