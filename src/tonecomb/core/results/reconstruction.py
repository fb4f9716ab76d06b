"""What lies between samples: the one curve below half the rate that goes through them, and what was
there before they were taken, where that is known."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.core.synthesis.made import FORMAT, MadeSamples

MOST_SAMPLES = 400
"""In view, up to which what lies between them can be seen."""


@dataclass(frozen=True, eq=False)
class Reconstruction:
    """``at`` (s) and ``taken`` are the samples in view; ``time`` (s), ``implied`` the curve below
    half the rate that they alone imply, and ``there`` what was sampled, None where that is not
    known. Of shape (samples,) and (points,)."""

    at: Array
    taken: Array
    time: Array
    implied: Array
    there: Array | None


def between(
    signal: Signal, channel: int, steps: tuple[Step, ...], low: float, high: float, points: int
) -> Reconstruction:
    """What lies between the samples from ``low`` to ``high`` s, at so many points; ``steps`` are
    those by which the signal was made."""
    fs, length = signal.rate, signal.length
    first, stop = max(0, int(low * fs)), min(length, int(np.ceil(high * fs)) + 1)
    time = np.linspace(max(low, 0.0), min(high, (length - 1) / fs), points)
    taken = signal.samples.read(channel, first, stop)
    at = np.arange(first, stop) / fs
    implied = interpolated(signal, channel, time)
    return Reconstruction(at, taken, time, implied, _there(signal, channel, steps, time))


def interpolated(signal: Signal, channel: int, time: Array) -> Array:
    """The values at any instants (s) of the curve below half the rate through the samples; the
    record goes on beyond its ends turned about them."""
    return sinc.interpolated(
        partial(signal.samples.read, channel), signal.length, time * signal.rate
    )


def _there(signal: Signal, channel: int, steps: tuple[Step, ...], time: Array) -> Array | None:
    """What was sampled, at instants (s): a made recording's parts, or the signal before it was
    taken anew."""
    on = [i for i, step in enumerate(steps) if not step.off]
    taken = [i for i in on if isinstance(steps[i], AsSampled)]
    if taken:
        before = prepare(signal.recording, steps[: taken[-1]])
        if on[-1] != taken[-1] or channel >= len(before.channels):
            return None
        return interpolated(before, channel, np.minimum(time, (before.length - 1) / before.rate))
    samples = signal.recording.samples
    if on or signal.recording.format != FORMAT or not isinstance(samples, MadeSamples):
        return None
    return samples.made.continuous(time)
