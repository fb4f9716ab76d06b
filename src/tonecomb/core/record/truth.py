"""What is known to be in a recording, because it was made so.

Frequencies are those of the signal before it was sampled; amplitudes are what is left of them
behind the low-pass before sampling.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class KnownLine:
    """A line of part number ``part`` (from 0): its ``frequency`` (Hz), peak ``amplitude`` in the
    channel's unit, and ``phase`` (degrees, of a cosine at the recording's start; nan where it has
    none). It is there for a ``share`` of the recording, and goes from ``low`` to ``high`` where it
    moves. ``modulated`` where its part swings, so that the line is one of a family."""

    part: int
    name: str
    frequency: float
    amplitude: float
    phase: float
    share: float = 1.0
    low: float = 0.0
    high: float = 0.0

    @property
    def moves(self) -> bool:
        """Whether it is somewhere between two frequencies rather than at one."""
        return self.high > self.low


@dataclass(frozen=True)
class KnownMode:
    """A resonance that hits ring: ``frequency`` in Hz, ``damping`` as a ratio."""

    part: int
    name: str
    frequency: float
    damping: float


@dataclass(frozen=True)
class KnownNoise:
    """Noise between two frequencies (Hz) with this ``rms`` in the channel's unit."""

    part: int
    name: str
    low: float
    high: float
    rms: float


@dataclass(frozen=True)
class Truth:
    """``names`` are those of the parts, in their order; ``rate`` is that at which they are sampled,
    Hz."""

    rate: float
    names: tuple[str, ...]
    lines: tuple[KnownLine, ...] = ()
    modes: tuple[KnownMode, ...] = ()
    noises: tuple[KnownNoise, ...] = ()


def folded(frequency: float, fs: float) -> float:
    """Where a tone shows in samples taken at ``fs`` (Hz), by the sampling theorem."""
    rest = frequency % fs
    return min(rest, fs - rest)


def turned(frequency: float, fs: float) -> bool:
    """Whether it shows there with its phase turned round: from above a multiple of the rate, an
    odd number of folds away."""
    return 2 * (frequency % fs) > fs
