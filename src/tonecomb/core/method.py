"""The method: one immutable description of an analysis, and the sentence that tells it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tonecomb.core.bands import Band
from tonecomb.core.combining import Average, worth
from tonecomb.core.errors import UserError
from tonecomb.core.framing import Framing, effective_averages, make_framing
from tonecomb.core.peaks import PeakSearch
from tonecomb.core.recording import Channel, Recording, Stretch, whole
from tonecomb.core.spectrum import LEVEL_FACTORS, Detrend, Level, Scaling
from tonecomb.core.units import unit
from tonecomb.core.windows import Window, window

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
}
LEVELS: tuple[Level, ...] = tuple(LEVEL_FACTORS)


@dataclass(frozen=True)
class Method:
    """Everything that decides what is computed.

    ``channel`` counts from 0; ``stretch`` None is the whole recording; ``frame`` in samples,
    ``overlap`` in percent of it, ``pad`` the factor by which zeros lengthen the transform.
    ``average`` says how the frames become one spectrum; with ``single`` it is the frame about
    ``at`` (s), the one in the stretch's middle for None. ``bands`` are those whose level is read.
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

    def estimate(self) -> Method:
        """The same with what only changes the display set back: the key of a computation."""
        return replace(self, scaling="amplitude", level="rms", bands=())


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
    for band in method.bands:
        band.check()
    averages = worth(method.average, effective_averages(framing, taper.name))
    return Plan(
        channel=recording.channels[method.channel],
        start=start,
        stop=stop,
        fs=fs,
        taper=taper,
        framing=framing,
        averages=averages,
    )


def resolution(method: Method, recording: Recording) -> Resolution:
    """The figures of the ruler; raises :class:`UserError` as :func:`plan` does."""
    p = plan(method, recording)
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
    try:
        count = plan(method, recording).framing.count
        frames = AVERAGES[method.average].format(f"{count} frames")
        if method.average == "single":
            at = (plan(method, recording).start + method.frame / 2) / fs
            frames = f"single frame at {seconds(at, fs)} s"
        elif count == 1:
            frames = "1 frame"
    except UserError:
        frames = "no frame fits"
    symbol = unit(channel.unit)
    level = symbol.scaled(method.scaling, method.level)
    parts = [
        Phrase("channel", channel.name),
        Phrase("stretch", f"{seconds(stretch.start, fs)}–{seconds(stretch.end, fs)} s"),
        Phrase("detrend", DETRENDS[method.detrend]),
        Phrase("window", window(method.window).title),
        Phrase("frame", f"{method.frame} samples"),
        Phrase("overlap", f"{method.overlap:g} % overlap"),
        Phrase("frames", frames),
        Phrase("scaling", SCALINGS[method.scaling]),
        Phrase("level", level),
    ]
    if recording.prepared:
        parts.insert(2, Phrase("prepared", ", ".join(recording.prepared)))
    if method.pad > 1:
        at = next(i for i, part in enumerate(parts) if part.key == "overlap")
        parts.insert(at, Phrase("pad", f"padded ×{method.pad}"))
    return tuple(parts)


_JOINED = {"frame", "pad", "overlap", "level"}  # phrases that a comma ties to the one before


def sentence(method: Method, recording: Recording) -> str:
    """The method in one line, as it stands on every picture and in every report."""
    text = ""
    for phrase in phrases(method, recording):
        joint = "" if not text else ", " if phrase.key in _JOINED else " · "
        text += joint + phrase.text
    return text
