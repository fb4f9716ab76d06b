"""Which part of the recording is analysed."""

from __future__ import annotations

from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.state.store import Store


def set_stretch(store: Store, start: float, end: float, merge: str | None = None) -> None:
    """Make a time range (s) the stretch; the whole range is kept as ‘the whole recording’."""
    signal = store.current
    if signal is None:
        return
    play = 0.5 / signal.rate
    all_of_it = start <= play and end >= signal.duration - play
    stretch = None if all_of_it else Stretch(start, end)
    store.edit_method("Choose stretch", merge=merge, stretch=stretch)
