"""A made recording: its parts, its sampling and its seed. Samples are made as they are read."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.quantised import quantised
from tonecomb.core.record.recording import Array, Channel, Problem, Recording, Samples
from tonecomb.core.record.truth import Truth
from tonecomb.core.synthesis.part import Conditions, Part
from tonecomb.core.synthesis.sampling import Sampling

MOST_PARTS = 64  # of a made signal
FORMAT = "made"
_BLOCK = 1 << 15  # samples that are made at a time


@dataclass(frozen=True)
class Made:
    """``unit`` is the symbol of its channel's. The same description gives the same samples."""

    name: str
    unit: str = "m/s²"
    parts: tuple[Part, ...] = ()
    sampling: Sampling = field(default_factory=Sampling)
    seed: int = 1
    hint: str = ""

    def check(self) -> None:
        """Raise :class:`UserError` where it cannot be made."""
        if len(self.parts) > MOST_PARTS:
            raise UserError(
                f"{self.name} has {len(self.parts)} parts",
                remedy=f"leave it at {MOST_PARTS} or fewer",
            )
        if self.seed < 0:
            raise UserError(f"A seed of {self.seed} is none", remedy="give a whole number from 0")
        self.sampling.check()
        for i, one in enumerate(self.parts):
            one.check(self.conditions(i))

    def conditions(self, number: int) -> Conditions:
        """Under which part ``number`` (from 0) is sampled."""
        s = self.sampling
        return Conditions(s.rate, s.duration, s.filter, (self.seed, number + 1))

    @property
    def reach(self) -> float:
        """The most that its parts may add up to, as far as that is known."""
        return sum(one.reach() for one in self.parts)

    @property
    def truth(self) -> Truth:
        """What is known to be in it."""
        several = [(i, one, self.conditions(i)) for i, one in enumerate(self.parts)]
        return Truth(
            self.sampling.rate,
            tuple(one.name for one in self.parts),
            tuple(line for i, one, c in several for line in one.lines(i, c)),
            tuple(mode for i, one, _ in several for mode in one.modes(i)),
            tuple(noise for i, one, c in several for noise in one.noises(i, c)),
        )

    @property
    def clips(self) -> str:
        """A sentence where its parts may go beyond full scale, else ""."""
        full = self.sampling.full_scale
        if not full or self.reach <= full * (1 + 1e-9):
            return ""
        return (
            f"The parts reach {self.reach:.4g} {self.unit} and full scale is ± {full:.4g} "
            f"{self.unit}: what is beyond is clipped."
        )

    def continuous(self, t: Array) -> Array:
        """What is there at any instants (s), before it is sampled: without noise, which is known
        at the samples only, and without converter."""
        total = np.zeros(len(t))
        for i, one in enumerate(self.parts):
            if not one.random:
                total += one.values(0, t, self.conditions(i))
        return total

    def recording(self, id: str) -> Recording:
        """It as a recording; raises :class:`UserError` where it cannot be made."""
        self.check()
        s, clips = self.sampling, self.clips
        return Recording(
            id=id,
            name=self.name,
            format=FORMAT,
            sample_rate=s.rate,
            rate_source="given",
            rate_found=f"as described: {s.rate:.9g} Hz",
            length=s.samples,
            channels=(Channel(self.name, self.unit),),
            samples=MadeSamples(self),
            problems=(Problem("beyond-scale", clips),) if clips else (),
            comment=self.words(),
            truth=self.truth,
        )

    def words(self) -> str:
        """All of it in sentences."""
        lines = [one.words(self.unit) for one in self.parts]
        return "; ".join([*lines, self.sampling.words(self.unit)])


class MadeSamples(Samples):
    """The samples of a made recording; the same whichever part of it is read first."""

    costly = True

    def __init__(self, made: Made) -> None:
        self.made = made

    @property
    def grain(self) -> int:
        return 1 << 17

    def read(self, channel: int, start: int, stop: int) -> Array:
        made, s = self.made, self.made.sampling
        blocks = [np.empty(0)]
        # Whole blocks, so that rounding too is the same whatever is asked for.
        for first in range(start - start % _BLOCK, stop, _BLOCK):
            last = min(first + _BLOCK, s.samples)
            t = s.times(first, last, made.seed)
            out = np.zeros(last - first)
            for i, one in enumerate(made.parts):
                out += one.values(first, t, made.conditions(i))
            blocks.append(out[max(start - first, 0) : stop - first])
        return quantised(np.concatenate(blocks), s.bits, s.full_scale)
