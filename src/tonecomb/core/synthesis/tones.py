"""Tones, sweeps and combs of tones."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array
from tonecomb.core.record.truth import KnownLine
from tonecomb.core.synthesis.part import LEVELS, UNIT, Conditions, Part, frequency, peak

LAWS = ("linear", "logarithmic", "quadratic")
MOST_TEETH = 1000  # of a made comb
_WAVES = 8  # sines that a wander is made of


def _amplitude() -> Any:
    return setting("amplitude", "number", 1.0, unit=UNIT, help="rms or peak")


def _level() -> Any:
    return setting("level", "choice", "peak", choices=LEVELS, help="what the amplitude is")


def _passed(angle: Array, f: Array | float, c: Conditions) -> Array:
    """A cosine of this angle, whose frequency at each instant is ``f``, behind the low-pass. Where
    the frequency changes, as if it stood at each."""
    if c.low_pass is None:
        return np.asarray(np.cos(angle))
    gain = c.low_pass.response(f)
    return np.asarray(np.abs(gain) * np.cos(angle + np.angle(gain)))


@dataclass(frozen=True)
class Tone(Part):
    """A cos(2πft + φ)."""

    key: ClassVar[str] = "tone"
    title: ClassVar[str] = "Tone"
    tip: ClassVar[str] = "One frequency that stays"
    says: ClassVar[tuple[str, ...]] = (
        "a tone of",
        "@frequency",
        ",",
        "@amplitude",
        ", phase",
        "@phase",
    )

    frequency: float = frequency("frequency", 61.8, "periods a second")
    amplitude: float = _amplitude()
    level: str = _level()
    phase: float = setting("phase", "number", 0.0, unit="°", help="of a cosine at the start")

    @property
    def name(self) -> str:
        return f"{self.frequency:.6g} Hz"

    def reach(self) -> float:
        return abs(peak(self.amplitude, self.level)) * (1 + self.am / 100)

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        angle = 2 * np.pi * self.frequency * tau + math.radians(self.phase)
        f = self.frequency * self.pace(t) if self.fm else self.frequency
        return peak(self.amplitude, self.level) * _passed(angle, f, c)

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        a = peak(self.amplitude, self.level)
        return self.line(number, c, self.frequency, a, self.phase)


@dataclass(frozen=True)
class Sweep(Part):
    """A cos φ(t) whose frequency goes from one to another, over the time for which it stands."""

    key: ClassVar[str] = "sweep"
    title: ClassVar[str] = "Sweep"
    tip: ClassVar[str] = "One frequency that goes from here to there"
    says: ClassVar[tuple[str, ...]] = (
        "a",
        "@law",
        "sweep from",
        "@first",
        "to",
        "@last",
        ",",
        "@amplitude",
    )

    first: float = frequency("first", 8.0, "its frequency at the start")
    last: float = frequency("last", 24.0, "and at the end")
    law: str = setting("law", "choice", "linear", choices=LAWS, help="how its frequency goes")
    amplitude: float = _amplitude()
    level: str = _level()

    @property
    def name(self) -> str:
        return f"{self.first:.6g}–{self.last:.6g} Hz"

    def reach(self) -> float:
        return abs(peak(self.amplitude, self.level)) * (1 + self.am / 100)

    def turns(self, s: Array, length: float) -> Array:
        """Periods since the start, ``s`` s after it: ∫f dt of f₀ + (f₁ − f₀)s/T,
        f₀ (f₁/f₀)^(s/T), f₀ + (f₁ − f₀)(s/T)²."""
        f0, f1 = self.first, self.last
        if self.law == "logarithmic" and f0 != f1:
            ratio = math.log(f1 / f0)
            return np.asarray(f0 * length / ratio * np.expm1(ratio * s / length))
        power = 2 if self.law == "quadratic" else 1
        return np.asarray(f0 * s + (f1 - f0) * s * (s / length) ** power / (power + 1))

    def rate(self, s: Array, length: float) -> Array:
        """Its frequency, Hz."""
        f0, f1 = self.first, self.last
        if self.law == "logarithmic":
            return np.asarray(f0 * (f1 / f0) ** (s / length))
        return np.asarray(f0 + (f1 - f0) * (s / length) ** (2 if self.law == "quadratic" else 1))

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        length = self.stop(c) - self.start
        # Beyond its ends it is cut off: held there, so that nothing overflows.
        s = np.clip(tau - self.start, 0.0, length)
        f = self.rate(s, length) * self.pace(t) if c.low_pass is not None else 0.0
        a = peak(self.amplitude, self.level)
        return a * _passed(2 * np.pi * self.turns(s, length), f, c)

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        low, high = sorted((self.first, self.last))
        middle = math.sqrt(low * high) if self.law == "logarithmic" else (low + high) / 2
        a = peak(self.amplitude, self.level)
        if low == high:
            return self.line(number, c, low, a, math.nan)
        gain = 1.0 if c.low_pass is None else abs(complex(c.low_pass.response(middle)))
        return [KnownLine(number, self.name, middle, a * gain, math.nan, self.share(c), low, high)]


@dataclass(frozen=True)
class Teeth(Part):
    """Tones at the multiples of a fundamental, each octave lower by ``roll_off`` dB; the
    fundamental wanders about its mean by ``wander`` % (rms), within ``over`` s or so."""

    key: ClassVar[str] = "comb"
    title: ClassVar[str] = "Comb"
    tip: ClassVar[str] = "A fundamental and its harmonics"
    says: ClassVar[tuple[str, ...]] = (
        "a comb of",
        "@count",
        "teeth on",
        "@frequency",
        ", the first",
        "@amplitude",
        ", falling by",
        "@roll_off",
        "an octave, wandering by",
        "@wander",
        "over",
        "@over",
    )

    frequency: float = frequency("frequency", 24.3, "the fundamental")
    count: int = setting("teeth", "whole", 10, help="how many harmonics there are, the first too")
    amplitude: float = _amplitude()
    level: str = _level()
    roll_off: float = setting("roll-off", "number", 6.0, unit="dB", help="an octave")
    wander: float = setting("wander", "number", 0.0, unit="%", help="of the fundamental, rms")
    over: float = setting("over", "number", 5.0, unit="s", help="how slowly it wanders")

    @property
    def name(self) -> str:
        return f"{self.frequency:.6g} Hz comb"

    def check(self, c: Conditions) -> None:
        super().check(c)
        if not 1 <= self.count <= MOST_TEETH:
            raise self.wrong(f"has {self.count} teeth", f"give it 1 to {MOST_TEETH}")
        if not 0 <= self.wander <= 20 or not self.over > 0:
            raise self.wrong(
                f"wanders by {self.wander:g} % over {self.over:g} s",
                "let it wander by 0 to 20 %, over a time above 0 s",
            )

    def size(self, tooth: int) -> float:
        """Peak amplitude of a tooth."""
        a = peak(self.amplitude, self.level)
        return a * 10 ** (-self.roll_off * math.log2(tooth) / 20)

    def reach(self) -> float:
        return sum(abs(self.size(n)) for n in range(1, self.count + 1)) * (1 + self.am / 100)

    def phases(self, c: Conditions) -> Array:
        """Of a cosine at the start, rad, shape (count,): spread, so that the teeth do not add up
        to pulses."""
        return np.asarray(c.random(1).uniform(-np.pi, np.pi, self.count))

    def waves(self, c: Conditions) -> tuple[Array, Array]:
        """Frequencies (Hz) and phases of the sines of which the wander is the sum."""
        random = c.random(2)
        f = random.uniform(0.2, 1.0, _WAVES) / self.over
        return f, random.uniform(-np.pi, np.pi, _WAVES)

    def wandered(self, tau: Array, c: Conditions) -> tuple[Array, Array]:
        """The time by which the phase goes, with the wander, and how fast it goes."""
        if not self.wander:
            return tau, np.ones_like(tau)
        f, phase = self.waves(c)
        size = self.wander / 100 * math.sqrt(2 / _WAVES)
        angle = 2 * np.pi * f * tau[:, None] + phase
        late = ((np.sin(angle) - np.sin(phase)) / (2 * np.pi * f)).sum(axis=1)
        return tau + size * late, 1 + size * np.cos(angle).sum(axis=1)

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        time, pace = self.wandered(tau, c)
        x = np.zeros_like(t)
        for n, phase in enumerate(self.phases(c).tolist(), start=1):
            f = n * self.frequency * pace * self.pace(t) if c.low_pass is not None else 0.0
            x += self.size(n) * _passed(2 * np.pi * n * self.frequency * time + phase, f, c)
        return x

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        lines = []
        for n, phase in enumerate(np.degrees(self.phases(c)).tolist(), start=1):
            f = n * self.frequency
            for one in self.line(
                number, c, f, self.size(n), phase, f"{self.frequency:.6g} Hz ×{n}"
            ):
                if self.wander:
                    off = 2 * self.wander / 100 * f
                    one = KnownLine(
                        number,
                        one.name,
                        one.frequency,
                        one.amplitude,
                        math.nan,
                        one.share,
                        f - off,
                        f + off,
                    )
                lines.append(one)
        return lines
