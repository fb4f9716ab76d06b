"""Filters that keep or take out a range of frequencies, on every channel."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, cast

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.runs import spans_of
from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.recursive import Filtered
from tonecomb.core.steps.sections import (
    FAMILIES,
    Design,
    Family,
    Sections,
    Shape,
    designed,
    notch,
    refused,
)
from tonecomb.core.steps.step import Step, rounded

SPOILED = 1e-3
"""What is left of the ends, of where the record stood before, when they count as settled."""
# Gains that the edges of a range are told by: −3 and −40 dB
_PASSED, _STOPPED = 10 ** (-3.02 / 20), 10 ** (-39.99 / 20)
_GRID = 4001  # frequencies at which a response is looked at
_RIPPLED = ("chebyshev-1", "elliptic")  # families with ripple in the pass band
_DOWN = ("chebyshev-2", "elliptic")  # families whose edge is that of the stop band
_FAMILY = setting(
    "family",
    "choice",
    "butterworth",
    choices=tuple(FAMILIES),
    help="Butterworth: flat. Chebyshev I, elliptic: steeper, the pass band ripples. Chebyshev II: "
    "the stop band does. Bessel: keeps the shape of pulses",
)
_ORDER = setting("order", "whole", 4, help="how steep it is: 20 dB a decade each")
_CAUSAL = setting("causal", "flag", False, help="as a circuit would: what comes out is late")
_RIPPLE = setting(
    "ripple", "number", 0.5, unit="dB", help="of the pass band: Chebyshev I, elliptic"
)
_ATTENUATION = setting(
    "attenuation", "number", 60.0, unit="dB", help="of the stop band: Chebyshev II, elliptic"
)


@dataclass(frozen=True)
class Filter(Step):
    """What all filters share: ``sections`` run over every channel."""

    takes: ClassVar[bool] = True

    @abstractmethod
    def sections(self, fs: float) -> Sections:
        """The filter at this sample rate; :class:`UserError` where it cannot be."""

    @property
    @abstractmethod
    def edges(self) -> tuple[float, ...]:
        """Its edges, Hz."""

    @property
    @abstractmethod
    def lowest(self) -> float:
        """The frequency whose half period tells where an end of the record stands, Hz."""

    @abstractmethod
    def with_edge(self, number: int, frequency: float) -> Filter:
        """The same with one of its edges elsewhere, Hz."""

    def edge_samples(self, fs: float) -> tuple[int, int]:
        """Samples at the record's start and end that its settling spoils."""
        sections = self.sections(fs)
        count = sections.settled(SPOILED)
        return count, count if sections.zero_phase else 0

    def response(self, frequency: Array, fs: float) -> NDArray[np.complex128]:
        return self.sections(fs).response(frequency, fs)

    def turns(self, fs: float) -> Sequence[float]:
        return self.edges

    def note(self, fs: float) -> str:
        """Where it passes and stops, and how long it takes to settle."""
        sections, (first, last) = self.sections(fs), self.edge_samples(fs)
        f = np.concatenate(
            [
                np.linspace(0, fs / 2, _GRID)[1:-1],
                *(
                    edge + np.linspace(-1, 1, _GRID) * min(edge, fs / 2 - edge)
                    for edge in self.edges
                ),
            ]
        )
        f = np.unique(f[(f > 0) & (f < fs / 2)])
        gain = np.abs(sections.response(f, fs))
        passed, stopped = (_ranges(f, one) for one in (gain >= _PASSED, gain <= _STOPPED))
        parts = [f"−3 dB or less from {passed}"] if passed else []
        parts += [f"−40 dB or more from {stopped}"] if stopped else ["nowhere 40 dB down"]
        ends = "each end" if last else "its start"
        return f"{', '.join(parts)}; settles in {first / fs:.3g} s at {ends}"

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        sections, (first, last) = self.sections(fs), self.edge_samples(fs)
        if first + last >= signal.length:
            raise refused(
                f"The {self.title.lower()} is too narrow for this record",
                f"it needs {first / fs:.3g} s to settle{' at each end' if last else ''}, and there "
                f"are {signal.duration:.3g} s",
                "choose a wider one or a longer record",
            )
        level = max(1, round(0.5 * fs / self.lowest))
        return replace(
            signal,
            samples=Filtered(signal.samples, signal.length, sections, level),
            edge_samples=signal.more_edge_samples(first, last),
        )


def _ranges(frequency: Array, inside: NDArray[np.bool_]) -> str:
    """Where a rising grid of frequencies is ``inside``, in words."""
    last = len(frequency) - 1
    lines = []
    for first, stop in spans_of(inside):
        low = "0" if first == 0 else f"{frequency[first]:.4g}"
        high = "on" if stop > last else f"to {frequency[stop - 1]:.4g}"
        lines.append(f"{low} Hz on" if stop > last else f"{low} {high} Hz")
    return " and ".join(lines)


