"""Noise: white, pink or brown, between two frequencies.

Made in segments that overlap by half and fade into each other by sine and cosine, so that power
stays even and any stretch can be had without the rest. What lies beyond half the rate is folded
down with its power, as sampling does it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record import seeded_noise as chance
from tonecomb.core.record.recording import Array
from tonecomb.core.record.truth import KnownNoise
from tonecomb.core.synthesis.part import UNIT, Conditions, Part

SEGMENT = 1 << 16
"""Samples of a segment: slower than this, noise of any colour is as strong as there."""
COLOURS = {"white": 0, "pink": 1, "brown": 2}
"""By how many powers of the frequency the density falls."""
_MOST_FOLDS = 4096  # about half the rate, beyond which nothing is folded back


@dataclass(frozen=True)
class Noise(Part):
    """Gaussian noise. ``amount`` is its rms between ``low`` and ``high`` (0 for half the rate), or
    its density: at 1 Hz where it has a colour."""

    key: ClassVar[str] = "noise"
    title: ClassVar[str] = "Noise"
    tip: ClassVar[str] = "White, pink or brown, of all frequencies or some"
    says: ClassVar[tuple[str, ...]] = (
        "@colour",
        "noise of",
        "@amount",
        "between",
        "@low",
        "and",
        "@high",
    )
    bends: ClassVar[bool] = False
    random: ClassVar[bool] = True

    colour: str = setting("colour", "choice", "white", choices=tuple(COLOURS), help="its slope")
    amount: float = setting("amount", "number", 0.1, unit=UNIT, help="its rms, or its density")
    measure: str = setting(
        "by", "choice", "rms", choices=("rms", "density"), help="what the amount is"
    )
    low: float = setting("low", "number", 0.0, unit="Hz", least=0, help="nothing is below it")
    high: float = setting(
        "high", "number", 0.0, unit="Hz", least=0, help="nor above it; 0 for half the rate"
    )

    @property
    def name(self) -> str:
        return f"{self.colour} noise"

    def figure(self, attribute: str, unit: str) -> str:
        if attribute == "amount":
            density = self.measure == "density"
            return f"{self.amount:.6g} {unit}{'/√Hz' if density else ' rms'}"
        if attribute == "high" and not self.high:
            return "half the rate"
        return super().figure(attribute, unit)

    def check(self, c: Conditions) -> None:
        super().check(c)
        top = self.top(c)
        if self.amount < 0 or not 0 <= self.low < top:
            raise self.wrong(
                f"of {self.amount:g} goes from {self.low:g} to {top:g} Hz",
                "give an amount from 0 on, and limits that rise",
            )
        if top > _MOST_FOLDS * c.rate / 2:
            raise self.wrong(
                f"goes up to {top:g} Hz, which is folded {_MOST_FOLDS} times and more",
                "lower its upper limit, or raise the rate",
            )

    def top(self, c: Conditions) -> float:
        """Its upper limit, Hz."""
        return self.high or c.rate / 2

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        raise NotImplementedError  # it has no value between samples

    def values(self, first: int, t: Array, c: Conditions) -> Array:
        x = self.raster(first, first + len(t), c)
        if self.am:
            x = x * self.swing(t)
        if self.start > 0 or self.end:
            x = np.where((t >= self.start) & (t < self.stop(c)), x, 0.0)
        return x

    def density(self, f: Array, c: Conditions) -> Array:
        """Its one-sided power spectral density before it is sampled, at frequencies (Hz)."""
        lowest = max(self.low, c.rate / SEGMENT)
        shape = np.maximum(f, lowest) ** -float(COLOURS[self.colour])
        shape = np.where((f >= self.low) & (f <= self.top(c)), shape, 0.0)
        return np.asarray(shape * self.size(c))

    def size(self, c: Conditions) -> float:
        """What the shape of its density is multiplied by."""
        if self.measure == "density":
            return self.amount**2
        low, top, least = self.low, self.top(c), max(self.low, c.rate / SEGMENT)
        flat = (least - low) * least ** -float(COLOURS[self.colour])
        slope = {
            "white": lambda: top - least,
            "pink": lambda: math.log(top / least),
            "brown": lambda: 1 / least - 1 / top,
        }[self.colour]()
        return float(self.amount**2 / (flat + slope))

    def sampled(self, f: Array, c: Conditions) -> Array:
        """The density of its samples, with what is folded down, at 0 to half the rate."""
        folds = math.ceil(self.top(c) / (c.rate / 2))
        total = np.zeros_like(f)
        for k in range(folds):
            # Every other zone is turned round.
            place = k * c.rate / 2 + (f if k % 2 == 0 else c.rate / 2 - f)
            power = self.density(place, c)
            if c.low_pass is not None:
                power = power * np.abs(c.low_pass.response(place)) ** 2
            total += power
        return total

    def raster(self, start: int, stop: int, c: Conditions) -> Array:
        """Samples from ``start`` to ``stop`` (not included)."""
        if self.colour == "white" and not self.low and not self.high and c.low_pass is None:
            return self._white(start, stop, c)
        half, x = SEGMENT // 2, np.zeros(stop - start)
        for number in range(start // half - 1, (stop - 1) // half + 1):
            first = number * half
            a, b = max(start, first), min(stop, first + SEGMENT)
            x[a - start : b - start] += self._segment(number, c)[a - first : b - first]
        return x

    def _white(self, start: int, stop: int, c: Conditions) -> Array:
        """Even density up to half the rate: independent samples."""
        rms = math.sqrt(self.size(c) * c.rate / 2)
        return rms * chance.normal((*c.seed, 3), start, stop)

    def _segment(self, number: int, c: Conditions) -> Array:
        """Noise of the wanted density, faded in and out; the one before the first counts too."""
        from scipy.fft import irfft

        size = _sizes(self, Conditions(c.rate, 0.0, c.low_pass))
        drawn = c.random(4, number + 1).standard_normal((2, len(size)))
        bins = size * (drawn[0] + 1j * drawn[1]) / math.sqrt(2)
        bins[0], bins[-1] = size[0] * drawn[0, 0], size[-1] * drawn[0, -1]
        fade = np.sin(np.pi * (np.arange(SEGMENT) + 0.5) / SEGMENT)
        return np.asarray(irfft(bins, SEGMENT) * fade)

    def noises(self, number: int, c: Conditions) -> list[KnownNoise]:
        low, top = self.low, self.top(c)
        f = np.linspace(low, top, 4097)
        f = (f[1:] + f[:-1]) / 2
        power = self.density(f, c)
        if c.low_pass is not None:
            power = power * np.abs(c.low_pass.response(f)) ** 2
        rms = math.sqrt(float(power.mean()) * (top - low) * self.share(c))
        if self.measure == "rms" and c.low_pass is None:
            rms = self.amount * math.sqrt(self.share(c))  # exactly
        return [KnownNoise(number, self.name, low, top, rms)]


@lru_cache(maxsize=32)
def _sizes(part: Noise, c: Conditions) -> Array:
    """Root mean squares of a segment's bins, the same in each."""
    f = np.arange(SEGMENT // 2 + 1) * np.float64(c.rate / SEGMENT)
    # A bin of one-sided density S has E|X|² = S fs N/2; at both ends it is real, and twice.
    size = np.sqrt(part.sampled(f, c) * c.rate * SEGMENT / 2)
    size.flags.writeable = False
    return size
