"""Whether a line keeps its phase in machine time or in clock time.

A line that stands still has the phase −2πf·s(t) in machine time, and what turns has +2πf·s in clock
time: the phasors of one of the two tell how coherent the line is either way. The difference of the
coherent shares, times the line's power over the noise, is the logarithm of how much likelier one
way is; what the warp's own uncertainty takes from it goes off.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tonecomb.core.find.line_tracks import Frames, running_floor
from tonecomb.core.find.sharp_lines import coherence
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

Turns = Literal["", "turns", "stands still", "either", "wanders"]
"""What a line does: "" where nothing is known, "wanders" where it keeps its phase neither way."""

_FRAME_S, _FRAMES = 1.0, 8.0  # s, and how many there are at least
_SURE = 8.0  # nepers, from which it is one of the two
_COHERENT = 0.55  # share of a line's own power, below which it keeps its phase neither way
_OF_POWER = 0.2  # that is no noise, below which there is no line
_NOISE = 1.93  # times the floor's power, that noise has in one frame of those that overlap
_AROUND_HZ = 25.0  # of the floor


@dataclass(frozen=True, eq=False)
class BothWays:
    """Of some lines: the coherent ``share`` of their power, less the noise's, in the time that was
    looked at and in the ``other`` one, and ``nepers`` for the first, shape (lines,) each."""

    share: Array
    other: Array
    nepers: Array

    def turns(self, number: int, *, machine: bool) -> Turns:
        """What a line does that was looked at in ``machine`` time or else in clock time."""
        if max(self.share[number], self.other[number]) < _COHERENT:
            return "wanders"
        told = float(self.nepers[number])
        if abs(told) < _SURE:
            return "either"
        return "turns" if (told > 0) == machine else "stands still"


def both_ways(
    read: Read,
    length: int,
    fs: float,
    frequencies: Sequence[float],
    delay: Array,
    time: Array,
    *,
    machine: bool,
    std: float,
) -> BothWays:
    """Look at lines (Hz) of ``length`` samples, in ``machine`` time or in clock time. ``delay`` (s)
    is machine time less clock time at the ``time`` of these samples, known to ``std`` (s)."""
    frames = Frames.of(read, length, fs, min(_FRAME_S, length / fs / _FRAMES))
    f = np.array(frequencies)
    bins = np.clip(np.round(f * frames.size / fs).astype(int), 1, frames.size // 2 - 1)
    total, parts = np.zeros(frames.size // 2 + 1), []
    for _, z in frames.transforms():
        total += (z.real**2 + z.imag**2).sum(axis=0)
        parts.append(z[:, bins])
    around = max(24, round(_AROUND_HZ * frames.size / fs))
    floor = running_floor(total / frames.count, around)[bins] * _NOISE
    late = np.interp(frames.time, time, delay)
    sign = 1.0 if machine else -1.0
    own, other, nepers = np.zeros(len(f)), np.zeros(len(f)), np.zeros(len(f))
    phasors = np.concatenate(parts)
    for i, omega in enumerate((2 * np.pi * f).tolist()):
        z = phasors[:, i] * np.exp(-1j * omega * frames.time)
        in_it, _ = coherence(z)
        beside, _ = coherence(z * np.exp(1j * sign * omega * late))
        power = float((np.abs(z) ** 2).sum())
        weight = power / max(float(floor[i]), 1e-300)
        told = (in_it - beside) * weight
        # Noise has no phase: what is left of the power is the line's.
        alone = 1 - len(z) * float(floor[i]) / _NOISE / max(power, 1e-300)
        if alone > _OF_POWER:
            own[i], other[i] = in_it / alone, beside / alone
        nepers[i] = np.sign(told) * max(0.0, abs(told) - 2 * (omega * std) ** 2 * weight)
    return BothWays(own, other, nepers)
