"""What is to become of a part of the spectrogram: a box of time and frequency, or an outline."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QMenu, QWidget

from tonecomb.core.steps.regions import Region, RegionBox
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.edits.envelope import analyse_envelope
from tonecomb.desktop.edits.stretch import set_stretch


def ask(parent: QWidget, context: Context, box: RegionBox, zoom: Callable[[], None]) -> None:
    """Ask by a menu under the mouse; ``zoom`` shows the box in every view."""
    store, isolating = context.store, context.isolating
    method = store.method
    if method is None:
        return
    peaks = replace(method.search.peaks, low=box.low, high=box.high)
    span = f"{box.low:.4g}–{box.high:.4g} Hz"
    _offer(
        parent,
        (
            (
                f"Analyse {box.start:.4g}–{box.end:.4g} s",
                lambda: set_stretch(store, box.start, box.end),
            ),
            (
                f"Look for peaks in {span}",
                lambda: store.edit_method("Choose peak range", peaks=peaks),
            ),
            ("Zoom to both", zoom),
            ("Keep only this box", lambda: isolating.mark(box, out=False)),
            ("Take this box out", lambda: isolating.mark(box, out=True)),
            (f"Analyse the envelope of {span}", lambda: analyse_envelope(store, box.low, box.high)),
        ),
    )


def ask_outline(parent: QWidget, context: Context, outline: Region) -> None:
    """Ask whether an outline is kept or taken out."""
    _offer(
        parent,
        (
            ("Keep only this", lambda: context.isolating.mark(outline, out=False)),
            ("Take this out", lambda: context.isolating.mark(outline, out=True)),
        ),
    )


def _offer(parent: QWidget, choices: tuple[tuple[str, Callable[[], object]], ...]) -> None:
    menu = QMenu(parent)
    for text, act in choices:
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _, act=act: act())
    menu.exec(parent.cursor().pos())
