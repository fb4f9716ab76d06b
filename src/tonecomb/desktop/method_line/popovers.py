"""One popover a phrase. What is chosen is applied at once and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QWidget

from tonecomb.core.document import select
from tonecomb.core.method import Method, seconds
from tonecomb.core.record.recording import Recording, Stretch, whole
from tonecomb.core.units import unit
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import Number, Option, Popover, label, link, row
from tonecomb.desktop.method_line.averaging import AveragePopover
from tonecomb.desktop.method_line.choosing import choices
from tonecomb.desktop.method_line.conditioning import conditioning_popover
from tonecomb.desktop.method_line.framing import FramePopover, overlap_popover
from tonecomb.desktop.method_line.showing import drawn_popover, level_popover, scaling_popover
from tonecomb.desktop.method_line.window_picker import WindowPicker
from tonecomb.desktop.state.store import Store

TIPS = {
    "channel": "Which channel is analysed",
    "stretch": "Which part of the recording is analysed (drag on the waveform, or type)",
    "prepared": "What is done to the record before it is analysed",
    "detrend": "What is taken from each frame before its window",
    "window": "The window that tapers each frame (; and ' step through them)",
    "frame": "Frame length ([ and ] halve and double it)",
    "pad": "Zero padding of the transform",
    "overlap": "How much of a frame the next one shares",
    "frames": "Frames in the stretch, and how they become one spectrum",
    "left out": "Frames that do not take part",
    "scaling": "What the upright axis means",
    "level": "Amplitudes as rms, peak or peak to peak",
    "drawn": "Bins, bands or running total",
}


def _channel(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    options = [
        Option(i, channel.name, f"{unit(channel.unit).quantity}, {channel.unit}")
        for i, channel in enumerate(recording.channels)
    ]

    def apply(value: object) -> None:
        store.apply("Choose channel", select(store.document, recording.id, int(str(value))))

    return choices(Popover(parent, "Channel"), options, method.channel, apply)


def _stretch(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    popover = Popover(
        parent,
        "Stretch",
        "Only this part of the recording is analysed, and all of it. You can also drag on the "
        "waveform.",
    )
    fs, duration = recording.rate, recording.duration
    digits = max(1, len(str(int(fs))))
    shown = method.stretch or whole(recording)
    start = Number(shown.start, 0.0, duration, digits, "s")
    end = Number(shown.end, 0.0, duration, digits, "s")
    wrong = label("", "quiet")

    def apply() -> None:
        if end.value() <= start.value():
            wrong.setText("The start must lie before the end.")
            return
        wrong.setText("")
        set_stretch(store, recording, start.value(), end.value(), merge="stretch popover")

    def everything() -> None:
        popover.close()
        set_stretch(store, recording, 0.0, duration)

    for field, name in ((start, "Start"), (end, "End")):
        field.setAccessibleName(name)
        field.valueChanged.connect(apply)
    popover.add(row(label("from"), start, label("to"), end, None), wrong)
    text = f"Whole recording, {seconds(duration, fs)} s"
    popover.add(link(text, "Analyse the recording from end to end", everything))
    popover.setFocusProxy(start)
    return popover


def set_stretch(
    store: Store, recording: Recording, start: float, end: float, merge: str | None = None
) -> None:
    """Make a time range the stretch; the whole range is kept as ‘the whole recording’."""
    all_of_it = start <= 0.5 / recording.rate and end >= recording.duration - 0.5 / recording.rate
    stretch = None if all_of_it else Stretch(start, end)
    store.edit_method("Choose stretch", merge=merge, stretch=stretch)


def _detrend(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    options = [
        Option("mean", "Mean removed", "Each frame loses its mean: no offset at 0 Hz."),
        Option("line", "Line removed", "Each frame loses its best straight line: slow drift too."),
        Option("none", "Mean kept", "Frames as they are; a large offset leaks into low bins."),
    ]
    return choices(
        Popover(parent, "Offset and drift"),
        options,
        method.detrend,
        lambda value: store.edit_method("Choose detrending", detrend=value),
    )


def _window(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    def apply(name: str) -> None:
        store.edit_method("Choose window", merge="window picker", window=name)

    return WindowPicker(parent, current_theme(), method.window, apply)


def search_popover(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    """The search for peaks; opened from the readings, where its sentence stands."""
    search = method.search
    popover = Popover(
        parent,
        "Peaks",
        "A peak must also stand above the local noise floor further than noise does by chance.",
    )
    above = Number(search.above_db, 0, 300, 1, "dB")
    prominence = Number(search.prominence_db, 0, 200, 1, "dB")
    nyquist = recording.rate / 2
    low = Number(search.low or 0.0, 0, nyquist, 2, "Hz")
    high = Number(search.high if search.high is not None else nyquist, 0, nyquist, 2, "Hz")
    most = Number(search.most, 1, 200, 0, "")
    symbol = recording.channels[min(method.channel, len(recording.channels) - 1)].unit
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
        changed = replace(
            now.search,
            above_db=above.value(),
            prominence_db=prominence.value(),
            low=low.value() or None,
            high=high.value() if high.value() < nyquist else None,
            most=int(most.value()),
            least=least.value(),
            above_floor_db=over.value(),
            spacing=spacing.value(),
        )
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


def _prepared(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    return conditioning_popover(store, parent)


EDITORS: dict[str, Callable[[Store, Recording, Method, QWidget], Popover]] = {
    "channel": _channel,
    "stretch": _stretch,
    "prepared": _prepared,
    "detrend": _detrend,
    "window": _window,
    "frame": FramePopover,
    "pad": FramePopover,
    "overlap": overlap_popover,
    "frames": AveragePopover,
    "left out": AveragePopover,
    "scaling": scaling_popover,
    "level": level_popover,
    "drawn": drawn_popover,
}
