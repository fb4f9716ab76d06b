"""One popover a phrase. What is chosen is applied at once and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QPushButton, QWidget

from tonecomb.core.combining import Average
from tonecomb.core.document import select
from tonecomb.core.errors import UserError
from tonecomb.core.framing import MAX_OVERLAP
from tonecomb.core.method import LEVELS, MAX_PAD, Method, resolution, seconds
from tonecomb.core.recording import Recording, Stretch, whole
from tonecomb.core.units import unit
from tonecomb.core.windows import window
from tonecomb.desktop.method_line.conditioning import conditioning_popover
from tonecomb.desktop.method_line.window_picker import WindowPicker
from tonecomb.desktop.store import Store
from tonecomb.desktop.theme import current_theme
from tonecomb.desktop.widgets import Number, Option, OptionList, Popover, label, link, row

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
    "scaling": "What the upright axis means",
    "level": "Amplitudes as rms, peak or peak to peak",
}


def _choices(
    popover: Popover, options: list[Option], current: object, apply: Callable[[object], None]
) -> Popover:
    chooser = OptionList(options, current, "choices")

    def choose(value: object) -> None:
        popover.close()
        apply(value)

    chooser.chosen.connect(choose)
    popover.add(chooser)
    popover.setFocusProxy(chooser)
    return popover


def _channel(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    options = [
        Option(i, channel.name, f"{unit(channel.unit).quantity}, {channel.unit}")
        for i, channel in enumerate(recording.channels)
    ]

    def apply(value: object) -> None:
        store.apply("Choose channel", select(store.document, recording.id, int(str(value))))

    return _choices(Popover(parent, "Channel"), options, method.channel, apply)


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
    return _choices(
        Popover(parent, "Offset and drift"),
        options,
        method.detrend,
        lambda value: store.edit_method("Choose detrending", detrend=value),
    )


def _window(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    def apply(name: str) -> None:
        store.edit_method("Choose window", merge="window picker", window=name)

    return WindowPicker(parent, current_theme(), method.window, apply)


def _frames(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    popover = Popover(
        parent,
        "Average",
        "How the frames become one spectrum. The mean is right for what stays; the median shrugs "
        "off what comes and goes.",
    )
    start, stop = (method.stretch or whole(recording)).indices(recording)
    fs = recording.rate
    at = method.at if method.at is not None else (start + stop) / 2 / fs
    place = Number(at, start / fs, stop / fs, 3, "s")
    place.setAccessibleName("Middle of the single frame")
    notes: dict[Average, tuple[str, str]] = {
        "mean": ("Mean", "Of the frames' power; tones and noise as they are on average"),
        "median": ("Median", "Corrected for its bias; impacts and drop-outs hardly count"),
        "exponential": ("Exponential", "The newest frames count most: an eighth each"),
        "max": ("Maximum", "The highest that each bin ever reached; no peaks are fitted"),
        "min": ("Minimum", "The lowest that each bin ever fell to; no peaks are fitted"),
        "single": ("Single frame", "One frame only, about the time below"),
    }
    options = [Option(name, title, note) for name, (title, note) in notes.items()]
    chooser = OptionList(options, method.average, "choices")

    def choose(value: object) -> None:
        middle = place.value() if value == "single" else None
        store.edit_method("Choose average", average=value, at=middle)
        if value != "single":
            popover.close()

    def move() -> None:
        store.edit_method(
            "Choose average", merge="single frame", average="single", at=place.value()
        )

    chooser.chosen.connect(choose)
    place.valueChanged.connect(move)
    popover.add(chooser, row(label("Single frame about"), place, None))
    popover.setFocusProxy(chooser)
    return popover


def _frame(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    popover = Popover(
        parent,
        "Frame length",
        "A longer frame tells closer tones apart and leaves fewer frames to average. Zero padding "
        "only draws the line smoother.",
    )
    start, stop = (method.stretch or whole(recording)).indices(recording)
    samples = Number(method.frame, 2, max(2, stop - start), 0, "samples")
    samples.setAccessibleName("Frame length in samples")
    pad = Number(method.pad, 1, MAX_PAD, 0, "× zero padding")
    pad.setAccessibleName("Zero padding factor")
    told = label("", "quiet")

    def tell() -> None:
        current = store.method
        try:
            r = resolution(current or method, recording)
            told.setText(
                f"{r.frame_s:.4g} s · bins {r.bin_hz:.4g} Hz · told apart from "
                f"{r.separable_hz:.3g} Hz · {r.frames} frames"
            )
        except UserError as error:
            told.setText(error.what)

    def apply() -> None:
        store.edit_method(
            "Choose frame length",
            merge="frame popover",
            frame=int(samples.value()),
            pad=int(pad.value()),
        )
        tell()

    samples.valueChanged.connect(apply)
    pad.valueChanged.connect(apply)
    halve = QPushButton("Half")
    halve.clicked.connect(lambda: samples.setValue(samples.value() // 2))
    double = QPushButton("Double")
    double.clicked.connect(lambda: samples.setValue(samples.value() * 2))
    popover.add(row(halve, samples, double, None), row(pad, None), told)
    popover.setFocusProxy(samples)
    tell()
    return popover


def _overlap(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    w = window(method.window)
    popover = Popover(
        parent,
        "Overlap",
        "A window all but ignores the ends of its frame. Overlap lets the next frame count them; "
        "beyond the recommended value little is gained.",
    )
    percent = Number(method.overlap, 0, MAX_OVERLAP, 1, "%")
    percent.setAccessibleName("Overlap in percent")
    percent.valueChanged.connect(
        lambda value: store.edit_method("Choose overlap", merge="overlap popover", overlap=value)
    )
    popover.add(row(percent, None))
    popover.add(
        link(
            f"Recommended for {w.title}: {w.overlap:g} %",
            "Use the recommended overlap",
            lambda: percent.setValue(w.overlap),
        )
    )
    popover.setFocusProxy(percent)
    return popover


def _scaling(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    symbol = unit(recording.channels[min(method.channel, len(recording.channels) - 1)].unit)
    options = [
        Option(
            "amplitude", "Amplitude", f"True for tones, whatever the window; in {symbol.symbol}."
        ),
        Option("power", "Power", f"Square of the rms amplitude; in {symbol.power}."),
        Option("psd", "PSD", f"True for noise, whatever the window; in {symbol.density}."),
        Option(
            "amplitude-density", "Amplitude density", f"Root of the PSD; in {symbol.root_density}."
        ),
        Option(
            "energy",
            "Energy density",
            f"Of a transient that lies within one frame; in {symbol.energy}.",
        ),
    ]
    return _choices(
        Popover(parent, "Scaling"),
        options,
        method.scaling,
        lambda value: store.edit_method("Choose scaling", scaling=value),
    )


def _level(store: Store, recording: Recording, method: Method, parent: QWidget) -> Popover:
    notes = {"rms": "Root mean square of a sine.", "peak": "√2 × rms: from zero to the crest.",
             "peak-to-peak": "2√2 × rms: from trough to crest."}  # fmt: skip
    options = [Option(level, level, notes[level]) for level in LEVELS]
    explanation = ""
    if method.scaling != "amplitude":
        explanation = "Power and PSD are always mean squares; this is for the amplitudes of peaks."
    return _choices(
        Popover(parent, "Level", explanation),
        options,
        method.level,
        lambda value: store.edit_method("Choose level", level=value),
    )


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
        )
        store.edit_method("Change peak search", merge="search popover", search=changed)

    rows = (
        ("Down to", above, "below the highest"),
        ("Standing out by", prominence, "(prominence)"),
        ("From", low, ""),
        ("To", high, ""),
        ("At most", most, "peaks"),
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
    "frame": _frame,
    "pad": _frame,
    "overlap": _overlap,
    "frames": _frames,
    "scaling": _scaling,
    "level": _level,
}
