"""The only way from a recording to the samples that are analysed."""

from __future__ import annotations

import threading
from dataclasses import replace

from tonecomb.core.record.recording import Recording
from tonecomb.core.record.signal import Key, Signal
from tonecomb.core.steps.step import Step

_MOST = 12  # chains of one recording that are kept
_LOCK = threading.Lock()


def prepare(recording: Recording, steps: tuple[Step, ...]) -> Signal:
    """The recording after ``steps``, in their order; nothing is read yet.

    The same recording and steps give the same signal, so that what a step finds out about a
    record, and blocks that were read, serve whoever comes next. Raises :class:`UserError` for a
    step that the recording does not allow, or where the sample rate is not known.
    """
    kept = recording.memo
    with _LOCK:
        found: Signal | None = kept.get(steps)
    if found is not None:
        return found
    signal = Signal.of(recording)
    for step in steps:
        if step.off and not step.adds:
            continue
        before = [channel.name for channel in signal.channels]
        signal = replace(
            step.apply(signal),
            key=Key((signal.key, step)),
            words=signal.words if step.adds else (*signal.words, step.words(before)),
        )
    signal = replace(signal.shared(), steps=steps)
    with _LOCK:
        while len(kept) >= _MOST:
            del kept[next(iter(kept))]
        result: Signal = kept.setdefault(steps, signal)
        return result
