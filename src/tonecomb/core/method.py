"""The method: one immutable description of an analysis, and the sentence that tells it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tonecomb.core.errors import UserError
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.combining import Average, worth
from tonecomb.core.estimate.display import Display, curve_scaling
from tonecomb.core.estimate.framing import Framing, effective_averages, make_framing
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS, Detrend, Level, Scaling
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.estimate.windows import Window, window
from tonecomb.core.find.damping import Fit
from tonecomb.core.find.peaks import PeakSearch
from tonecomb.core.record.recording import Channel, Recording, Stretch, whole

MAX_PAD = 16
_WANTED_FRAMES = 24
_LONGEST_DEFAULT = 1 << 16

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
AVERAGES: dict[Average, str] = {
    "mean": "{} averaged",
    "median": "median of {}",
    "max": "maximum of {}",
    "min": "minimum of {}",
    "exponential": "{} averaged exponentially",
    "single": "single frame",
    "synchronous": "frames averaged",
}
LEAVES_OUT: tuple[Average, ...] = ("mean", "median", "max", "min", "exponential")
"""Averages of frames that are cut from the stretch, of which some may be left out."""
LEVELS: tuple[Level, ...] = tuple(LEVEL_FACTORS)


@dataclass(frozen=True)
class Method:
    """Everything that decides what is computed.

    ``channel`` counts from 0; ``stretch`` None is the whole recording; ``frame`` in samples,
    ``overlap`` in percent of it, ``pad`` the factor by which zeros lengthen the transform.
    ``average`` says how the frames become one spectrum; with ``single`` it is the frame about
    ``at`` (s), the one in the stretch's middle for None; with ``synchronous`` they begin where
    ``sync`` says. Frames that touch one of the ``struck`` stretches are left out, and with
    ``leave_clipped`` those that clip. ``bands`` are those whose level is read, ``fits`` ranges in
    which resonances are fitted by hand, ``tracks`` what is followed from frame to frame, ``shaft``
    by whose angle a run-up is analysed.
    """

    channel: int = 0
    stretch: Stretch | None = None
    detrend: Detrend = "mean"
    window: str = "hann"
    frame: int = 4096
    overlap: float = 50.0
    pad: int = 1
    scaling: Scaling = "amplitude"
    level: Level = "rms"
    search: PeakSearch = field(default_factory=PeakSearch)
    average: Average = "mean"
    at: float | None = None
    bands: tuple[Band, ...] = ()
    sync: Sync = field(default_factory=Sync)
    struck: tuple[Stretch, ...] = ()
    leave_clipped: bool = False
    display: Display = field(default_factory=Display)
    fits: tuple[Fit, ...] = ()
    tracks: tuple[Wanted, ...] = ()
    shaft: Shaft | None = None

    def estimate(self) -> Method:
        """The same with what only changes the display set back: the key of a computation."""
        return replace(
            self, scaling="amplitude", level="rms", bands=(), display=Display(), tracks=(),
            shaft=None,
        )  # fmt: skip


@dataclass(frozen=True)
class Preset:
    """A method that was given a name, apart from any recording."""

    name: str
    method: Method

    @classmethod
    def of(cls, name: str, method: Method) -> Preset:
        """Keep of a method what does not belong to one recording."""
        search = replace(method.search, by_hand=())
        plain = replace(
            method, channel=0, stretch=None, at=None, struck=(), fits=(), shaft=None
        )
        return cls(name, replace(plain, search=search))

    def applied(self, method: Method) -> Method:
        """This way of analysing for what ``method`` is about."""
        return replace(
            self.method,
            channel=method.channel,
            stretch=method.stretch,
            at=method.at,
            struck=method.struck,
            fits=method.fits,
            shaft=method.shaft,
            search=replace(self.method.search, by_hand=method.search.by_hand),
        )


@dataclass(frozen=True)
class Phrase:
    """A part of the method's sentence; ``key`` names the setting it shows."""

    key: str
    text: str


@dataclass(frozen=True)
class Resolution:
    """What a method can tell apart, known before anything is computed.

    ``separable_hz`` is the smallest gap at which two equal tones show as two: the window's
    −6 dB width (Harris 1978).
    """

    bin_hz: float
    enbw_hz: float
    separable_hz: float
    frame_s: float
    frames: int
    effective_averages: float
    covered_fraction: float
    stretch_s: float
    nyquist_hz: float


def default_frame(length: int) -> int:
    """The longest power of two that gives about two dozen half-overlapped frames or more."""
    frame = _LONGEST_DEFAULT
    while frame > 256 and 1 + (length - frame) // (frame // 2) < _WANTED_FRAMES:
        frame //= 2
    return max(2, min(frame, length))


def default_method(recording: Recording) -> Method:
    """What a recording is first analysed with: the whole of it, Hann, half overlapped."""
    return Method(frame=default_frame(recording.length))


@dataclass(frozen=True)
class Plan:
    """A method checked against a recording."""

    channel: Channel
    start: int
    stop: int
    fs: float
    taper: Window
    framing: Framing
    averages: float


