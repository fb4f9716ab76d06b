"""The method as one readable sentence, and the words for its settings."""

from __future__ import annotations

from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import curve_scaling
from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.spectrum import Scaling
from tonecomb.core.method.method import Method, Shown, plan
from tonecomb.core.record.recording import Channel, Recording, Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import window
from tonecomb.core.steps.prepare import prepare

DETRENDS: dict[Detrend, str] = {
    "none": "mean kept",
    "mean": "mean removed",
    "line": "line removed",
}
SCALINGS: dict[Scaling, str] = {
    "amplitude": "amplitude",
    "power": "power",
    "psd": "PSD",
    "amplitude-density": "amplitude density",
    "energy": "energy density",
}
STEP = "step "
"""What the keys of phrases about steps begin with; the step's number follows."""


@dataclass(frozen=True)
class Phrase:
    """A part of the method's sentence; ``key`` names the setting it shows."""

    key: str
    text: str


def seconds(value: float, fs: float) -> str:
    """A time in s with as many decimals as a sample deserves, at least one."""
    text = f"{value:.{max(1, len(str(int(fs))))}f}".rstrip("0")
    return text + "0" if text.endswith(".") else text


def phrases(method: Method, recording: Recording) -> tuple[Phrase, ...]:
    """The sentence in parts, in order. Works for methods that do not fit the recording too."""
    source = method.source
    try:
        signal = prepare(recording, source.steps)
        method = method.framed(recording)
    except UserError:  # what does not fit is told by the analysis
        signal = Signal.of(recording)
    frames, average = method.frames, method.averaging.average
    known = 0 <= source.channel < len(signal.channels)
    channel = (
        signal.channels[source.channel] if known else Channel(f"channel {source.channel + 1}", "FS")
    )
    scaling, level = shown_as(method.shown, channel)
    parts = [
        Phrase("channel", _channels(channel, source.axes, signal)),
        Phrase("stretch", _stretch(source.stretch, signal)),
        *step_phrases(method, recording),
        Phrase("detrend", DETRENDS[frames.detrend]),
        Phrase("window", window(frames.window).title),
        Phrase("frame", f"{frames.frame} samples"),
        Phrase("pad", f"padded ×{frames.pad}" if frames.pad > 1 else ""),
        Phrase("overlap", f"{frames.overlap:g} % overlap" if average.spaced else ""),
        Phrase("frames", _frames(method, recording)),
        Phrase("left out", _left_out(method)),
        Phrase("scaling", scaling),
        Phrase("level", level),
        Phrase("drawn", method.shown.display.words()),
    ]
    return tuple(part for part in parts if part.text)


def _stretch(chosen: Stretch | None, signal: Signal) -> str:
    fs = signal.rate
    if chosen is None and signal.recording.live:
        return f"the last {seconds(signal.duration, fs)} s".replace(".0 s", " s")
    stretch = chosen or whole(signal)
    return f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"


def step_phrases(method: Method, recording: Recording) -> list[Phrase]:
    """What each step does, but for those that only add a channel."""
    names, told = [channel.name for channel in recording.channels], []
    for i, step in enumerate(method.source.steps):
        words = step.words(names)
        if step.adds:
            names.append(words)
        elif not step.off:
            told.append(Phrase(f"{STEP}{i}", words))
    return told


def shown_as(shown: Shown, channel: Channel) -> tuple[str, str]:
    """The scaling and the unit in which a channel is shown, in words."""
    display = shown.display
    scaling, level = curve_scaling(shown.scaling, shown.level, display)
    words = SCALINGS[scaling]
    symbol = display.unit(channel.unit)
    if display.order(channel.unit):
        words = f"{symbol.quantity.lower()} {words}"
        words += "" if display.low_cut is None else f" from {display.low_cut:g} Hz"
    text = symbol.scaled(scaling, level)
    return words, text if display.reference is None else f"{text}, dB re {symbol.reference_text}"


def _frames(method: Method, recording: Recording) -> str:
    try:
        p = plan(method, recording)
    except UserError:
        return "no frame fits"
    middle = seconds((p.start + method.frames.frame / 2) / p.fs, p.fs)
    return method.averaging.average.words(p.framing.count, middle, p.signal.channels)


def _left_out(method: Method) -> str:
    """Which frames do not take part."""
    averaging, parts = method.averaging, []
    if not averaging.average.cut:
        return ""
    if count := len(averaging.struck):
        places = "1 stretch" if count == 1 else f"{count} stretches"
        parts.append(f"without {places} struck out")
    if averaging.leave_clipped:
        parts.append("without frames that clip")
    return ", ".join(parts)


# Phrases that a comma ties to the one before.
_JOINED = {"frame", "pad", "overlap", "level", "left out", "drawn"}


def _channels(channel: Channel, axes: tuple[int, ...], signal: Signal) -> str:
    """The channel's name, or those whose mean squares are added."""
    beside = [signal.channels[i].name for i in axes if i < len(signal.channels)]
    return f"power sum of {', '.join([channel.name, *beside])}" if beside else channel.name


def sentence(method: Method, recording: Recording) -> str:
    """The method in one line, as it stands on every picture and in every report."""
    text, before = "", ""
    for phrase in phrases(method, recording):
        kind = STEP if phrase.key.startswith(STEP) else phrase.key
        joined = kind in _JOINED or kind == before == STEP
        text += ("" if not text else ", " if joined else " · ") + phrase.text
        before = kind
    return text
