"""One more channel: another one times a factor."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from tonecomb.core.base.setting import setting
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.adding import with_channel
from tonecomb.core.steps.combine import Pointwise
from tonecomb.core.steps.step import Step, check_channels


@dataclass(frozen=True)
class Scale(Step):
    """The first of ``channels`` times ``factor``, in the same unit."""

    key: ClassVar[str] = "scale"
    title: ClassVar[str] = "Scaled"
    tip: ClassVar[str] = "A channel times a factor"

    channels: tuple[int, ...] = setting("channels", "channels", help="what is scaled")
    factor: float = setting("factor", "number", 1.0, help="what it is multiplied by")
    name: str = setting("name", "text", "", help="what the new channel is called")

    @property
    def adds(self) -> bool:
        return True

    def words(self, names: Sequence[str]) -> str:
        of = [names[i] for i in self.channels if i < len(names)]
        return self.name or (f"{self.factor:g} × {of[0]}" if of else "scaled")

    def apply(self, signal: Signal) -> Signal:
        check_channels(self.channels, signal.channels, 1, "scaled channel")
        first = signal.channels[self.channels[0]]
        pointwise = Pointwise(signal.samples, self.channels[:1], (self.factor,), False)
        name = self.words([channel.name for channel in signal.channels])
        return with_channel(signal, replace(first, name=name), pointwise, self.channels[:1])
