"""How a stretch is cut into frames, and what they are worth together."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from tonecomb.core.errors import UserError
from tonecomb.core.windows import overlap_correlation

MAX_OVERLAP = 99.0


@dataclass(frozen=True)
class Framing:
    """Frames of ``frame`` samples every ``hop`` samples over ``length`` samples."""

    length: int
    frame: int
    hop: int

    @property
    def count(self) -> int:
        """Number of whole frames."""
        return 1 + (self.length - self.frame) // self.hop

    @property
    def covered(self) -> int:
        """Samples from the first frame's start to the last frame's end."""
        return self.frame + (self.count - 1) * self.hop

    @property
    def covered_fraction(self) -> float:
        """Share of the stretch that the frames cover, 0 to 1."""
        return min(self.covered, self.length) / self.length

    def blocks(self, samples: int, first: int = 0, last: int | None = None) -> Iterator[range]:
        """Runs of frame numbers that span about ``samples`` samples each."""
        end = self.count if last is None else last
        step = max(1, (samples - self.frame) // self.hop + 1)
        for start in range(first, end, step):
            yield range(start, min(end, start + step))


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

    K / (1 + 2 Σ (1 − m/K) ρₘ²), Welch 1967. With ``squared`` false the correlation itself is
    summed: the number that holds for the average of complex amplitudes.
    """
    k = framing.count
    rho = overlap_correlation(window_name, framing.frame, framing.hop)
    total = sum(
        (1 - m / k) * (r * r if squared else r) for m, r in enumerate(rho, start=1) if m < k
    )
    return k / (1 + 2 * total)
