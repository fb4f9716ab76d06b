"""A notch on every tooth of a comb: the mains' hum with its multiples, a family of harmonics."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.fir import smooth
from tonecomb.core.steps.harmonic_tracks import ToothTracks, TrackCourse
from tonecomb.core.steps.sections import refused
from tonecomb.core.steps.step import Step, rounded

_MOST = 400  # teeth
_SETTLES = 1.5  # over the width: what the ends do to a tooth's amplitude


class WithoutTeeth(Samples):
    """Every channel of ``source`` less the teeth that are followed in it."""

    costly = True

    def __init__(self, source: Samples, course: TrackCourse) -> None:
        self._source, self._course = source, course
        self._teeth: dict[int, ToothTracks] = {}
        self._lock = threading.Lock()

    def teeth(self, channel: int) -> ToothTracks:
        """The teeth of a channel, sought when they are first wanted."""
        with self._lock:
            if channel not in self._teeth:
                self._teeth[channel] = ToothTracks(self._source, channel, self._course)
            return self._teeth[channel]

    def read(self, channel: int, start: int, stop: int) -> Array:
        tooth_tracks = self.teeth(channel)
        return self._source.read(channel, start, stop) - tooth_tracks.read(start, stop)


@dataclass(frozen=True)
class CombNotch(Step):
    """``frequency`` (Hz) and its multiples go, with what lies ``width``/2 beside each. It follows
    a fundamental that drifts by some thousandths, unless it is ``fixed``."""

    key: ClassVar[str] = "comb-notch"
    title: ClassVar[str] = "Comb notch"
    takes: ClassVar[bool] = True
    tip: ClassVar[str] = "Take out a fundamental and its harmonics, such as hum, as they drift"

    frequency: float = setting("frequency", "number", unit="Hz", help="the fundamental")
    width: float = setting("width", "number", 0.6, unit="Hz", help="of each tooth")
    teeth: int = setting("teeth", "whole", 40, help="how many harmonics go at most")
    fixed: bool = setting("fixed", "flag", False, help="the fundamental does not drift")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        width = max(0.6, rounded(2 * _SETTLES * 4 / signal.duration))
        mains = 50.0 if 50.0 + width < signal.rate / 2 else rounded(signal.rate / 8)
        return {"frequency": mains, "width": min(width, rounded(mains / 4))}

    def words(self, names: Sequence[str]) -> str:
        fixed = ", fixed" if self.fixed else ""
        return f"comb notch {self.frequency:.7g} Hz, {self.width:g} Hz wide{fixed}"

    def numbers(self, fs: float) -> tuple[int, ...]:
        """The harmonics below the Nyquist frequency that it takes out."""
        last = int((fs / 2 - self.width) / self.frequency)
        return tuple(range(1, min(self.teeth, last) + 1))

    def response(self, frequency: Array, fs: float) -> NDArray[np.complex128]:
        """As it is about where the teeth are at each moment."""
        half = self.width / 2
        number = np.clip(np.round(frequency / self.frequency), 1, self.numbers(fs)[-1])
        off = np.abs(frequency - number * self.frequency)
        return np.asarray(1 - smooth((1.25 * half - off) / (0.5 * half)) + 0j)

    def turns(self, fs: float) -> Sequence[float]:
        reach = (-0.625 * self.width, 0.0, 0.625 * self.width)
        return [number * self.frequency + off for number in self.numbers(fs) for off in reach]

    def note(self, fs: float) -> str:
        last = self.numbers(fs)[-1]
        return (
            f"teeth 1 to {last}, up to {last * self.frequency:.5g} Hz; a tone {self.width:.3g} Hz "
            f"beside a tooth stays as it is; settles in {_SETTLES / self.width:.3g} s at each end"
        )

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        if not 0 < self.frequency < fs / 2 - self.width:
            raise refused(
                f"A comb notch at {self.frequency:g} Hz lies outside the record's frequencies",
                f"they end at {fs / 2:g} Hz, the Nyquist frequency",
                "choose a lower fundamental",
            )
        if not 0 < self.width <= self.frequency / 2:
            raise refused(
                f"Teeth {self.width:g} Hz wide leave nothing of a comb of {self.frequency:g} Hz",
                "",
                f"choose a width above 0 and up to {self.frequency / 2:g} Hz",
            )
        if not 1 <= self.teeth <= _MOST:
            raise refused(f"{self.teeth} teeth cannot be taken out", "", f"choose 1 to {_MOST}")
        edge_samples = round(_SETTLES * fs / self.width)
        if 3 * edge_samples >= signal.length:
            raise refused(
                f"Teeth {self.width:g} Hz wide are too narrow for this record",
                f"they need {edge_samples / fs:.3g} s to settle at each end, and there are "
                f"{signal.duration:.3g} s",
                "choose a larger width or a longer record",
            )
        course = TrackCourse(
            fs, signal.length, self.frequency, self.numbers(fs), self.width / 2, not self.fixed
        )
        return replace(
            signal,
            samples=WithoutTeeth(signal.samples, course),
            edge_samples=signal.more_edge_samples(edge_samples, edge_samples),
        )
