"""One popover a phrase. What is chosen is applied at once and can be undone."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.units import unit
from tonecomb.core.method.document import select
from tonecomb.core.method.method import Method
from tonecomb.core.method.sentence import seconds
from tonecomb.core.record.recording import whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.say.glossary import meaning
from tonecomb.desktop.edits.stretch import set_stretch
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import Number, Option, Popover, label, link, row
from tonecomb.desktop.method_line.averaging import AveragePopover
from tonecomb.desktop.method_line.chain import ChainPopover
from tonecomb.desktop.method_line.choosing import choices
from tonecomb.desktop.method_line.framing import FramePopover, overlap_popover
from tonecomb.desktop.method_line.showing import drawn_popover, level_popover, scaling_popover
from tonecomb.desktop.method_line.window_picker import WindowPicker
from tonecomb.desktop.state.store import Store

STEPS = "steps"
TIPS = {
    "channel": meaning("channel"),
    "stretch": meaning("stretch", "drag on the waveform, or type"),
    STEPS: meaning("step", "C"),
    "detrend": "What is taken from each frame before its window",
    "window": meaning("window", "; and ' step through them"),
    "frame": meaning("frame", "[ and ] halve and double it"),
    "pad": "Zero padding of the transform",
    "overlap": meaning("overlap"),
    "frames": "Frames in the stretch, and how they become one spectrum",
    "left out": "Frames that do not take part",
    "scaling": meaning("scaling"),
    "level": "Amplitudes as rms, peak or peak to peak",
    "drawn": "Bins, bands or running total",
}


def _channel(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    options = [
        Option(i, channel.name, f"{unit(channel.unit).quantity}, {channel.unit}")
        for i, channel in enumerate(signal.channels)
    ]

    def apply(value: object) -> None:
        store.apply("Choose channel", select(store.document, signal.id, int(str(value))))

    return choices(Popover(parent, "Channel"), options, method.source.channel, apply)


def _stretch(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    popover = Popover(
        parent,
        "Stretch",
        "Only this part of the recording is analysed, and all of it. You can also drag on the "
        "waveform.",
    )
    fs, duration = signal.rate, signal.duration
    digits = max(1, len(str(int(fs))))
    stretch = method.source.stretch or whole(signal)
    start = Number(stretch.start, 0.0, duration, digits, "s")
    end = Number(stretch.end, 0.0, duration, digits, "s")
    wrong = label("", "quiet")

    def apply() -> None:
        if end.value() <= start.value():
            wrong.setText("The start must lie before the end.")
            return
        wrong.setText("")
        set_stretch(store, start.value(), end.value(), merge="stretch popover")

    def everything() -> None:
        popover.close()
        set_stretch(store, 0.0, duration)

    for field, name in ((start, "Start"), (end, "End")):
        field.setAccessibleName(name)
        field.valueChanged.connect(apply)
    popover.add(row(label("from"), start, label("to"), end, None), wrong)
    text = f"Whole recording, {seconds(duration, fs)} s"
    popover.add(link(text, "Analyse the recording from end to end", everything))
    popover.setFocusProxy(start)
    return popover


def _detrend(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    options = [
        Option("mean", "Mean removed", "Each frame loses its mean: no offset at 0 Hz."),
        Option("line", "Line removed", "Each frame loses its best straight line: slow drift too."),
        Option("none", "Mean kept", "Frames as they are; a large offset leaks into low bins."),
    ]
    return choices(
        Popover(parent, "Offset and drift"),
        options,
        method.frames.detrend,
        lambda value: store.edit_method("Choose detrending", detrend=value),
    )


def _window(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    def apply(name: str) -> None:
        store.edit_method("Choose window", merge="window picker", window=name)

    return WindowPicker(parent, current_theme(), method.frames.window, apply)


def _chain(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    return ChainPopover(store, parent)


EDITORS: dict[str, Callable[[Store, Signal, Method, QWidget], Popover]] = {
    "channel": _channel,
    "stretch": _stretch,
    STEPS: _chain,
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
