"""What counts as a peak, edited where its sentence stands above the readings."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QWidget

from tonecomb.core.method.method import Method
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.widgets import Number, Popover, label, row
from tonecomb.desktop.state.store import Store


def search_popover(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    """The search for peaks."""
    search = method.search.peaks
    popover = Popover(
        parent,
        "Peaks",
        "A peak must also stand above the local noise floor further than noise does by chance.",
    )
    above = Number(search.above_db, 0, 300, 1, "dB")
    prominence = Number(search.prominence_db, 0, 200, 1, "dB")
    nyquist = signal.rate / 2
    low = Number(search.low or 0.0, 0, nyquist, 2, "Hz")
    high = Number(search.high if search.high is not None else nyquist, 0, nyquist, 2, "Hz")
    most = Number(search.most, 1, 2000, 0, "")
    symbol = signal.channels[min(method.source.channel, len(signal.channels) - 1)].unit
    least = Number(search.least, 0, 1e12, 9, f"{symbol} rms", shortest=True)
    over = Number(search.above_floor_db, 0, 200, 1, "dB")
    spacing = Number(search.spacing, 0, nyquist, 4, "Hz", shortest=True)
    wrong = label("", "quiet")

    def apply() -> None:
        if high.value() <= low.value():
            wrong.setText("The lower frequency must come first.")
            return
        wrong.setText("")
        now = store.method or method
        peaks = replace(
            now.search.peaks,
            above_db=above.value(),
            prominence_db=prominence.value(),
            low=low.value() or None,
            high=high.value() if high.value() < nyquist else None,
            most=int(most.value()),
            least=least.value(),
            above_floor_db=over.value(),
            spacing=spacing.value(),
        )
        changed = replace(now.search, peaks=peaks)
        store.edit_method("Change peak search", merge="search popover", search=changed)

    rows = (
        ("Down to", above, "below the highest"),
        ("Standing out by", prominence, "(prominence)"),
        ("From", low, ""),
        ("To", high, ""),
        ("At most", most, "peaks"),
        ("No weaker than", least, "(0: any)"),
        ("At least", over, "above the noise floor"),
        ("No closer than", spacing, "to a higher one"),
    )
    for before, field, after in rows:
        field.setAccessibleName(f"{before} {after}".strip())
        field.valueChanged.connect(apply)
        name = label(before)
        name.setMinimumWidth(110)
        popover.add(row(name, field, label(after, "quiet"), None))
    popover.add(wrong)
    popover.setFocusProxy(above)
    return popover
