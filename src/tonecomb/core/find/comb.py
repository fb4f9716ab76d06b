"""A family of tones: its teeth, its figures, and how it is held to the tones that are there."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

REACH = 4.0  # standard deviations within which a tone is taken for a tooth
WANDER = 1.5e-5  # of its frequency that a tooth may be off: no machine runs more evenly
ALIKE = 4e-4  # of a spacing: what differs by less turns with the same shaft, hits that slip too
LONG, ON_TOOTH = 8, 0.1  # teeth, and the share of a spacing, by which a comb goes on beyond them
MAINS = (50.0, 60.0)  # Hz
_MAINS_OFF = 0.003  # of it: no grid is further off


@dataclass(frozen=True)
class Line:
    """A tone as it was read: frequency and its standard deviation in Hz, amplitude, whether its
    frequency stands still, and whether it is a ``broad`` peak and no line."""

    frequency: float
    std: float
    amplitude: float
    still: bool = True
    broad: bool = False


@dataclass(frozen=True)
class Tooth:
    """Tooth ``number`` of a family, expected at ``expected`` (Hz). ``line`` is the number of the
    tone that was found there, None where none was; ``frequency`` and ``amplitude`` are that
    tone's, nan without one."""

    number: int
    expected: float
    line: int | None
    frequency: float
    amplitude: float

    @property
    def found(self) -> bool:
        """Whether a tone is there."""
        return self.line is not None

    @property
    def deviation(self) -> float:
        """How far the tone is from where the tooth should be, in Hz; nan without one."""
        return self.frequency - self.expected


@dataclass(frozen=True)
class Comb:
    """A family. ``spacing`` is the fundamental of harmonics, or the distance of sidebands about
    ``carrier`` (Hz, None for harmonics), whose teeth are numbered from −n to n, 0 the carrier.
    A fundamental that moves over the stretch goes from ``low`` to ``high`` (Hz), None for one
    that stands; ``spacing`` is its mean then."""

    spacing: float
    spacing_std: float
    teeth: tuple[Tooth, ...]
    carrier: float | None = None
    carrier_std: float = 0.0
    name: str = ""
    low: float | None = None
    high: float | None = None

    @property
    def moved(self) -> float:
        """How far the fundamental moves, Hz."""
        return 0.0 if self.low is None or self.high is None else self.high - self.low

    def tooth_name(self, tooth: Tooth) -> str:
        """What a tooth is called: A1 is a harmonic, A−2 and A+1 are sidebands."""
        sign = "+" if self.carrier is not None and tooth.number > 0 else ""
        return f"{self.name}{sign}{tooth.number}".replace("-", "−")

    @property
    def lines(self) -> tuple[int, ...]:
        """Numbers of the tones that belong to it."""
        return tuple(tooth.line for tooth in self.teeth if tooth.line is not None)

    @property
    def power(self) -> float:
        """Sum of the squares of the teeth's amplitudes (rms where those are rms)."""
        return float(sum(tooth.amplitude**2 for tooth in self.teeth if tooth.found))

    @property
    def distortion(self) -> float:
        """Total harmonic distortion: rms of all teeth above the first over the first's, as a
        ratio (IEC 61000-4-7); nan for sidebands, and where the fundamental was not found."""
        first = next((t for t in self.teeth if t.number == 1 and t.found), None)
        if self.carrier is not None or first is None:
            return math.nan
        return math.sqrt(max(self.power - first.amplitude**2, 0.0)) / first.amplitude

    @property
    def modulation(self) -> float:
        """Modulation depth: the sum of the first pair of sidebands over the carrier; nan where
        one of the three is lacking."""
        found = {tooth.number: tooth.amplitude for tooth in self.teeth if tooth.found}
        if self.carrier is None or not {-1, 0, 1} <= set(found):
            return math.nan
        return (found[-1] + found[1]) / found[0]

    def measured_by(self, lines: Sequence[Line]) -> Comb:
        """The same family with the amplitudes that its tones have among ``lines``."""
        teeth = (
            tooth if tooth.line is None else replace(tooth, amplitude=lines[tooth.line].amplitude)
            for tooth in self.teeth
        )
        return replace(self, teeth=tuple(teeth))

    def goes_on_to(self, frequency: float) -> bool:
        """Whether a tone beyond the teeth that were counted is one more of them."""
        turns = (frequency - (self.carrier or 0.0)) / self.spacing
        beyond = abs(turns) > max(abs(tooth.number) for tooth in self.teeth)
        return beyond and len(self.lines) >= LONG and abs(turns - round(turns)) < ON_TOOTH

    def beside_tooth(self, frequency: float) -> bool:
        """Whether a frequency (Hz) is so near to a multiple that it is a part of a tooth, where the
        teeth are many and wide."""
        turns = (frequency - (self.carrier or 0.0)) / self.spacing
        return len(self.lines) >= LONG and abs(turns - round(turns)) < ON_TOOTH

    def place(self, number: int) -> float:
        """Where tooth ``number`` should be, in Hz."""
        return (self.carrier or 0.0) + number * self.spacing