def plan(method: Method, recording: Recording) -> Plan:
    """Check ``method`` against ``recording``; :class:`UserError` says what does not fit."""
    fs = recording.rate
    if not 0 <= method.channel < len(recording.channels):
        raise UserError(
            f"{recording.name} has no channel {method.channel + 1}",
            f"it has {len(recording.channels)}",
        )
    if not 1 <= method.pad <= MAX_PAD:
        raise UserError(
            f"Zero padding ×{method.pad} cannot be used", remedy=f"choose 1 to {MAX_PAD}"
        )
    start, stop = (method.stretch or whole(recording)).indices(recording)
    taper = window(method.window)
    framing = make_framing(stop - start, method.frame, method.overlap, fs)
    if method.average == "single":
        middle = (start + stop) / 2 if method.at is None else method.at * fs
        first = round(middle - method.frame / 2)
        start = min(max(first, start), stop - method.frame)
        stop = start + method.frame
        framing = make_framing(method.frame, method.frame, 0.0, fs)
    elif method.average == "synchronous":
        method.sync.check(recording.channels)
        framing = make_framing(method.frame, method.frame, 0.0, fs)
    else:
        spans = [(round(s.start * fs) - start, round(s.end * fs) - start) for s in method.struck]
        framing = framing.without([(a, b) for a, b in spans if b > 0 and b > a])
    for band in method.bands:
        band.check()
    for fit in method.fits:
        fit.check(fs / 2)
    channel = recording.channels[method.channel]
    method.display.check(channel.unit)
    return Plan(
        channel=channel,
        start=start,
        stop=stop,
        fs=fs,
        taper=taper,
        framing=framing,
        averages=worth(method.average, effective_averages(framing, taper.name)),
    )


def resolution(method: Method, recording: Recording, found: Plan | None = None) -> Resolution:
    """The figures of the ruler; raises :class:`UserError` as :func:`plan` does.

    ``found`` is the plan where more frames turned out to be left out than could be planned.
    """
    p = found or plan(method, recording)
    start, stop = (method.stretch or whole(recording)).indices(recording)
    frame_hz = p.fs / method.frame
    return Resolution(
        bin_hz=frame_hz / method.pad,
        enbw_hz=p.taper.enbw * frame_hz,
        separable_hz=p.taper.width_6db * frame_hz,
        frame_s=method.frame / p.fs,
        frames=p.framing.count,
        effective_averages=p.averages,
        covered_fraction=p.framing.covered_fraction * (p.stop - p.start) / (stop - start),
        stretch_s=(stop - start) / p.fs,
        nyquist_hz=p.fs / 2,
    )


def seconds(value: float, fs: float) -> str:
    """A time in s with as many decimals as a sample deserves, at least one."""
    text = f"{value:.{max(1, len(str(int(fs))))}f}".rstrip("0")
    return text + "0" if text.endswith(".") else text


def phrases(method: Method, recording: Recording) -> tuple[Phrase, ...]:
    """The sentence in parts, in order. Works for methods that do not fit the recording too."""
    fs = recording.rate
    stretch = method.stretch or whole(recording)
    channels = recording.channels
    known = 0 <= method.channel < len(channels)
    channel = channels[method.channel] if known else Channel(f"channel {method.channel + 1}", "FS")
    scaling, level = shown_as(method, channel)
    parts = [
        Phrase("channel", channel.name),
        Phrase("stretch", f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"),
        Phrase("detrend", DETRENDS[method.detrend]),
        Phrase("window", window(method.window).title),
        Phrase("frame", f"{method.frame} samples"),
        Phrase("overlap", f"{method.overlap:g} % overlap"),
        Phrase("frames", _frames(method, recording)),
        Phrase("scaling", scaling),
        Phrase("level", level),
    ]
    if method.average == "synchronous":
        parts = [part for part in parts if part.key != "overlap"]
    if out := _left_out(method):
        parts.insert([part.key for part in parts].index("scaling"), Phrase("left out", out))
    if drawn := method.display.words():
        parts.append(Phrase("drawn", drawn))
    if recording.prepared:
        parts.insert(2, Phrase("prepared", ", ".join(recording.prepared)))
    if method.pad > 1:
        at = next(i for i, part in enumerate(parts) if part.key == "frame")
        parts.insert(at + 1, Phrase("pad", f"padded ×{method.pad}"))
    return tuple(parts)


def shown_as(method: Method, channel: Channel) -> tuple[str, str]:
    """The scaling and the unit in which a channel is shown, in words."""
    display = method.display
    scaling, level = curve_scaling(method.scaling, method.level, display)
    words = SCALINGS[scaling]
    symbol = display.unit(channel.unit)
    if display.order(channel.unit):
        words = f"{symbol.quantity.lower()} {words} from {display.low_cut:g} Hz"
    text = symbol.scaled(scaling, level)
    return words, text if display.reference is None else f"{text}, dB re {symbol.reference_text}"


def _frames(method: Method, recording: Recording) -> str:
    try:
        p = plan(method, recording)
    except UserError:
        return "no frame fits"
    if method.average == "single":
        at = (p.start + method.frame / 2) / recording.rate
        return f"single frame at {seconds(at, recording.rate)} s"
    if method.average == "synchronous":
        return f"frames averaged {method.sync.words(recording.channels)}"
    if p.framing.count == 1:
        return "1 frame"
    return AVERAGES[method.average].format(f"{p.framing.count} frames")


def _left_out(method: Method) -> str:
    """Which frames do not take part."""
    if method.average not in LEAVES_OUT:
        return ""
    parts = []
    if method.struck:
        places = "1 stretch" if len(method.struck) == 1 else f"{len(method.struck)} stretches"
        parts.append(f"without {places} struck out")
    if method.leave_clipped:
        parts.append("without frames that clip")
    return ", ".join(parts)


# Phrases that a comma ties to the one before.
_JOINED = {"frame", "pad", "overlap", "level", "left out", "drawn"}


def sentence(method: Method, recording: Recording) -> str:
    """The method in one line, as it stands on every picture and in every report."""
    text = ""
    for phrase in phrases(method, recording):
        joint = "" if not text else ", " if phrase.key in _JOINED else " · "
        text += joint + phrase.text
    return text
