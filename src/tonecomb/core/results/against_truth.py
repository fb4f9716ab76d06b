"""What was read of a recording held against what is known to be in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.find.peaks import Peak
from tonecomb.core.record.truth import KnownLine, KnownNoise, Truth, folded, turned
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.remove import RemoveDrift, RemoveLine, RemoveMean
from tonecomb.core.steps.step import Step

_GONE = 1e-3  # of an amplitude, that filters leave: it is not looked for
_STANDS = 4.0  # times the noise in a bin, that a line stands at least
_ALONE = 0.02  # of a line: what lies so close to it and is stronger than that makes one with it
_TOGETHER = "in one line with"
NAN = math.nan


@dataclass(frozen=True)
class Compared:
    """A line, a mode or a noise of part number ``part``: the ``frequency`` that was put in, where
    it ``shows`` (Hz; nan for nowhere), its ``amplitude`` in the analysis's level and unit and its
    ``phase`` (degrees, of a cosine at the stretch's start; nan where not known); and the same as
    read, with standard deviations (nan where it was not found). Of a mode ``damping`` stands for
    amplitude, of noise the rms. ``note`` says why there is no figure, or what it means; a line that
    moves goes from ``low`` to ``high``."""

    part: int
    name: str
    frequency: float
    shows: float
    amplitude: float
    phase: float = NAN
    read: float = NAN
    read_std: float = NAN
    read_amplitude: float = NAN
    read_amplitude_std: float = NAN
    read_phase: float = NAN
    read_phase_std: float = NAN
    kind: str = "line"
    note: str = ""
    low: float = 0.0
    high: float = 0.0

    @property
    def is_folded(self) -> bool:
        """Whether it shows where it is not."""
        return self.kind == "line" and not math.isclose(self.shows, self.frequency, rel_tol=1e-9)

    @property
    def off(self) -> float:
        """Of the frequency, in standard deviations; nan where two lines make one."""
        if self.note.startswith(_TOGETHER) or not self.read_std > 0:
            return NAN
        return (self.read - self.shows) / self.read_std

    @property
    def amplitude_off(self) -> float:
        """Of the amplitude, in standard deviations; nan where two lines make one."""
        if self.note.startswith(_TOGETHER) or not self.read_amplitude_std > 0:
            return NAN
        return (self.read_amplitude - self.amplitude) / self.read_amplitude_std

    @property
    def phase_off(self) -> float:
        """Of the phase, in degrees from −180 to 180."""
        return (self.read_phase - self.phase + 180) % 360 - 180


def compared(analysis: Analysis) -> tuple[Compared, ...]:
    """Everything that is known, in the order of the parts; nothing where nothing is."""
    truth = analysis.truth
    if truth is None:
        return ()
    expected = [(one, _expected(one, truth, analysis)) for one in truth.lines]
    compareds = _read(expected, analysis)
    compareds += [
        _mode(one.part, one.name, one.frequency, one.damping, analysis) for one in truth.modes
    ]
    compareds += [_noise(one, truth, analysis) for one in truth.noises]
    return tuple(sorted(compareds, key=lambda one: one.part))


def shows(frequency: float, truth: Truth, steps: Sequence[Step], fs: float) -> float:
    """Where a tone shows (Hz) in samples that were taken as they were, and maybe taken anew; nan
    for nowhere."""
    place = folded(frequency, truth.rate)
    for step in steps:
        if isinstance(step, AsSampled) and not step.off:
            if place > step.rate / 2 and not step.no_filter:
                return NAN
            place = folded(place, step.rate)
    return place if place <= fs / 2 * (1 + 1e-9) else NAN


def _gain(frequency: float, analysis: Analysis) -> complex:
    """What the chain's filters make of a tone; nan where a step does what is not known."""
    total = 1.0 + 0.0j
    for step in analysis.method.source.steps:
        if step.off or isinstance(step, (Keep, RemoveMean, RemoveLine, RemoveDrift)):
            continue
        gain = step.response(np.array([frequency]), analysis.fs)
        if gain is not None:
            total *= complex(gain[0])
        elif not isinstance(step, AsSampled) and not step.adds:
            return complex(NAN, NAN)
    return total


def _begun(steps: Sequence[Step]) -> float:
    """By how much times in the signal are later in the recording, s."""
    return sum(step.start for step in steps if isinstance(step, Keep) and not step.off)


def _expected(line: KnownLine, truth: Truth, a: Analysis) -> Compared:
    source = a.method.source
    place = shows(line.frequency, truth, source.steps, a.fs)
    start = (source.stretch.start if source.stretch else 0.0) + _begun(source.steps)
    amplitude, phase, note = NAN, NAN, ""
    if not math.isnan(place):
        gain = _gain(place, a)
        level = LEVEL_FACTORS[a.method.shown.level] / LEVEL_FACTORS["peak"]
        amplitude = line.amplitude * abs(gain) * float(a.gain(np.array([place]))[0]) * level
        turn = -line.phase if turned(line.frequency, truth.rate) else line.phase
        phase = turn + 360 * place * start + math.degrees(np.angle(gain)) - 90 * a.order
        phase = (phase + 180) % 360 - 180
    if math.isnan(place) or amplitude < _GONE * line.amplitude * (0 if a.order else 1):
        note = "taken out"
    elif line.moves:
        note, phase = "moves", NAN
    elif line.share < 1:
        note = "comes and goes"
    if any(isinstance(step, AsSampled) and step.no_filter for step in source.steps):
        phase = NAN
    return Compared(
        line.part,
        line.name,
        line.frequency,
        place,
        amplitude,
        phase,
        note=note,
        low=line.low,
        high=line.high,
    )


def _read(expected: list[tuple[KnownLine, Compared]], a: Analysis) -> list[Compared]:
    """The lines with what was read there: each peak belongs to one line, the strongest first."""
    free = list(a.peaks or ())
    order = sorted(
        range(len(expected)), key=lambda i: -np.nan_to_num(expected[i][1].amplitude, nan=-1)
    )
    told: dict[int, Compared] = {}
    apart, taken = a.resolution.separable_hz, list[Compared]()
    for i in order:
        line, one = expected[i]
        if one.note == "taken out":
            told[i] = one
            continue
        near = next(
            (
                other
                for other in taken
                if abs(other.shows - one.shows) < apart and not line.moves and other.note != "moves"
            ),
            None,
        )
        peak = _nearest(line, one, free, apart)
        if near is not None and (peak is None or abs(near.shows - one.shows) < apart / 2):
            told[i] = replace(one, note=f"{_TOGETHER} {near.name}")
            if one.amplitude > _ALONE * near.amplitude:
                j = next(j for j in told if told[j] is near)
                told[j] = replace(near, note=near.note or f"{_TOGETHER} {one.name}")
                taken[taken.index(near)] = told[j]
            continue
        if peak is None:
            told[i] = replace(one, note=one.note or _missed(one, a))
            continue
        free.remove(peak)
        told[i] = _with(one, peak, a)
        taken.append(told[i])
    return [told[i] for i in range(len(expected))]


def _nearest(line: KnownLine, one: Compared, free: list[Peak], apart: float) -> Peak | None:
    """The peak that may be a line's."""
    if line.moves and not one.is_folded:
        within = [
            peak for peak in free if line.low - apart <= peak.tone.frequency <= line.high + apart
        ]
        return max(within, key=lambda peak: peak.level, default=None)
    near = [peak for peak in free if abs(peak.tone.frequency - one.shows) < apart / 2]
    return min(near, key=lambda peak: abs(peak.tone.frequency - one.shows), default=None)


def _missed(one: Compared, a: Analysis) -> str:
    """Why a line was not read."""
    if a.floor is not None:
        level = LEVEL_FACTORS["rms"] / LEVEL_FACTORS[a.method.shown.level]
        at = min(round(one.shows / a.spectrum.bin_hz), len(a.floor) - 1)
        if (one.amplitude * level) ** 2 < _STANDS * a.floor[at]:
            return "below the noise"
    return "not listed: lower than the search goes"


def _with(one: Compared, peak: Peak, a: Analysis) -> Compared:
    tone, (amplitude, std) = peak.tone, a.amplitude(peak)
    if one.note == "comes and goes" and tone.amplitude > 0:
        size = a.present(peak) / tone.amplitude
        amplitude, std = amplitude * size, std * size
    moves = one.note == "moves"
    return replace(
        one,
        read=tone.frequency,
        read_std=NAN if moves else tone.frequency_std,
        read_amplitude=amplitude,
        read_amplitude_std=NAN if moves else std,
        read_phase=tone.phase_deg,
        read_phase_std=tone.phase_std_deg,
    )


def _mode(part: int, name: str, frequency: float, damping: float, a: Analysis) -> Compared:
    """A mode beside the resonance that was read nearest to it."""
    one = Compared(part, name, frequency, frequency, damping, kind="mode")
    if frequency > a.fs / 2:
        return replace(one, shows=NAN, note="above half the rate")
    reach = max(2 * damping * frequency, a.resolution.separable_hz)
    near = [r for r in a.resonances if abs(r.frequency - frequency) < reach]
    if not near:
        return replace(one, note="not fitted")
    r = min(near, key=lambda r: abs(r.frequency - frequency))
    return replace(
        one,
        read=r.frequency,
        read_std=r.frequency_std,
        read_amplitude=r.damping,
        read_amplitude_std=r.damping_std,
    )


def _noise(noise: KnownNoise, truth: Truth, a: Analysis) -> Compared:
    """Noise beside the floor between its limits; what is folded down counts where it shows."""
    nyquist = a.fs / 2
    one = Compared(noise.part, noise.name, noise.high, NAN, noise.rms, kind="noise")
    spread = truth.modes or any(line.moves for line in truth.lines)
    if len(truth.noises) > 1 or spread:
        return replace(one, note="not read apart from the rest")
    steps = [step for step in a.method.source.steps if not step.off]
    plain = all(isinstance(step, (Keep, RemoveMean, RemoveLine)) for step in steps)
    if a.floor is None or a.order or not plain:
        return replace(one, note="not read")
    f = a.spectrum.frequency
    low, high = (noise.low, noise.high) if noise.high <= nyquist else (0.0, nyquist)
    inside = (f >= low) & (f <= high)
    # The floor is the mean square a bin, of noise through the window's bandwidth.
    power = float(a.floor[inside].sum()) * a.spectrum.bin_hz / a.resolution.enbw_hz
    return (
        replace(one, read_amplitude=math.sqrt(power))
        if power > 0
        else replace(one, note="not read")
    )
