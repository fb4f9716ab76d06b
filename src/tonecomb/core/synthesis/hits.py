"""Hits on a structure, each of which rings its modes and dies away.

A mode struck at t₀ answers with a e^(−ζω(t−t₀)) sin ω_d(t−t₀). All hits before an instant add up to
one complex amplitude a mode, which goes on from hit to hit by S_k = 1 + S_(k−1) e^(p(t_k−t_(k−1))):
however many ring at once, a sample costs one exponential a mode.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.setting import setting
from tonecomb.core.record import seeded_noise as chance
from tonecomb.core.record.recording import Array
from tonecomb.core.record.truth import KnownLine, KnownMode
from tonecomb.core.synthesis.part import Conditions, Part, frequency

MOST_MODES = 16  # that a hit rings
_FADED = 40.0  # nepers after which a hit is gone
_MOST_RINGING = 1_000_000  # samples of one hit
_LEAST, _MOST = 0.05, 60  # of the strongest line, those that are known; and how many
Complex = NDArray[np.complex128]


@dataclass(frozen=True)
class RungMode:
    """``frequency`` (Hz), ``damping`` in %, and the ``amplitude`` to which a hit makes it ring."""

    frequency: float
    damping: float
    amplitude: float = 1.0

    def written(self) -> str:
        """As files and fields have it."""
        return f"{self.frequency:.10g} Hz {self.damping:.10g} % {self.amplitude:.10g}"

    @property
    def pole(self) -> complex:
        """In the s plane, rad/s."""
        w, z = 2 * math.pi * self.frequency, self.damping / 100
        return complex(-z * w, w * math.sqrt(1 - z * z))


def parsed(text: str) -> RungMode:
    """The mode that :meth:`Mode.written` wrote; :class:`ValueError` where it is none."""
    words = text.replace("Hz", " ").replace("%", " ").replace("−", "-").replace(",", " ").split()
    return RungMode(*(float(one) for one in words))


@dataclass(frozen=True)
class Hits(Part):
    """``rate`` hits a second, each up to ``scatter`` % (rms) of their distance early or late."""

    key: ClassVar[str] = "hits"
    title: ClassVar[str] = "Decaying hits"
    tip: ClassVar[str] = "Hits that ring resonances"
    says: ClassVar[tuple[str, ...]] = (
        "hits at",
        "@rate",
        ", scattered by",
        "@scatter",
        ", each ringing",
        "@rung",
    )

    rate: float = frequency("rate", 2.0, "hits a second")
    scatter: float = setting("scatter", "number", 0.0, unit="%", help="of their distance, rms")
    rung: tuple[RungMode, ...] = setting(
        "modes", "modes", (RungMode(143.0, 1.5),), help="frequency, damping and amplitude of each"
    )

    @property
    def name(self) -> str:
        return f"{self.rate:.6g} Hz hits"

    def figure(self, attribute: str, unit: str) -> str:
        if attribute == "rung":
            return " and ".join(
                f"{one.frequency:.6g} Hz (damping {one.damping:.4g} %, {one.amplitude:.4g} {unit})"
                for one in self.rung
            )
        return super().figure(attribute, unit)

    def check(self, c: Conditions) -> None:
        super().check(c)
        if not 0 <= self.scatter <= 20:
            raise self.wrong(f"scatters by {self.scatter:g} %", "give 0 to 20 %")
        if not 1 <= len(self.rung) <= MOST_MODES:
            raise self.wrong(f"ring {len(self.rung)} modes", f"give 1 to {MOST_MODES}")
        for one in self.rung:
            if not (0 < one.frequency <= 1e12 and 0 < one.damping < 100):
                raise self.wrong(
                    f"ring a mode at {one.frequency:g} Hz with {one.damping:g} % of damping",
                    "give a frequency above 0 Hz and a damping of more than 0 and less than 100 %",
                )
        if self._reach(c) * self.rate > _MOST_RINGING:
            raise self.wrong("follow so fast that too many ring at once", "slow them down")

    def reach(self) -> float:
        return sum(abs(one.amplitude) for one in self.rung)

    def _reach(self, c: Conditions) -> float:
        """For how long a hit rings, s."""
        return _FADED / min(-p.real for p, _ in self._rings(c))

    def _rings(self, c: Conditions) -> list[tuple[complex, complex]]:
        """Poles, and what a hit excites of each: the modes', and the low-pass's where there is
        one. H(s)/(s − p) in partial fractions."""
        told = []
        for one in self.rung:
            p = one.pole
            if c.low_pass is None:
                told.append((p, complex(one.amplitude)))
                continue
            told.append((p, one.amplitude * complex(c.low_pass.at(np.array(p)))))
            for q, r in zip(c.low_pass.poles, c.low_pass.residues, strict=True):
                told.append((complex(q), one.amplitude * complex(r / (q - p))))
        return told

    def onsets(self, first: float, stop: float, c: Conditions) -> Array:
        """When it hits, from ``first`` s on and before ``stop`` s, rising."""
        late = self.fm / 100 / (2 * math.pi * self.fm_rate) + 10 * self.scatter / 100 / self.rate
        low = max(0, math.floor((first - self.start - late) * self.rate) - 1)
        high = math.ceil((stop - self.start + late) * self.rate) + 1
        numbers = np.arange(low, max(high, low))
        times = self.start + (numbers + self._chance(low, high, c)) / self.rate
        if self.fm:
            wanted, bend = times.copy(), self.fm / 100 / (2 * np.pi * self.fm_rate)
            w, begin = 2 * np.pi * self.fm_rate, self.start
            for _ in range(60):  # Newton's steps to the time at which its phase is there
                now = times + bend * (np.sin(w * times) - math.sin(w * begin)) - wanted
                times = times - now / (1 + self.fm / 100 * np.cos(w * times))
        times = np.sort(times)
        stop = min(stop, self.stop(c))
        return times[(times >= max(first, self.start)) & (times < stop)]

    def _chance(self, low: int, high: int, c: Conditions) -> Array:
        """By how much of their distance hits ``low`` to ``high`` come late."""
        if not self.scatter:
            return np.zeros(max(high - low, 0))
        return self.scatter / 100 * chance.normal((*c.seed, 5), low, high)

    def values(self, first: int, t: Array, c: Conditions) -> Array:
        x, order = np.zeros(len(t)), np.argsort(t, kind="stable")
        times = t[order]
        onsets = self.onsets(float(times[0]) - self._reach(c), float(times[-1]) + 1 / c.rate, c)
        if not len(onsets):
            return x
        last = np.searchsorted(onsets, times, side="right") - 1
        begun = max(int(last[0]), 0)
        rung = last >= 0
        since = times[rung] - onsets[last[rung]]
        total = np.zeros(int(rung.sum()))
        for pole, size in self._rings(c):
            ringing = _ringing(onsets, begun, pole)
            total += np.imag(size * ringing[last[rung] - begun] * np.exp(pole * since))
        values = np.zeros(len(t))
        values[rung] = total
        x[order] = values
        return x * self.swing(t) if self.am else x

    def modes(self, number: int) -> list[KnownMode]:
        return [
            KnownMode(number, f"{one.frequency:.6g} Hz mode", one.frequency, one.damping / 100)
            for one in self.rung
        ]

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        """Lines at the multiples of the rate, where the hits come evenly."""
        if self.scatter or c.duration * self.rate < 4:
            return []
        top = max(one.frequency for one in self.rung)
        n = np.arange(1, min(math.ceil(2 * top / self.rate) + 8, 100_000))
        s = 2j * np.pi * n * self.rate
        # Im a e^(pt) has the transform a ω_d / ((s − p)(s − p*)).
        spectrum = sum(
            one.amplitude * one.pole.imag / ((s - one.pole) * (s - one.pole.conjugate()))
            for one in self.rung
        )
        sizes = 2 * self.rate * np.abs(spectrum)
        strongest = n[np.argsort(-sizes, kind="stable")[:_MOST]]
        lines: list[KnownLine] = []
        for k in sorted(strongest.tolist()):
            if sizes[k - 1] >= _LEAST * sizes.max():
                phase = math.degrees(np.angle(np.asarray(spectrum)[k - 1]))
                phase -= 360 * k * self.rate * self.start
                lines += self.line(
                    number, c, k * self.rate, float(sizes[k - 1]), phase, f"{self.name} ×{k}"
                )
        return lines


def _ringing(onsets: Array, begun: int, pole: complex) -> Complex:
    """The sum of all hits so far, at each hit from number ``begun`` on."""
    before = onsets[: begun + 1]
    total = complex(np.exp(pole * (before[-1] - before)).sum())
    made = [total]
    for gone in np.diff(onsets[begun:]).tolist():
        total = 1 + total * complex(np.exp(pole * gone))
        made.append(total)
    return np.array(made)