class _Shaped(Filter):
    """A filter with edges and a family. What follows are fields of those that are made of it."""

    shape: ClassVar[Shape]

    order: int
    family: str
    causal: bool
    ripple: float
    attenuation: float

    def _said(self) -> str:
        words = f", {FAMILIES[cast(Family, self.family)]} {self.order}"
        if self.family in _RIPPLED:
            words += f", ripple {self.ripple:g} dB"
        if self.family in _DOWN:
            words += f", {self.attenuation:g} dB down"
        if words == ", Butterworth 4":
            words = ""
        return words + (", causal" if self.causal else "")

    def applies(self, attribute: str) -> bool:
        families = {"ripple": _RIPPLED, "attenuation": _DOWN}
        return self.family in families.get(attribute, (self.family,))

    @property
    def lowest(self) -> float:
        return self.edges[0]

    def sections(self, fs: float) -> Sections:
        design = Design(
            self.shape,
            self.edges,
            self.order,
            cast(Family, self.family),
            self.ripple,
            self.attenuation,
            not self.causal,
        )
        return designed(design, fs)


@dataclass(frozen=True)
class _OneEdge(_Shaped):
    edge: float = setting("edge", "number", unit="Hz", help="where it is 3 dB down")
    order: int = _ORDER
    family: str = _FAMILY
    causal: bool = _CAUSAL
    ripple: float = _RIPPLE
    attenuation: float = _ATTENUATION

    @property
    def edges(self) -> tuple[float, ...]:
        return (self.edge,)

    def with_edge(self, number: int, frequency: float) -> Filter:
        return replace(self, edge=frequency)

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        high, low = signal.rate / 8, max(signal.rate / 2000, 40 / signal.duration)
        return {"edge": rounded(high if cls.shape == "lowpass" else min(low, high))}

    def words(self, names: Sequence[str]) -> str:
        return f"{self.title.lower()} {self.edge:g} Hz{self._said()}"


@dataclass(frozen=True)
class LowPass(_OneEdge):
    """What lies below ``edge`` (Hz) stays."""

    key: ClassVar[str] = "low-pass"
    title: ClassVar[str] = "Low-pass"
    tip: ClassVar[str] = "Keep what is slower than an edge"
    shape: ClassVar[Shape] = "lowpass"


@dataclass(frozen=True)
class HighPass(_OneEdge):
    """What lies above ``edge`` (Hz) stays."""

    key: ClassVar[str] = "high-pass"
    title: ClassVar[str] = "High-pass"
    tip: ClassVar[str] = "Keep what is faster than an edge"
    shape: ClassVar[Shape] = "highpass"


@dataclass(frozen=True)
class _TwoEdges(_Shaped):
    low: float = setting("low", "number", unit="Hz", help="its lower edge")
    high: float = setting("high", "number", unit="Hz", help="its upper edge")
    order: int = _ORDER
    family: str = _FAMILY
    causal: bool = _CAUSAL
    ripple: float = _RIPPLE
    attenuation: float = _ATTENUATION

    @property
    def edges(self) -> tuple[float, ...]:
        return self.low, self.high

    def with_edge(self, number: int, frequency: float) -> Filter:
        if number:
            return replace(self, high=frequency)
        return replace(self, low=frequency)

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"low": rounded(signal.rate / 20), "high": rounded(signal.rate / 5)}

    def words(self, names: Sequence[str]) -> str:
        return f"{self.title.lower()} {self.low:g}–{self.high:g} Hz{self._said()}"


@dataclass(frozen=True)
class BandPass(_TwoEdges):
    """What lies from ``low`` to ``high`` (Hz) stays."""

    key: ClassVar[str] = "band-pass"
    title: ClassVar[str] = "Band-pass"
    tip: ClassVar[str] = "Keep what lies between two edges"
    shape: ClassVar[Shape] = "bandpass"


@dataclass(frozen=True)
class BandStop(_TwoEdges):
    """What lies from ``low`` to ``high`` (Hz) goes."""

    key: ClassVar[str] = "band-stop"
    title: ClassVar[str] = "Band-stop"
    tip: ClassVar[str] = "Take out what lies between two edges"
    shape: ClassVar[Shape] = "bandstop"


@dataclass(frozen=True)
class Notch(Filter):
    """One ``frequency`` (Hz) goes, with what lies ``width``/2 beside it."""

    key: ClassVar[str] = "notch"
    title: ClassVar[str] = "Notch"
    tip: ClassVar[str] = "Take one frequency out, and hardly anything beside it"

    frequency: float = setting("frequency", "number", unit="Hz", help="what goes")
    width: float = setting("width", "number", 1.0, unit="Hz", help="between its points 3 dB down")
    causal: bool = _CAUSAL

    @property
    def edges(self) -> tuple[float, ...]:
        return (self.frequency,)

    @property
    def lowest(self) -> float:
        return self.frequency

    def with_edge(self, number: int, frequency: float) -> Filter:
        return replace(self, frequency=frequency)

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        width = max(1.0, rounded(16 / signal.duration))
        mains = 50.0 if 50.0 + width < signal.rate / 2 else rounded(signal.rate / 8)
        return {"frequency": mains, "width": min(width, rounded(mains))}

    def words(self, names: Sequence[str]) -> str:
        late = ", causal" if self.causal else ""
        return f"notch {self.frequency:g} Hz, {self.width:g} Hz wide{late}"

    def sections(self, fs: float) -> Sections:
        return notch(self.frequency, self.width, not self.causal, fs)