def measured(
    lines: Sequence[Line],
    spacing: float,
    carrier: float | None,
    numbers: Sequence[int],
    reach: float,
    name: str = "",
) -> Comb:
    """The family with teeth ``numbers`` where ``spacing`` and ``carrier`` put them: each takes the
    nearest tone within ``reach`` Hz, if there is one. Nothing is fitted."""
    frequency = np.array([line.frequency for line in lines])
    teeth = []
    for number in numbers:
        expected = (carrier or 0.0) + number * spacing
        near = int(np.argmin(np.abs(frequency - expected))) if len(lines) else -1
        if near < 0 or abs(frequency[near] - expected) > reach:
            teeth.append(Tooth(number, expected, None, math.nan, math.nan))
        else:
            one = lines[near]
            teeth.append(Tooth(number, expected, near, one.frequency, one.amplitude))
    return Comb(spacing, math.nan, tuple(teeth), carrier, math.nan, name)


def snapped(lines: Sequence[Line], comb: Comb, reach: float) -> Comb:
    """The family fitted to the tones its teeth have: the fundamental (or carrier and spacing) by
    weighted least squares, taken again from where that puts the teeth until nothing changes.

    A family none of whose teeth has a tone stays as it is.
    """
    numbers = [tooth.number for tooth in comb.teeth]
    for _ in range(6):
        tooths = [tooth for tooth in comb.teeth if tooth.line is not None]
        if len(tooths) < (1 if comb.carrier is None else 2):
            return comb
        n = np.array([tooth.number for tooth in tooths], dtype=np.float64)
        f = np.array([tooth.frequency for tooth in tooths])
        std = np.array([lines[t.line].std for t in tooths if t.line is not None])
        weights = 1 / np.hypot(std, WANDER * f) ** 2
        columns = [n] if comb.carrier is None else [n, np.ones(len(n))]
        design = np.stack(columns, axis=1)
        inverse = np.linalg.pinv(design.T @ (weights[:, None] * design))
        fitted, stds = inverse @ design.T @ (weights * f), np.sqrt(np.diag(inverse))
        carrier = None if comb.carrier is None else float(fitted[1])
        before = comb.spacing
        comb = measured(lines, float(fitted[0]), carrier, numbers, reach, comb.name)
        comb = replace(
            comb, spacing_std=float(stds[0]), carrier_std=0.0 if carrier is None else float(stds[1])
        )
        if abs(comb.spacing - before) < 1e-12 * before:
            break
    return comb


def inharmonicity(comb: Comb) -> float:
    """How the teeth drift from n·f₀ with their number, as B of f = n·f₀·√(1 + B·n²) (Fletcher,
    J. Acoust. Soc. Am. 36 (1964) 203–209); nan with fewer than four teeth, for sidebands, and for
    a family that moves."""
    tooths = [tooth for tooth in comb.teeth if tooth.found]
    if comb.carrier is not None or comb.low is not None or len(tooths) < 4:
        return math.nan
    n = np.array([tooth.number for tooth in tooths], dtype=np.float64)
    ratio = (np.array([tooth.frequency for tooth in tooths]) / n) ** 2
    slope, level = np.polyfit(n**2, ratio, 1)
    return float(slope / level)


def matching(comb: Comb, combs: Sequence[Comb]) -> str:
    """The name of another family whose fundamental is this one's spacing, "" where there is
    none."""
    for other in combs:
        if other is comb or other.carrier is not None:
            continue
        spread = math.hypot(comb.spacing_std, other.spacing_std)
        if abs(comb.spacing - other.spacing) < max(REACH * spread, ALIKE * comb.spacing):
            return other.name
    return ""


def mains(comb: Comb) -> float | None:
    """50 or 60 where the fundamental is that of the mains, in Hz, else None."""
    near = (hz for hz in MAINS if comb.carrier is None and abs(comb.spacing / hz - 1) < _MAINS_OFF)
    return next(near, None)
