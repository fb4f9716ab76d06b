"""Modes of what rings after taps, by frames of several lengths: what is true does not hang on them.

A frame that is too short cuts decays and joins close modes, one that is too long holds noise.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method, frame_plan
from tonecomb.core.modal.decays import of_decays
from tonecomb.core.modal.modes import Modes, find_modes
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.transfer import take_taps

PARTS = (8, 4, 2, 1)
"""Parts of the frame that are tried."""
_LEAST = 64  # samples


@dataclass(frozen=True, eq=False)
class ByLength:
    """``modes`` by frames of so many samples at ``fs`` Hz, by rising length: (samples, modes)."""

    recording_name: str
    fs: float
    modes: tuple[tuple[int, Modes], ...]


def by_length(method: Method, recording: Recording, progress: Progress = silent) -> ByLength:
    """Fit the modes anew with an eighth, a quarter, half and the whole of the frame. Lengths too
    short for the range are left out; :class:`UserError` where there is nothing to fit."""
    between = method.between
    if between is None or between.reference is not None or not between.high:
        raise UserError(
            "Frames of several lengths are tried where taps are heard without a force",
            remedy="choose nothing as reference, and a range of modes",
        )
    signal = frame_plan(method, recording, frame=2).signal
    between.check(signal)
    span = method.source.span(signal, between.every(len(signal.channels)))
    taken = take_taps(between, signal, *span)
    whole = of_decays(taken.answers, signal.rate, taken.used, taken.frame, decay=between.decay)
    found = []
    for i, part in enumerate(PARTS):
        progress(0.2 + 0.8 * i / len(PARTS))
        if whole.frame // part < _LEAST:
            continue
        with suppress(UserError):
            one = of_decays(
                taken.answers, signal.rate, taken.used, whole.frame // part, decay=between.decay
            )
            found.append(
                (
                    one.frame,
                    find_modes(
                        one,
                        between.low,
                        between.high,
                        power=0,
                        highest=between.order,
                        groups=len(one.taps),
                    ),
                )
            )
    return ByLength(recording.name, signal.rate, tuple(found))
