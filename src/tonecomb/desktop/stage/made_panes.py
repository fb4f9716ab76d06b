"""The panes that were looked at so far: each is made when it is first asked for, as a bench with
all of them takes twice as long to open."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tonecomb.core.record.recording import Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.stage.panes.pane import Pane
from tonecomb.desktop.stage.plots.upright import MarkedLines
from tonecomb.desktop.state.store import Store


class MadePanes(dict[str, Pane]):
    """By key, in the order of ``keys``; ``make`` makes one that is lacking."""

    def __init__(self, keys: Sequence[str], make: Callable[[str], Pane]) -> None:
        super().__init__()
        self._keys, self._make = keys, make

    def __missing__(self, key: str) -> Pane:
        if key not in self._keys:
            raise KeyError(key)
        made = {**self, key: self._make(key)}
        self.clear()
        self.update((known, made[known]) for known in self._keys if known in made)
        return self[key]

    def before(self, key: str) -> int:
        """How many of those made stand before this one."""
        at = self._keys.index(key)
        return sum(known in self for known in self._keys[:at])


Shown = tuple[Signal, int, Stretch]


def shown_now(store: Store) -> Shown | None:
    """What the document says is analysed: signal, channel and stretch."""
    signal, method = store.current, store.method
    if signal is None or method is None:
        return None
    channel = min(method.source.channel, len(signal.channels) - 1)
    return signal, channel, method.source.stretch or whole(signal)


def catch_up(pane: Pane, context: Context, decibels: bool, now: Shown | None) -> list[MarkedLines]:
    """Have a pane show what it would had it been there from the start; the lines for marks over its
    plots."""
    theme, marks, combs = current_theme(), context.notes.marks(), context.combs.shown
    pane.set_theme(theme)
    lines = [MarkedLines(plot) for plot in pane.plots]
    for line in lines:
        line.set_theme(theme)
        line.show_marks(marks)
    for plot in pane.plots:
        plot.combs.show_combs(combs)
        plot.take_axis()
    pane.show_marks(marks)
    pane.show_combs(combs)
    pane.set_decibels(decibels)
    if now is not None:
        pane.show_signal(*now)
    pane.show_analysis(context.results.analysis)
    pane.show_frame(context.moments.shown)
    pane.show_moment(context.moments.time)
    return lines
