"""What a step of a chain is: words, a check, and a signal made of a signal.

The fields of a step are its settings (:mod:`tonecomb.core.base.setting`).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array, Channel
from tonecomb.core.record.signal import Signal


@dataclass(frozen=True)
class Step(ABC):
    """``key`` names the kind of step in files and on the command line, ``title`` in menus, and
    ``tip`` says what it is for. One that is ``off`` keeps its place and does nothing."""

    key: ClassVar[str]
    title: ClassVar[str]
    tip: ClassVar[str]
    takes: ClassVar[bool] = False
    """Whether it takes something out of the samples, which can be held against what there was."""

    off: bool = field(default=False, kw_only=True)

    @abstractmethod
    def words(self, names: Sequence[str]) -> str:
        """What it does, in the sentence; ``names`` are those of the channels it is given."""

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        """Settings with which it is first put into the chain of a signal, where what most steps
        begin with will not do."""
        return {}

    @property
    def adds(self) -> bool:
        """Whether it makes one more channel and leaves those there are alone."""
        return False

    def response(self, frequency: Array, fs: float) -> NDArray[np.complex128] | None:
        """Its gain at frequencies (Hz) of samples at ``fs`` Hz; None where it has none to show."""
        return None

    def turns(self, fs: float) -> Sequence[float]:
        """Frequencies (Hz) that a picture of its response must not leave out."""
        return ()

    def applies(self, attribute: str) -> bool:
        """Whether a setting means anything beside the others as they are."""
        return True

    def note(self, fs: float) -> str:
        """What is worth knowing of it at this sample rate; "" for nothing."""
        return ""

    @abstractmethod
    def apply(self, signal: Signal) -> Signal:
        """The signal after it; nothing is read yet.

        Raises :class:`UserError` where the signal does not allow it.
        """


def rounded(value: float) -> float:
    """A value of which a user would have thought: one or two figures."""
    return float(f"{value:.1g}") if value > 0 else value


def unfit(what: str, remedy: str, why: str = "") -> UserError:
    """A step that a signal does not allow."""
    return UserError(what, why, remedy)


def check_channels(
    wanted: Sequence[int], channels: Sequence[Channel], least: int, what: str
) -> None:
    """Raise :class:`UserError` unless ``least`` channels or more are named and all are there."""
    if len(wanted) < least or not all(0 <= i < len(channels) for i in wanted):
        raise UserError(
            f"A {what} needs {'a channel' if least == 1 else 'at least two channels'}",
            f"there are {len(channels)}",
            "choose from those",
        )
