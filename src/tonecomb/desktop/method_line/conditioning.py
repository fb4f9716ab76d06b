"""The popover that conditions a recording: keep a part, remove what is slow, decimate."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QWidget

from tonecomb.core import document as edits
from tonecomb.core.record.recording import Stretch
from tonecomb.core.steps.conditioning import AS_RECORDED, Conditioning
from tonecomb.desktop.kit.widgets import Choice, Number, Popover, label, link, row
from tonecomb.desktop.state.store import Store

_REMOVED = [
    ("nothing", "nothing"),
    ("mean", "the mean"),
    ("line", "the straight line that fits best"),
    ("drift", "drift"),
]
_MOST = 1000


def conditioning_popover(store: Store, parent: QWidget) -> Popover:
    """What is done to the current recording before it is analysed; applied at once."""
    popover = Popover(
        parent,
        "Before the analysis",
        "The file stays as it is. What is done stands on the method line and in the report.",
    )
    ref, understood = store.ref, store.understood(store.document.current)
    if ref is None or understood is None:
        return popover
    rate = ref.given.rate or understood.recording.sample_rate or 1.0
    duration = understood.recording.length / rate
    now = ref.conditioning
    keep = now.keep or Stretch(0.0, duration)
    start = Number(keep.start, 0.0, duration, 4, "s")
    end = Number(keep.end, 0.0, duration, 4, "s")
    removed = Choice(_REMOVED, now.removed, "Remove from each channel")
    cut = Number(now.drift_cut, rate * 1e-7, rate / 4, 6, "Hz", shortest=True)
    below, factor = label("below"), Number(now.decimate, 1, _MOST, 0, "")
    becomes = label("", "quiet")

    def change(**changes: Any) -> None:
        current = store.ref
        if current is not None:
            how = replace(current.conditioning, **changes)
            apply(how)

    def apply(how: Conditioning) -> None:
        current = store.ref
        if current is not None:
            document = edits.set_conditioning(store.document, current, how)
            store.apply("Condition recording", document, merge="conditioning popover")
            show(how)

    def limit() -> None:
        if end.value() > start.value():
            whole = start.value() <= 0 and end.value() >= duration - 1e-4
            change(keep=None if whole else Stretch(start.value(), end.value()))

    def show(how: Conditioning) -> None:
        for widget in (below, cut):
            widget.setVisible(how.removed == "drift")
        becomes.setText(f"samples, so {rate / how.decimate:.6g} Hz")

    def take_stretch() -> None:
        method, kept = store.method, (store.ref or ref).conditioning.keep
        if method is None or method.stretch is None:
            return
        before = kept.start if kept is not None else 0.0
        for field, at in ((start, method.stretch.start), (end, method.stretch.end)):
            field.blockSignals(True)
            field.setValue(before + at)
            field.blockSignals(False)
        limit()

    def as_recorded() -> None:
        derived = (store.ref or ref).conditioning.derived
        popover.close()
        apply(replace(AS_RECORDED, derived=derived))

    for field, name in ((start, "Keep from"), (end, "Keep to"), (cut, "Drift below")):
        field.setAccessibleName(name)
    factor.setAccessibleName("Decimate by")
    start.valueChanged.connect(limit)
    end.valueChanged.connect(limit)
    removed.picked.connect(lambda value: change(removed=value))
    cut.valueChanged.connect(lambda value: change(drift_cut=value))
    factor.valueChanged.connect(lambda value: change(decimate=int(value)))
    popover.add(
        row(label("Keep"), start, label("to"), end, None),
        link("Keep only the chosen stretch", "Drop what is before and after it", take_stretch),
        row(label("Remove"), removed, below, cut, None),
        row(label("Keep one of"), factor, becomes, None),
        link("As recorded", "Do nothing of this", as_recorded),
    )
    show(now)
    popover.setFocusProxy(start)
    return popover
