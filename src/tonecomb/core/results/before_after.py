"""What the steps that take something out have taken: before, after, and the difference."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.pyramid import WaveformEnvelope, build, envelope_of
from tonecomb.core.record.recording import Array, Recording, Samples, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step

CHANGED_DB = 0.1
"""A peak whose level changes by more is told."""
_COLUMNS = 1600  # of the waveforms that are drawn
_GONE_DB = 300.0  # that stand for nothing left
_STANDS = 4.0  # times the noise, that a line too low to be listed stands at least


@dataclass(frozen=True)
class Change:
    """A peak of before: its ``frequency`` (Hz), its amplitude ``before`` in the method's level and
    unit, by how many dB its level changed, and the ``name`` of the comb whose tooth it is. Where it
    is ``gone``, no peak of after is left there, and the change is at least down to the noise."""

    frequency: float
    before: float
    change_db: float
    name: str = ""
    gone: bool = False


@dataclass(frozen=True, eq=False)
class BeforeAfter:
    """``before`` is analysed as the method says but for the steps that take something out,
    ``after`` with them and ``removed`` what they took, over the same samples. ``waves`` are the
    envelopes and ``rms`` the root mean squares about the mean, of before, after and removed, in the
    channel's unit. ``changes`` tell of each peak of before, by rising frequency."""

    before: Analysis
    after: Analysis
    removed: Analysis
    waves: tuple[WaveformEnvelope, WaveformEnvelope, WaveformEnvelope]
    rms: tuple[float, float, float]
    changes: tuple[Change, ...]

    @property
    def changed(self) -> tuple[Change, ...]:
        """The peaks whose level changed by more than a tenth of a decibel."""
        return tuple(one for one in self.changes if one.gone or abs(one.change_db) > CHANGED_DB)

    @property
    def nbytes(self) -> int:
        """What it holds in memory."""
        return sum(one.estimate.nbytes for one in (self.before, self.after, self.removed))


def taken_by(steps: Sequence[Step]) -> tuple[Step, ...]:
    """The steps that take something out, and are on."""
    return tuple(step for step in steps if step.takes and not step.off)


def without_taking(steps: Sequence[Step]) -> tuple[Step, ...]:
    """The chain with those steps off."""
    return tuple(replace(step, off=True) if step.takes else step for step in steps)


class Less(Samples):
    """``first`` less ``second``."""

    def __init__(self, first: Samples, second: Samples) -> None:
        self._first, self._second = first, second

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self._first.read(channel, start, stop) - self._second.read(channel, start, stop)

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        pairs = (one.read_many(channels, start, stop) for one in (self._first, self._second))
        return tuple(a - b for a, b in zip(*pairs, strict=True))


def removed_of(before: Signal, after: Signal) -> Recording:
    """What was taken out, as a recording of its own, to be analysed, heard or written."""
    taken = before.as_recording()
    return replace(taken, id=f"{taken.id} taken out", samples=Less(before.samples, after.samples))


def compare(method: Method, recording: Recording, progress: Progress = silent) -> BeforeAfter:
    """Hold what there was against what is left. Raises :class:`UserError` where no step takes
    anything out, or where the method does not fit."""
    source = method.source
    if not taken_by(source.steps):
        raise UserError("No step takes anything out", remedy="add a filter to the method line")
    after_steps, before_steps = source.steps, without_taking(source.steps)
    after, before = prepare(recording, after_steps), prepare(recording, before_steps)
    first, stop = source.span(after)
    same = method.having(stretch=Stretch(first / after.rate, stop / after.rate))
    taken = removed_of(before, after)
    had = run(same.having(steps=before_steps), recording, part(progress, 0, 0.4))
    left = run(same, recording, part(progress, 0.4, 0.7))
    gone = run_spectrum(same.having(steps=()), taken, part(progress, 0.7, 0.8))
    share = (part(progress, 0.8 + 0.06 * k, 0.86 + 0.06 * k) for k in range(3))
    seen = [
        _seen(samples, source.channel, first, stop, report)
        for samples, report in zip(
            (before.samples, after.samples, taken.samples), share, strict=True
        )
    ]
    return BeforeAfter(
        had,
        left,
        Analysis.of(gone, None, same.having(steps=()), taken),
        (seen[0][0], seen[1][0], seen[2][0]),
        (seen[0][1], seen[1][1], seen[2][1]),
        _changes(had, left),
    )


def _seen(
    samples: Samples, channel: int, first: int, stop: int, progress: Progress
) -> tuple[WaveformEnvelope, float]:
    """Envelope of a stretch, its columns counted in samples of the record, and its rms."""
    sums = np.zeros(2)

    def read(start: int, end: int) -> Array:
        x = samples.read(channel, first + start, first + end)
        sums[:] += x.sum(), x @ x
        return x

    length = stop - first
    if length <= _COLUMNS * 256:
        x = read(0, length)
        wave = envelope_of(x, first, _COLUMNS)
    else:
        wave = build(read, length, progress).envelope(0, length, _COLUMNS)
        wave = replace(wave, edges=wave.edges + first)
    mean = sums[0] / length
    return wave, math.sqrt(max(sums[1] / length - mean * mean, 0.0))


def _changes(before: Analysis, after: Analysis) -> tuple[Change, ...]:
    """How the level of each peak of before changed."""
    names = {line: comb.name for comb in before.combs for line in comb.lines}
    changes = []
    for i, peak in enumerate(before.peaks or ()):
        change, gone = _change(peak.tone.frequency, peak.tone.amplitude, before, after)
        changes.append(
            Change(peak.tone.frequency, before.amplitude(peak)[0], change, names.get(i, ""), gone)
        )
    return tuple(changes)


def _change(f: float, had: float, before: Analysis, after: Analysis) -> tuple[float, bool]:
    """By how many dB a peak changed, and whether it went down into the noise."""
    hz = after.spectrum.bin_hz
    near = [one.tone for one in after.peaks or () if abs(one.tone.frequency - f) < 0.5 * hz]
    if near and had > 0:
        has = min(near, key=lambda tone: abs(tone.frequency - f)).amplitude
        return (20 * math.log10(has / had) if has > 0 else -_GONE_DB), False
    left, was = after.spectrum.mean_square, before.spectrum.mean_square
    at = min(max(round(f / hz), 2), len(left) - 3)
    noise = float(left[at] if after.floor is None else after.floor[at])
    top = at - 1 + int(np.argmax(left[at - 1 : at + 2]))
    if left[top] > _STANDS * noise and left[top] >= max(left[top - 1], left[top + 1]):
        return 10 * math.log10(left[top] / was[top]), False  # too low to be listed, but there
    return (20 * math.log10(math.sqrt(2 * noise) / had) if noise > 0 else -_GONE_DB), True
