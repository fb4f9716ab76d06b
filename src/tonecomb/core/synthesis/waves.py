"""Waves of straight pieces: square, triangle, pulses. Also behind the low-pass in closed form.

Behind a filter with H(s) = Σ r/(s − p) and H(0) = 1, a periodic wave is itself plus what each of
its steps and bends left behind in every period before: a jump J adds J Σ (r/p) e^(pv)/(1 − e^(pT)),
v s after it, a change S of slope S Σ (r/p²) e^(pv)/(1 − e^(pT)); and a slope comes late by
Σ r/p² (Oppenheim and Willsky, Signals and Systems, 9.7, step responses summed as a geometric
series).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array
from tonecomb.core.record.truth import KnownLine
from tonecomb.core.synthesis.part import UNIT, Conditions, Part, frequency

_LEAST, _MOST = 0.01, 60  # of the strongest harmonic, those that are known; and how many
_PHASE = "of its fundamental, a cosine at the start"


@dataclass(frozen=True)
class Wave(Part):
    """A shape over a period, ``high`` about the middle of which it is symmetrical."""

    frequency: float = frequency("frequency", 10.0, "periods a second")
    amplitude: float = setting("amplitude", "number", 1.0, unit=UNIT, help="from zero to its top")

    @property
    def angle(self) -> float:
        """The phase of its fundamental, degrees."""
        return 0.0

    def reach(self) -> float:
        return abs(self.amplitude) * (1 + self.am / 100)

    def shape(self, u: Array) -> Array:
        """Its value, ``u`` periods (0 to 1) after its top's middle."""
        raise NotImplementedError

    def jumps(self) -> list[tuple[float, float]]:
        """Where in the period it jumps, and by how much."""
        return []

    def slopes(self) -> list[tuple[float, float]]:
        """Where in the period its slope (a period) changes, and by how much."""
        return []

    def slope(self, u: Array) -> Array:
        """Its slope, a period."""
        return np.zeros_like(u)

    def harmonic(self, n: int) -> float:
        """Amplitude of a harmonic's cosine about the top's middle."""
        raise NotImplementedError

    @property
    def name(self) -> str:
        return f"{self.frequency:.6g} Hz {self.title.lower()}"

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        u = (self.frequency * tau + self.angle / 360) % 1.0
        x = self.shape(u)
        if c.low_pass is None:
            return x
        period = 1 / (self.frequency * self.pace(t))
        late = 0j
        for p, r in zip(c.low_pass.poles, c.low_pass.residues, strict=True):
            past = 1 / -np.expm1(p * period)
            for place, jump in self.jumps():
                late = late + jump * r / p * np.exp(p * ((u - place) % 1.0) * period) * past
            for place, bend in self.slopes():
                turned = np.exp(p * ((u - place) % 1.0) * period) * past
                late = late + bend / period * r / p**2 * turned
        delay = float(np.sum(c.low_pass.residues / c.low_pass.poles**2).real)
        return np.asarray(x + np.real(late) - delay * self.slope(u) / period)

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        lines: list[KnownLine] = []
        for n in range(1, 10 * _MOST):
            size = self.harmonic(n)
            if not size:
                continue
            phase = n * self.angle + (180.0 if size < 0 else 0.0)
            lines += self.line(
                number,
                c,
                n * self.frequency,
                abs(size),
                phase,
                f"{self.name} ×{n}" if n > 1 else "",
            )
        least = _LEAST * max((one.amplitude for one in lines), default=0.0)
        return [one for one in lines if one.amplitude >= least][:_MOST]


@dataclass(frozen=True)
class Square(Wave):
    """High for ``duty`` % of each period, and as far below zero for the rest."""

    key: ClassVar[str] = "square"
    title: ClassVar[str] = "Square wave"
    tip: ClassVar[str] = "Up and down at once: odd harmonics, each so many times lower"
    says: ClassVar[tuple[str, ...]] = (
        "a square wave of",
        "@frequency",
        ",",
        "@amplitude",
        ", high for",
        "@duty",
        ", phase",
        "@phase",
    )

    duty: float = setting("duty", "number", 50.0, unit="%", help="of a period that it is high")
    phase: float = setting("phase", "number", 0.0, unit="°", help=_PHASE)

    def check(self, c: Conditions) -> None:
        super().check(c)
        if not 0 < self.duty < 100:
            raise self.wrong(f"is high for {self.duty:g} % of a period", "give 1 to 99 %")

    @property
    def angle(self) -> float:
        return self.phase

    def shape(self, u: Array) -> Array:
        half = self.duty / 200
        return np.where((u < half) | (u >= 1 - half), self.amplitude, -self.amplitude)

    def jumps(self) -> list[tuple[float, float]]:
        half = self.duty / 200
        return [(half, -2 * self.amplitude), (1 - half, 2 * self.amplitude)]

    def harmonic(self, n: int) -> float:
        return 4 * self.amplitude / (math.pi * n) * math.sin(math.pi * n * self.duty / 100)


@dataclass(frozen=True)
class Pulses(Wave):
    """Upright pulses over zero."""

    key: ClassVar[str] = "pulses"
    title: ClassVar[str] = "Pulse train"
    tip: ClassVar[str] = "Short pulses: all harmonics, alike until far up"
    says: ClassVar[tuple[str, ...]] = (
        "pulses at",
        "@frequency",
        ",",
        "@width",
        "wide, of",
        "@amplitude",
    )

    width: float = setting("width", "number", 5.0, unit="ms", help="how long a pulse lasts")

    def check(self, c: Conditions) -> None:
        super().check(c)
        if not 0 < self.duty < 1:
            raise self.wrong(
                f"has pulses of {self.width:g} ms, {1000 / self.frequency:g} ms apart",
                "make them shorter than their distance",
            )

    @property
    def duty(self) -> float:
        """Of a period that a pulse lasts, 0 to 1."""
        return self.width / 1000 * self.frequency

    def shape(self, u: Array) -> Array:
        half = self.duty / 2
        return np.where((u < half) | (u >= 1 - half), self.amplitude, 0.0)

    def jumps(self) -> list[tuple[float, float]]:
        return [(self.duty / 2, -self.amplitude), (1 - self.duty / 2, self.amplitude)]

    def harmonic(self, n: int) -> float:
        return 2 * self.amplitude / (math.pi * n) * math.sin(math.pi * n * self.duty)


@dataclass(frozen=True)
class Triangle(Wave):
    """Straight up and straight down."""

    key: ClassVar[str] = "triangle"
    title: ClassVar[str] = "Triangle wave"
    tip: ClassVar[str] = "Straight up and down: odd harmonics that fall fast"
    says: ClassVar[tuple[str, ...]] = (
        "a triangle wave of",
        "@frequency",
        ",",
        "@amplitude",
        ", phase",
        "@phase",
    )

    phase: float = setting("phase", "number", 0.0, unit="°", help=_PHASE)

    @property
    def angle(self) -> float:
        return self.phase

    def shape(self, u: Array) -> Array:
        return self.amplitude * (np.abs(4 * u - 2) - 1)

    def slope(self, u: Array) -> Array:
        return np.where(u < 0.5, -4 * self.amplitude, 4 * self.amplitude)

    def slopes(self) -> list[tuple[float, float]]:
        return [(0.0, -8 * self.amplitude), (0.5, 8 * self.amplitude)]

    def harmonic(self, n: int) -> float:
        return 8 * self.amplitude / (math.pi * n) ** 2 if n % 2 else 0.0
