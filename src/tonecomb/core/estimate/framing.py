"""How a stretch is cut into frames, and what they are worth together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.runs import spans_of
from tonecomb.core.record.windows import overlap_correlation

MAX_OVERLAP = 99.0  # percent of a frame


@dataclass(frozen=True)
class Framing:
    """Frames of ``frame`` samples every ``hop`` samples over ``length`` samples.

    ``kept`` are the runs of frame numbers (first, one after the last) that take part where some
    are left out; None for all.
    """

    length: int
    frame: int
    hop: int
    kept: tuple[tuple[int, int], ...] | None = None

    @property
    def places(self) -> int:
        """Number of whole frames that fit, those left out included."""
        return 1 + (self.length - self.frame) // self.hop

    @property
    def runs(self) -> tuple[tuple[int, int], ...]:
        """Runs of frame numbers that take part: first, and one after the last."""
        return ((0, self.places),) if self.kept is None else self.kept

    @cached_property
    def count(self) -> int:
        """Number of whole frames that take part."""
        return sum(stop - first for first, stop in self.runs)

    @cached_property
    def numbers(self) -> NDArray[np.int_]:
        """Numbers of the frames that take part, shape (count,)."""
        return np.concatenate([np.arange(first, stop) for first, stop in self.runs])

    @property
    def covered(self) -> int:
        """Samples that lie in a frame that takes part."""
        total, end = 0, 0
        for first, stop in self.runs:
            start = max(first * self.hop, end)
            end = (stop - 1) * self.hop + self.frame
            total += end - start
        return total

    @property
    def covered_fraction(self) -> float:
        """Share of the stretch that the frames cover, 0 to 1."""
        return min(self.covered, self.length) / self.length

    @property
    def cost(self) -> int:
        """What a frame is to a pass over all, in samples: at high overlap more than its hop."""
        return max(self.hop, self.frame // 2)

    def blocks(self, samples: int, first: int = 0, last: int | None = None) -> Iterator[range]:
        """Runs of frame numbers that span about ``samples`` samples each; of the frames that
        take part those from ``first`` on and before ``last``."""
        end = self.count if last is None else last
        step = max(1, (samples - self.frame) // self.hop + 1)
        passed = 0
        for begin, stop in self.runs:
            start = begin + max(0, first - passed)
            final = min(stop, begin + end - passed)
            for number in range(start, final, step):
                yield range(number, min(final, number + step))
            passed += stop - begin

    def pairs(self, lag: int) -> NDArray[np.int_]:
        """Numbers of the frames that take part together with the one ``lag`` frames later."""
        taking = np.zeros(self.places + lag, dtype=bool)
        taking[self.numbers] = True
        return np.flatnonzero(taking[: self.places] & taking[lag:])

    def without(self, spans: Sequence[tuple[int, int]]) -> Framing:
        """The same but for frames that hold a sample of these spans (first, one after the
        last), counted from the stretch's start."""
        taking = np.zeros(self.places, dtype=bool)
        taking[self.numbers] = True
        for start, stop in spans:
            # Frame m holds samples mH … mH + N − 1.
            first = max(0, -((self.frame - 1 - start) // self.hop))
            taking[first : max(0, (stop - 1) // self.hop + 1)] = False
        if taking.all():
            return self
        if not (runs := tuple(spans_of(taking))):
            raise UserError(
                "Every frame of the stretch is left out",
                remedy="strike out less, choose a shorter frame, or let clipped frames in",
            )
        return replace(self, kept=runs)

    def sample(self, runs: int, frames: int) -> Framing:
        """So many runs of so many ``frames`` each, evenly from those that take part."""
        taking, own = np.zeros(self.places, dtype=bool), self.numbers
        for first in np.linspace(0, max(len(own) - frames, 0), runs).astype(int):
            taking[own[first : first + frames]] = True
        return replace(self, kept=tuple(spans_of(taking)))


def make_framing(length: int, frame: int, overlap: float, fs: float) -> Framing:
    """Frames over ``length`` samples with ``overlap`` in percent of the frame.

    ``fs`` in Hz serves the message of the :class:`UserError` for a frame that does not fit.
    """
    if frame < 2:
        raise UserError(f"A frame of {frame} samples is too short", remedy="use at least 2 samples")
    if not 0 <= overlap <= MAX_OVERLAP:
        raise UserError(
            f"An overlap of {overlap:g} % cannot be used",
            remedy=f"choose one from 0 to {MAX_OVERLAP:g} %",
        )
    if frame > length:
        raise UserError(
            f"The frame ({frame} samples, {frame / fs:.4g} s) is longer than the stretch "
            f"({length} samples, {length / fs:.4g} s)",
            remedy=f"choose a frame of at most {length} samples or a longer stretch",
        )
    return Framing(length, frame, max(1, round(frame * (1 - overlap / 100))))


def effective_averages(framing: Framing, window_name: str, *, squared: bool = True) -> float:
    """Number of independent frames that would average as well as these overlapped ones.

    K / (1 + 2 Σ (nₘ/K) ρₘ²) with nₘ the number of frames that are averaged together with the
    one m frames later, K − m where none is left out (Welch 1967). With ``squared`` false the
    correlation itself is summed: the number that holds for the average of complex amplitudes.
    """
    k = framing.count
    total = 0.0
    for m, r in enumerate(overlap_correlation(window_name, framing.frame, framing.hop), start=1):
        if m >= framing.places:
            break
        together = k - m if framing.kept is None else len(framing.pairs(m))
        total += together / k * (r * r if squared else r)
    return k / (1 + 2 * total)


def good_lengths(near: int, longest: int) -> tuple[int, ...]:
    """Frame lengths about ``near`` that transform fast, rising: the powers of two on both sides
    and the nearest products of 2, 3 and 5; none above ``longest``."""
    power = 1 << (max(near, 2).bit_length() - 1)
    products = sorted(
        two * three * five
        for five in (1, 5, 25, 125, 625)
        for three in (1, 3, 9, 27, 81, 243)
        for two in (1 << k for k in range(25))
        if near / 2 < two * three * five < 2 * near
    )
    below = [n for n in products if n < near][-1:]
    above = [n for n in products if n > near][:1]
    powers = [power // 2 if power == near else power, 2 * power]
    return tuple(sorted({n for n in (*powers, *below, *above) if 2 <= n <= longest and n != near}))
