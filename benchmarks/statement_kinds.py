"""Kinds of records for :mod:`statements`: what is in each, what has to be said of it, what may be.

They go from 12 samples to ten minutes and from 10 Hz to 200 kHz, and none is one of those by which
the searches were made. A maker takes a random generator and gives a :class:`Record`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, lfilter, sosfilt

Samples = NDArray[np.float64]
Rng = np.random.Generator
Range = tuple[float, float]


@dataclass(frozen=True)
class Record:
    """Samples at ``fs`` (Hz) and the truth about them. A tone may be named within ``tones`` (Hz),
    a family with a fundamental within ``families``, a mode near ``modes`` (Hz, damping ratio), a
    broad peak within ``broad``, hits at ``hits`` and swelling at ``swells`` (a second); ``tonal``
    is the share of the power in tones and families, None where that is a matter of words. The
    cautions ``may`` be there; each pattern of ``due`` has to be in some sentence, and each number
    of it (Hz) within half a percent."""

    samples: Samples
    fs: float
    tones: tuple[Range, ...] = ()
    families: tuple[Range, ...] = ()
    modes: tuple[tuple[float, float], ...] = ()
    broad: tuple[Range, ...] = ()
    hits: tuple[float, ...] = ()
    swells: tuple[float, ...] = ()
    tonal: float | None = 0.0
    may: tuple[str, ...] = ()
    due: tuple[str | float, ...] = ()

    def plus(self, other: Record) -> Record:
        """Both at once: all that may be said of one may be said of the sum."""
        own, its = float(np.mean(self.samples**2)), float(np.mean(other.samples**2))
        tonal = None
        if self.tonal is not None and other.tonal is not None:
            tonal = (self.tonal * own + other.tonal * its) / max(own + its, 1e-300)
        return Record(
            self.samples + other.samples,
            self.fs,
            self.tones + other.tones,
            self.families + other.families,
            self.modes + other.modes,
            self.broad + other.broad,
            self.hits + other.hits,
            self.swells + other.swells,
            tonal,
            self.may + other.may,
            self.due + other.due,
        )


def near(frequency: float, share: float = 2e-4) -> Range:
    """A range about a frequency."""
    return frequency * (1 - share), frequency * (1 + share)


def clock(fs: float, seconds: float) -> Samples:
    """The times of the samples (s)."""
    return np.arange(round(fs * seconds)) / fs


def noise(rng: Rng, fs: float, seconds: float, rms: float = 1.0, kind: str = "white") -> Record:
    """Noise of a colour."""
    n = round(fs * seconds)
    w = rng.standard_normal(n)
    if kind in ("pink", "brown"):
        slope = 0.5 if kind == "pink" else 1.0
        shape = np.maximum(np.fft.rfftfreq(n, 1 / fs), 8 / seconds) ** -slope
        w = np.fft.irfft(np.fft.rfft(w) * shape, n)
    elif kind == "low":
        w = sosfilt(butter(4, 0.15 * fs, fs=fs, output="sos"), w)
    elif kind == "heavy":
        w = rng.standard_t(3, n)
    return Record(rms * w / np.std(w), fs)


def band(rng: Rng, fs: float, seconds: float, low: float, high: float, rms: float) -> Record:
    """Noise between two frequencies."""
    sos = butter(3, [low, high], "bandpass", fs=fs, output="sos")
    x = sosfilt(sos, rng.standard_normal(round(fs * seconds)))
    wide = high - low
    return Record(rms * x / np.std(x), fs, broad=((low - wide / 2, high + wide / 2),))


def sines(
    rng: Rng, fs: float, seconds: float, tones: list[tuple[float, float]], due: bool = True
) -> Record:
    """Steady tones: frequency (Hz) and peak amplitude."""
    t = clock(fs, seconds)
    x = np.zeros(len(t))
    for f, a in tones:
        x += a * np.cos(2 * np.pi * f * t + rng.uniform(0, 2 * np.pi))
    says = tuple(f for f, _ in tones[:3]) if due else ()
    return Record(x, fs, tuple(near(f) for f, _ in tones), tonal=1.0, due=says)


def harmonic(
    rng: Rng,
    fs: float,
    seconds: float,
    f0: float | Samples,
    numbers: list[int],
    levels: Callable[[int], float] = lambda n: 1 / n,
    due: bool = True,
) -> Record:
    """Harmonics of a fundamental that stands, or goes as the samples ``f0`` say."""
    n = round(fs * seconds)
    course = np.broadcast_to(np.asarray(f0, dtype=float), (n,))
    phase = 2 * np.pi * np.cumsum(course) / fs
    x = np.zeros(n)
    for k in numbers:
        x += levels(k) * np.cos(k * phase + rng.uniform(0, 2 * np.pi))
    low, high = float(course.min()), float(course.max())
    mean = float(course.mean())
    found = (low * (1 - 5e-4), high * (1 + 5e-4))
    still = high - low < 1e-9 * mean
    mains = min(abs(mean / 50 - 1), abs(mean / 60 - 1)) < 0.003
    return Record(
        x,
        fs,
        tones=tuple((found[0] * k, found[1] * k) for k in numbers),
        families=(found,),
        tonal=1.0 if still else None,
        may=("hum",) if still and mains else () if still else ("moving", "breathes"),
        due=(mean,) if due and still else (),
    )


def mode(
    rng: Rng,
    fs: float,
    seconds: float,
    f: float,
    damping: float,
    rms: float = 1.0,
    due: bool = True,
) -> Record:
    """A mode under white noise."""
    pole = np.exp(2 * np.pi * f / fs * (-damping + 1j * math.sqrt(1 - damping**2)))
    w = rng.standard_normal(round(fs * seconds) + round(fs * 5 / (damping * f)))
    x = lfilter([1], [1, -2 * pole.real, abs(pole) ** 2], w)[-round(fs * seconds) :]
    wide = 6 * damping * f
    says = ("Resonance", f) if due else ()
    return Record(
        rms * x / np.std(x), fs, modes=((f, damping),), broad=((f - wide, f + wide),), due=says
    )


def ring(fs: float, f: float, damping: float, seconds: float) -> Samples:
    """What a mode does after a hit."""
    t = clock(fs, seconds)
    return np.asarray(np.exp(-2 * np.pi * damping * f * t) * np.sin(2 * np.pi * f * t))


def struck(
    rng: Rng, fs: float, seconds: float, times: Samples, f: float, damping: float, rms: float
) -> Record:
    """A mode that rings after hits at these times."""
    n = round(fs * seconds)
    x = np.zeros(n)
    at = np.round(times * fs).astype(int)
    x[at[(at >= 0) & (at < n)]] = 1 + 0.1 * rng.standard_normal(int(((at >= 0) & (at < n)).sum()))
    x = np.convolve(x, ring(fs, f, damping, min(5 / (2 * np.pi * damping * f), seconds)))[:n]
    wide = 6 * damping * f
    return Record(
        rms * x / max(float(np.std(x)), 1e-12),
        fs,
        modes=((f, damping),),
        broad=((f - wide, f + wide),),
        tonal=None,
    )


def slipping(rng: Rng, seconds: float, rate: float, slip: float) -> Samples:
    """Times of hits whose intervals scatter by a share."""
    gaps = (1 + slip * rng.standard_normal(round(1.2 * seconds * rate))) / rate
    return np.asarray(np.cumsum(gaps) - gaps[0] * rng.uniform())


def smooth(rng: Rng, fs: float, seconds: float, memory: float) -> Samples:
    """A slow random course of unit rms with about so long a memory (s)."""
    rate = min(20 / memory, fs)
    sos = butter(2, 1 / (2 * np.pi * memory), fs=rate, output="sos")
    slow = sosfilt(sos, rng.standard_normal(round(rate * (seconds + 20 * memory)) + 20))
    slow = slow[-(round(rate * seconds) + 2) :]
    slow = slow / np.std(slow)
    return np.asarray(np.interp(clock(fs, seconds), np.arange(len(slow)) / rate, slow))


def shaped(one: Record, gain: Samples, *may: str, due: tuple[str | float, ...] = ()) -> Record:
    """A record whose level goes as ``gain`` says."""
    return replace(one, samples=one.samples * gain, may=one.may + may, due=due)


def warbling(
    rng: Rng,
    fs: float,
    seconds: float,
    course: Samples,
    *may: str,
    due: tuple[str | float, ...] = (),
) -> Record:
    """One tone of amplitude 1 whose frequency is ``course`` (Hz)."""
    x = np.cos(2 * np.pi * np.cumsum(course) / fs + rng.uniform(0, 2 * np.pi))
    low, high = float(course.min()), float(course.max())
    reach = 0.1 * (high - low) + 2e-4 * high
    places = ((low - reach, high + reach),)
    return Record(x, fs, tones=places, broad=places, tonal=None, may=may, due=due)


def _gate(fs: float, seconds: float, spans: list[Range]) -> Samples:
    t = clock(fs, seconds)
    return np.asarray(sum(((t >= a) & (t < b)).astype(float) for a, b in spans))


CHANGE = ("nonstationary", "content-changes")
COMES = ("comes-and-goes", *CHANGE)
MOVES = ("moving", "damping-limited", *CHANGE)
Make = Callable[[Rng], Record]
KINDS: dict[str, Make] = {}


def kind(name: str) -> Callable[[Make], Make]:
    """Take a maker into the table."""

    def put(make: Make) -> Make:
        KINDS[name] = make
        return make

    return put


# Noise ------------------------------------------------------------------------------------------
for _name, _fs, _s, _kind in (
    ("white 100 Hz", 100.0, 60.0, "white"),
    ("white 51.2 kHz", 51200.0, 4.0, "white"),
    ("white, ten minutes", 500.0, 600.0, "white"),
    ("white, 400 samples", 1000.0, 0.4, "white"),
    ("pink", 8000.0, 20.0, "pink"),
    ("brown", 2000.0, 30.0, "brown"),
    ("low-pass", 10240.0, 12.0, "low"),
    ("heavy tails", 4000.0, 20.0, "heavy"),
):
    KINDS[f"noise: {_name}"] = partial(
        lambda rng, fs, s, k: noise(rng, fs, s, kind=k), fs=_fs, s=_s, k=_kind
    )


@kind("noise: a band")
def _band(rng: Rng) -> Record:
    f = rng.uniform(400, 900)
    return band(rng, 4000, 30, f, 1.5 * f, 1.0).plus(noise(rng, 4000, 30, 0.05))


@kind("noise: 8 bits")
def _coarse(rng: Rng) -> Record:
    one = noise(rng, 8000, 10, 0.2)
    return replace(one, samples=np.round(one.samples * 127) / 127)


@kind("noise: two levels")
def _two_levels(rng: Rng) -> Record:
    t = clock(5000, 20)
    gain = np.where(t > rng.uniform(6, 14), 5.0, 1.0)
    return shaped(noise(rng, 5000, 20), gain, *CHANGE, due=("changes by",))


@kind("noise: loud at one end")
def _loud_end(rng: Rng) -> Record:
    t = clock(2560, 40)
    gain = np.where(t > 38.5, 12.0, 1.0)
    return shaped(noise(rng, 2560, 40), gain, *CHANGE, due=("level|loud",))


@kind("noise: random hits")
def _random_hits(rng: Rng) -> Record:
    times = np.sort(rng.uniform(0, 20, 60))
    one = struck(rng, 12800, 20, times, 2900, 0.03, 0.7)
    return replace(one, may=CHANGE).plus(noise(rng, 12800, 20, 0.3))


for _depth in (0.5, 0.9):

    @kind(f"noise: swells by {_depth:g}")
    def _swelling(rng: Rng, depth: float = _depth) -> Record:
        rate = rng.uniform(20, 60)
        gain = 1 + depth * np.cos(2 * np.pi * rate * clock(12800, 8))
        return replace(shaped(noise(rng, 12800, 8), gain), swells=(rate,))


@kind("noise: swells slowly")
def _swelling_slowly(rng: Rng) -> Record:
    gain = 1 + 0.9 * np.sin(2 * np.pi * rng.uniform(0.1, 0.2) * clock(5000, 40))
    return shaped(noise(rng, 5000, 40), gain, *CHANGE, due=("changes by",))


# Tones that stand -------------------------------------------------------------------------------
@kind("tone: one")
def _one(rng: Rng) -> Record:
    return sines(rng, 5120, 20, [(rng.uniform(300, 2000), 1)]).plus(noise(rng, 5120, 20, 0.1))


@kind("tone: 10 Hz rate")
def _slow(rng: Rng) -> Record:
    return sines(rng, 10, 600, [(rng.uniform(0.5, 3), 1)]).plus(noise(rng, 10, 600, 0.3))


@kind("tone: 200 kHz rate")
def _fast(rng: Rng) -> Record:
    f = rng.uniform(2e4, 8e4)
    return replace(
        sines(rng, 2e5, 1, [(f, 1)], False).plus(noise(rng, 2e5, 1, 0.2)), due=("Single tone",)
    )


@kind("tone: 12 samples")
def _twelve(rng: Rng) -> Record:
    one = sines(rng, 12000, 0.001, [(3000.0, 1)], False)
    return replace(one, tones=((2000.0, 4000.0),), tonal=None)


@kind("tone: 200 samples")
def _short(rng: Rng) -> Record:
    f = rng.uniform(100, 300)
    one = sines(rng, 1000, 0.2, [(f, 1)], False).plus(noise(rng, 1000, 0.2, 0.05))
    return replace(one, tones=((f - 5, f + 5),), tonal=None, due=("tone|peak",))


@kind("tone: deep in noise")
def _deep(rng: Rng) -> Record:
    f = rng.uniform(300, 2000)
    return sines(rng, 5120, 60, [(f, 0.15)]).plus(noise(rng, 5120, 60))


@kind("tone: on an offset")
def _offset(rng: Rng) -> Record:
    one = sines(rng, 1000, 30, [(rng.uniform(40, 300), 1)]).plus(noise(rng, 1000, 30, 0.1))
    return replace(one, samples=one.samples + 40.0, tonal=None)


@kind("tone: low and high")
def _ends(rng: Rng) -> Record:
    tones = [(rng.uniform(1.5, 2.5), 1.0), (rng.uniform(470, 480), 0.5)]
    return sines(rng, 1000, 40, tones).plus(noise(rng, 1000, 40, 0.1))


for _count in (2, 3, 12, 40):

    @kind(f"tones: {_count} at random")
    def _several(rng: Rng, count: int = _count) -> Record:
        places = np.linspace(100, 3800, count + 1)[:-1] + rng.uniform(5, 85, count)
        tones = [(float(f), float(rng.uniform(0.3, 1))) for f in places]
        return sines(rng, 8192, 16, tones, count < 4).plus(noise(rng, 8192, 16, 0.2))


for _apart in (0.3, 0.6, 3.0, 6.0):

    @kind(f"tones: two {_apart:g} bins apart")
    def _pair(rng: Rng, apart: float = _apart) -> Record:
        f, hz = rng.uniform(300, 900), 4000 / 4096
        one = sines(rng, 4000, 30, [(f, 1), (f + apart * hz, 0.7)], apart > 4)
        one = one.plus(noise(rng, 4000, 30, 0.05))
        low, high = one.tones[0][0], one.tones[1][1]
        may = ("unresolved", "comes-and-goes") if apart < 4 else ()
        return replace(one, tones=((low, high),), may=may)


@kind("tones: two, beating slowly")
def _beating(rng: Rng) -> Record:
    f, apart = rng.uniform(300, 900), rng.uniform(1, 1.6)
    one = sines(rng, 2000, 6, [(f, 1), (f + apart, 1)], False).plus(noise(rng, 2000, 6, 0.05))
    return replace(one, tones=((f - 0.3, f + apart + 0.3),), may=("unresolved", "comes-and-goes"))


# Tones that change ------------------------------------------------------------------------------
@kind("change: tone in the first half")
def _half(rng: Rng) -> Record:
    one = sines(rng, 4000, 30, [(rng.uniform(300, 900), 1)])
    gone = shaped(one, _gate(4000, 30, [(0, 15)]), *COMES, due=("% of the frames|% of the time",))
    return gone.plus(noise(rng, 4000, 30, 0.1))


@kind("change: tone for 1 s of 60")
def _once(rng: Rng) -> Record:
    at = rng.uniform(5, 50)
    one = sines(rng, 4000, 60, [(640.0, 1)], False)
    one = shaped(one, _gate(4000, 60, [(at, at + 1)]), *COMES)
    return replace(one, tones=((637, 643),), broad=((637, 643),)).plus(noise(rng, 4000, 60, 0.1))


@kind("change: nine bursts")
def _bursts(rng: Rng) -> Record:
    starts = np.sort(rng.uniform(0, 58, 9))
    one = warbling(rng, 4000, 60, np.full(240000, 640.0), *COMES)
    one = shaped(one, np.minimum(_gate(4000, 60, [(a, a + 0.5) for a in starts]), 1))
    return replace(one, tones=((630, 650),), broad=((630, 650),), may=COMES).plus(
        noise(rng, 4000, 60, 0.05)
    )


@kind("change: three levels")
def _levels(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    t = clock(4000, 30)
    gain = np.select([t < 10, t < 20], [1.0, 3.0], 0.5)
    one = shaped(sines(rng, 4000, 30, [(f, 1)]), gain, "comes-and-goes", *CHANGE)
    return replace(one, tones=(near(f, 1e-3),)).plus(noise(rng, 4000, 30, 0.02))


@kind("change: a decay")
def _decay(rng: Rng) -> Record:
    f = rng.uniform(300, 500)
    one = shaped(sines(rng, 4000, 20, [(f, 1)], False), np.exp(-clock(4000, 20) / 4), *COMES)
    ring_damping = 1 / (4 * 2 * np.pi * f)
    return replace(
        one, tones=(near(f, 2e-3),), modes=((f, ring_damping),), broad=(near(f, 1e-2),)
    ).plus(noise(rng, 4000, 20, 0.01))


@kind("change: phase walks")
def _walk(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    course = f + 3.0 * rng.standard_normal(240000) * math.sqrt(4000) / 25
    one = warbling(rng, 4000, 60, course, *MOVES)
    return replace(one, tones=(near(f, 0.01),), broad=(near(f, 0.01),)).plus(
        noise(rng, 4000, 60, 0.05)
    )


for _memory in (0.05, 0.3, 3.0):

    @kind(f"change: random FM, {_memory:g} s")
    def _fm(rng: Rng, memory: float = _memory) -> Record:
        f = rng.uniform(300, 900)
        course = f * (1 + 0.004 * smooth(rng, 4000, 60, memory))
        # Frames are about 4 s: in some of them a slow one stands elsewhere.
        may = (*MOVES, "breathes", *(COMES if memory > 1 else ()))
        return warbling(rng, 4000, 60, course, *may).plus(noise(rng, 4000, 60, 0.05))


@kind("change: FM at 5 Hz")
def _fm5(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    course = f + 2.0 * np.cos(2 * np.pi * 5 * clock(4000, 30))
    one = warbling(rng, 4000, 30, course, *MOVES).plus(noise(rng, 4000, 30, 0.05))
    return replace(one, families=(near(5.0, 2e-3),), tones=((f - 26, f + 26),))


for _rate, _depth in ((1.5, 0.3), (0.2, 0.8), (7.0, 0.5)):

    @kind(f"change: AM of {_depth:g} at {_rate:g} Hz")
    def _am(rng: Rng, rate: float = _rate, depth: float = _depth) -> Record:
        f = rng.uniform(300, 900)
        gain = 1 + depth * np.cos(2 * np.pi * rate * clock(4000, 30))
        one = shaped(sines(rng, 4000, 30, [(f, 1)]), gain, *COMES, "unresolved")
        one = replace(one, tones=((f - rate - 0.1, f + rate + 0.1),), families=(near(rate, 2e-3),))
        return one.plus(noise(rng, 4000, 30, 0.05))


@kind("change: random AM")
def _random_am(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    one = shaped(sines(rng, 4000, 60, [(f, 1)], False), smooth(rng, 4000, 60, 0.4), *COMES)
    return replace(
        one, tones=(near(f, 0.005),), broad=(near(f, 0.01),), modes=(), may=(*COMES, *MOVES)
    ).plus(noise(rng, 4000, 60, 0.05))


@kind("change: a drift")
def _drift(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    course = np.linspace(f, f + 12, 120000)
    one = warbling(rng, 4000, 30, course, *MOVES, "one tone", due=("moves|runs",))
    return one.plus(noise(rng, 4000, 30, 0.05))


@kind("change: a step of frequency")
def _step(rng: Rng) -> Record:
    f = rng.uniform(300, 900)
    course = np.where(clock(4000, 30) < rng.uniform(10, 20), f, 1.13 * f)
    return warbling(rng, 4000, 30, course, *MOVES, *COMES, "one tone").plus(
        noise(rng, 4000, 30, 0.05)
    )


@kind("change: one after the other")
def _sequence(rng: Rng) -> Record:
    course = np.repeat([200.0, 300.0, 500.0, 700.0], 40000)
    one = warbling(rng, 4000, 40, course, *MOVES, *COMES, "one tone")
    tones = tuple(near(f, 2e-3) for f in (200, 300, 500, 700))
    return replace(one, tones=tones, broad=()).plus(noise(rng, 4000, 40, 0.05))


@kind("change: a staircase")
def _stairs(rng: Rng) -> Record:
    course = np.repeat(rng.uniform(100, 1500, 12), 10240)
    one = warbling(rng, 5120, 24, course, *MOVES, *COMES, "one tone")
    tones = tuple(near(float(f), 5e-3) for f in np.unique(course))
    return replace(one, tones=tones, broad=()).plus(noise(rng, 5120, 24, 0.05))


@kind("change: two, in turn")
def _in_turn(rng: Rng) -> Record:
    t = clock(4000, 40)
    gate = np.sin(2 * np.pi * t / 5) > 0
    a, b = 317.0, 521.0
    x = np.where(gate, np.cos(2 * np.pi * a * t), np.cos(2 * np.pi * b * t))
    one = Record(
        x, 4000, (near(a, 2e-3), near(b, 2e-3)), tonal=None, may=(*COMES, "one tone"), due=(a, b)
    )
    return one.plus(noise(rng, 4000, 40, 0.05))


for _name, _a, _b, _fs, _log in (
    ("5 to 29 Hz", 5.0, 29.0, 200.0, False),
    ("20 to 2000 Hz", 20.0, 2000.0, 8000.0, True),
    ("1400 to 900 Hz", 1400.0, 900.0, 5000.0, False),
):

    @kind(f"change: sweep {_name}")
    def _sweep(rng: Rng, a: float = _a, b: float = _b, fs: float = _fs, log: bool = _log) -> Record:
        n = round(fs * 20)
        course = np.geomspace(a, b, n) if log else np.linspace(a, b, n)
        one = warbling(rng, fs, 20, course, *MOVES, "one tone", due=("one tone runs", a, b))
        return one.plus(noise(rng, fs, 20, 0.02))


# Families ---------------------------------------------------------------------------------------
def _family(name: str, numbers: list[int], **more: object) -> None:
    @kind(f"family: {name}")
    def _(rng: Rng) -> Record:
        one = harmonic(rng, 6000, 20, rng.uniform(24, 60), numbers, **more)  # type: ignore[arg-type]
        return one.plus(noise(rng, 6000, 20, 0.03))


_family("three teeth", [1, 2, 3])
_family("odd", [1, 3, 5, 7, 9, 11, 13])
_family("2 to 6", [2, 3, 4, 5, 6])
_family("2, 3, 5, 7", [2, 3, 5, 7])
_family("40 teeth", list(range(1, 41)), levels=lambda n: 1 / math.sqrt(n))
_family("a gap", [1, 2, 3, 4, 9, 10, 11, 12], levels=lambda n: 1.0)


@kind("family: square wave")
def _square(rng: Rng) -> Record:
    f = rng.uniform(20, 40)
    numbers = list(range(1, int(3900 / f), 2))
    return harmonic(rng, 8000, 20, f, numbers, lambda n: 1 / n).plus(noise(rng, 8000, 20, 0.002))


@kind("family: saw, 10 Hz of 1 kHz")
def _saw(rng: Rng) -> Record:
    one = harmonic(rng, 1000, 60, rng.uniform(8, 12), list(range(1, 40)))
    return one.plus(noise(rng, 1000, 60, 0.02))


@kind("family: two, 3 to 4")
def _three_four(rng: Rng) -> Record:
    f = rng.uniform(7, 9)
    one = harmonic(rng, 4000, 40, 3 * f, [1, 2, 3]).plus(harmonic(rng, 4000, 40, 4 * f, [1, 2, 3]))
    return one.plus(noise(rng, 4000, 40, 0.03))


@kind("family: two of their own")
def _two_families(rng: Rng) -> Record:
    one = harmonic(rng, 6000, 20, rng.uniform(24, 30), list(range(1, 9)))
    one = replace(one, may=("unresolved",))  # where teeth of both lie side by side
    return one.plus(harmonic(rng, 6000, 20, rng.uniform(71, 83), [1, 2, 3, 4])).plus(
        noise(rng, 6000, 20, 0.03)
    )


@kind("family: on and off")
def _on_off(rng: Rng) -> Record:
    one = harmonic(rng, 6000, 30, rng.uniform(24, 60), [1, 2, 3, 4, 5], due=False)
    gain = _gate(6000, 30, [(3, 10), (14, 24)])
    tones = tuple((low - 0.5, high + 0.5) for low, high in one.tones)
    one = replace(shaped(one, gain, *COMES), tones=tones, tonal=None)
    return one.plus(noise(rng, 6000, 30, 0.03))


@kind("family: in steps")
def _family_steps(rng: Rng) -> Record:
    t = clock(6000, 30)
    gain = np.select([t < 8, t < 18], [1.0, 3.0], 0.5)
    one = harmonic(rng, 6000, 30, rng.uniform(24, 60), [1, 2, 3, 4, 5])
    return shaped(one, gain, *COMES, due=one.due).plus(noise(rng, 6000, 30, 0.02))


@kind("family: half orders")
def _half_orders(rng: Rng) -> Record:
    f = rng.uniform(20, 30) / 2
    one = harmonic(rng, 4000, 30, f, [1, 2, 3, 4, 5, 6, 8], lambda n: 0.3 if n % 2 else 1.0)
    return replace(one, families=(*one.families, near(2 * f, 5e-4))).plus(
        noise(rng, 4000, 30, 0.03)
    )


@kind("family: gear and sidebands")
def _gear(rng: Rng) -> Record:
    shaft = rng.uniform(8, 12)
    mesh = 37 * shaft
    one = harmonic(rng, 6000, 30, shaft, [1, 2, 3])
    for number, depth in ((1, 0.3), (2, 0.2)):
        about = [(number * mesh + k * shaft, depth / max(abs(k), 0.3)) for k in range(-3, 4)]
        one = one.plus(sines(rng, 6000, 30, about, False))
    return replace(one, families=(*one.families, near(mesh, 3e-4))).plus(noise(rng, 6000, 30, 0.03))


@kind("family: mains")
def _mains(rng: Rng) -> Record:
    f = rng.uniform(49.97, 50.03)
    one = harmonic(rng, 2000, 60, f, [1, 2, 3, 5, 7], lambda n: 1 / n**1.5)
    return replace(one, may=("hum",), due=("50 Hz mains",)).plus(noise(rng, 2000, 60, 0.05))


@kind("family: of 12 random tones none")
def _no_family(rng: Rng) -> Record:
    tones = [(float(f), 1.0) for f in np.sort(rng.uniform(50, 1900, 12))]
    if min(b[0] - a[0] for a, b in pairwise(tones)) < 8:
        return _no_family(rng)
    return sines(rng, 4000, 30, tones, False).plus(noise(rng, 4000, 30, 0.1))


@kind("family: a held note")
def _note(rng: Rng) -> Record:
    t = clock(8000, 6)
    course = rng.uniform(150, 250) * (1 + 0.008 * np.sin(2 * np.pi * 5.5 * t))
    one = harmonic(rng, 8000, 6, course, list(range(1, 9)))
    return replace(one, may=(*one.may, *MOVES)).plus(noise(rng, 8000, 6, 0.02))


@kind("family: half a second, gliding")
def _glide(rng: Rng) -> Record:
    course = np.linspace(105, 113, 4000)
    one = harmonic(rng, 8000, 0.5, course, list(range(1, 9)))
    return replace(one, may=(*one.may, *MOVES)).plus(noise(rng, 8000, 0.5, 0.02))


for _wander, _memory in ((0.0006, 3.0), (0.01, 2.0)):

    @kind(f"family: breathes by {100 * _wander:g} %")
    def _breathing(rng: Rng, wander: float = _wander, memory: float = _memory) -> Record:
        f = rng.uniform(26, 34)
        course = f * (1 + wander * smooth(rng, 4096, 40, memory))
        one = harmonic(rng, 4096, 40, course, list(range(1, 25)), lambda n: 1 / math.sqrt(n))
        one = replace(one, may=(*one.may, *MOVES, *COMES), due=("breathe|mov|run",))
        return one.plus(noise(rng, 4096, 40, 0.1))


for _name, _points in (
    ("8 to 40 Hz", [8.0, 40.0]),
    ("with plateaus", [10.0, 20.0, 20.0, 35.0, 35.0, 50.0]),
    ("coasting down", [45.0, 30.0, 19.0, 12.0]),
):

    @kind(f"family: runs {_name}")
    def _run(rng: Rng, points: list[float] = _points) -> Record:
        course = np.interp(np.arange(200000), np.linspace(0, 200000, len(points)), points)
        one = harmonic(rng, 5000, 40, course, list(range(1, 9)), lambda n: 1 / math.sqrt(n))
        may = (*one.may, *MOVES, *COMES)
        one = replace(one, may=may, due=("run|mov",), broad=((5.0, 420.0),))
        return one.plus(noise(rng, 5000, 40, 0.1))


# Modes ------------------------------------------------------------------------------------------
for _damping in (0.001, 0.005, 0.01, 0.02, 0.05):

    @kind(f"mode: {100 * _damping:g} %")
    def _mode(rng: Rng, damping: float = _damping) -> Record:
        one = mode(rng, 4000, 60, rng.uniform(300, 900), damping, due=damping > 0.002)
        return replace(one, may=("damping-limited",)).plus(noise(rng, 4000, 60, 0.05))


for _apart in (0.025, 0.06):

    @kind(f"mode: two, {100 * _apart:g} % apart")
    def _modes(rng: Rng, apart: float = _apart) -> Record:
        f = rng.uniform(300, 500)
        one = mode(rng, 4000, 60, f, 0.01, due=False)
        one = one.plus(mode(rng, 4000, 60, f * (1 + apart), 0.01, due=False))
        return replace(one, due=("Resonance",)).plus(noise(rng, 4000, 60, 0.05))


@kind("mode: excitation swells")
def _swelling_mode(rng: Rng) -> Record:
    gain = 1 + 0.6 * np.sin(2 * np.pi * 0.11 * clock(4000, 60))
    one = mode(rng, 4000, 60, rng.uniform(300, 900), 0.01)
    return shaped(one, gain, *COMES, due=one.due).plus(noise(rng, 4000, 60, 0.03))


@kind("mode: beside a tone")
def _mode_tone(rng: Rng) -> Record:
    f = rng.uniform(300, 800)
    return (
        mode(rng, 4000, 60, f, 0.02)
        .plus(sines(rng, 4000, 60, [(1.4 * f, 0.5)]))
        .plus(noise(rng, 4000, 60, 0.05))
    )


@kind("mode: under a tone")
def _mode_under(rng: Rng) -> Record:
    f = rng.uniform(300, 800)
    one = mode(rng, 4000, 60, f, 0.02, due=False)
    return one.plus(sines(rng, 4000, 60, [(1.004 * f, 1.0)])).plus(noise(rng, 4000, 60, 0.05))


@kind("mode: and a family")
def _mode_family(rng: Rng) -> Record:
    one = mode(rng, 4000, 60, rng.uniform(820, 960), 0.015)
    return one.plus(harmonic(rng, 4000, 60, rng.uniform(24, 60), list(range(1, 11)))).plus(
        noise(rng, 4000, 60, 0.05)
    )


@kind("mode: 51.2 kHz, 5 s")
def _fast_mode(rng: Rng) -> Record:
    one = mode(rng, 51200, 5, rng.uniform(3000, 9000), 0.01)
    return one.plus(noise(rng, 51200, 5, 0.05))


@kind("mode: taps")
def _taps(rng: Rng) -> Record:
    times = 0.5 + 2.0 * np.arange(15) + rng.uniform(-0.2, 0.2, 15)
    one = struck(rng, 5000, 30, times, rng.uniform(300, 900), 0.015, 1.0)
    return replace(one, may=COMES).plus(noise(rng, 5000, 30, 0.02))


@kind("mode: taps beside hum")
def _taps_hum(rng: Rng) -> Record:
    hum = harmonic(rng, 5000, 30, 50.0, [1, 3], lambda n: 0.1, due=False)
    return replace(_taps(rng), due=()).plus(replace(hum, may=("hum",)))


@kind("mode: rings at random")
def _rings(rng: Rng) -> Record:
    times = np.sort(rng.uniform(0, 60, 90))
    one = struck(rng, 4000, 60, times, rng.uniform(300, 900), 0.005, 1.0)
    return replace(one, may=COMES).plus(noise(rng, 4000, 60, 0.05))


# Hits -------------------------------------------------------------------------------------------
for _slip, _snr in ((0.002, 0.0), (0.01, -5.0), (0.01, 5.0), (0.03, 0.0)):

    @kind(f"hits: slip {100 * _slip:g} %, {_snr:g} dB")
    def _hits(rng: Rng, slip: float = _slip, snr: float = _snr) -> Record:
        rate, f = rng.uniform(60, 110), rng.uniform(2500, 4000)
        one = struck(rng, 12800, 10, slipping(rng, 10, rate, slip), f, 0.04, 10 ** (snr / 20))
        wide = ((rate * 0.99, rate * 1.01),)
        tones = tuple((n * rate * 0.99, n * rate * 1.01) for n in range(1, 80))
        one = replace(one, hits=(rate,), families=wide, tones=tones, due=("times a second|Famil",))
        return replace(one, may=("moving", "breathes", "unresolved", "no tones")).plus(
            noise(rng, 12800, 10)
        )


@kind("hits: beside a family")
def _hits_family(rng: Rng) -> Record:
    one = KINDS["hits: slip 1 %, 5 dB"](rng)
    return one.plus(harmonic(rng, 12800, 10, rng.uniform(22, 30), [1, 2, 3, 4, 5]))


@kind("hits: none in a vowel")
def _vowel(rng: Rng) -> Record:
    f = rng.uniform(100, 160)

    def level(n: int) -> float:
        return float(sum(1 / (1 + ((n * f - c) / w) ** 2) for c, w in ((700, 60), (1150, 80))))

    one = harmonic(rng, 12800, 5, f, list(range(1, 30)), level)
    return one.plus(noise(rng, 12800, 5, 0.02))


@kind("hits: none in three sines")
def _three_sines(rng: Rng) -> Record:
    tones = [(float(f), 1.0) for f in (rng.uniform(300, 900), rng.uniform(1e3, 2e3), 3111.0)]
    return sines(rng, 12800, 5, tones).plus(noise(rng, 12800, 5, 0.01))


# Samples ----------------------------------------------------------------------------------------
for _bits in (5, 8, 12):

    @kind(f"samples: sine of {_bits} bits")
    def _bits_of(rng: Rng, bits: int = _bits) -> Record:
        f = rng.uniform(300, 900)
        one = sines(rng, 8000, 10, [(f, 0.9)])
        half = 2 ** (bits - 1)
        x = np.round(one.samples * half) / half
        odd = harmonic(rng, 8000, 10, f, list(range(1, 26)), due=False)
        return replace(
            one,
            samples=x,
            may=("quantised",),
            tones=((10, 3990),) if bits < 12 else odd.tones,
            families=odd.families,
            tonal=None,
        )


@kind("samples: clipped sine")
def _clipped(rng: Rng) -> Record:
    f = rng.uniform(100, 300)
    one = sines(rng, 8000, 10, [(f, 1.5)])
    x = np.clip(one.samples + 0.001 * rng.standard_normal(80000), -1, 1)
    odd = harmonic(rng, 8000, 10, f, list(range(1, 400)), due=False)
    folded = ((1.0, 3999.0),)
    return replace(
        one,
        samples=x,
        may=("clipped",),
        tones=folded,
        families=odd.families,
        tonal=None,
        due=("recorder's limit",),
    )


@kind("samples: clipped noise")
def _clipped_noise(rng: Rng) -> Record:
    one = noise(rng, 5000, 20)
    return replace(one, samples=np.clip(one.samples, -1.5, 1.5), may=("clipped",), due=("limit",))


@kind("samples: zeros in the middle")
def _zeros(rng: Rng) -> Record:
    one = sines(rng, 4000, 30, [(rng.uniform(300, 900), 1)]).plus(noise(rng, 4000, 30, 0.2))
    t = clock(4000, 30)
    tones = ((one.tones[0][0] - 0.3, one.tones[0][1] + 0.3),)
    gone = shaped(
        one, np.where((t > 11) & (t < 16), 0.0, 1.0), *COMES, due=("nothing|zeros|silen",)
    )
    return replace(gone, tones=tones, tonal=None)


@kind("samples: leading zeros")
def _leading(rng: Rng) -> Record:
    one = noise(rng, 4000, 30)
    return shaped(
        one, np.where(clock(4000, 30) < 3, 0.0, 1.0), *CHANGE, due=("nothing|zeros|silen",)
    )


@kind("samples: all zeros")
def _nothing(rng: Rng) -> Record:
    return Record(np.zeros(20000), 1000, may=("constant",), due=("[Nn]othing moves",))


@kind("samples: constant")
def _constant(rng: Rng) -> Record:
    return Record(np.full(20000, 3.3), 1000, may=("constant",), due=("3.3 V: nothing moves",))


@kind("samples: a spike")
def _spike(rng: Rng) -> Record:
    one = noise(rng, 4000, 30)
    x = one.samples.copy()
    x[rng.integers(20000, 100000)] = 300.0
    return replace(one, samples=x, may=(*CHANGE, "spikes"), due=("spike",))


@kind("samples: dropouts")
def _dropouts(rng: Rng) -> Record:
    one = noise(rng, 4000, 30)
    x = one.samples.copy()
    for at in rng.integers(0, len(x) - 500, 12):
        x[at : at + 300] = x[at]
    return replace(one, samples=x, may=("held",), due=("dropout",))


@kind("samples: an offset steps")
def _offset_step(rng: Rng) -> Record:
    one = noise(rng, 1000, 60, 0.3)
    x = one.samples + np.where(clock(1000, 60) > rng.uniform(10, 50), 4.0, 0.0)
    may = (*CHANGE, "offset-step")
    return replace(one, samples=x, may=may, tonal=None, due=("steps by (3.9|4)",))


@kind("samples: a drift")
def _ramp(rng: Rng) -> Record:
    one = sines(rng, 1000, 60, [(rng.uniform(60, 300), 1)]).plus(noise(rng, 1000, 60, 0.1))
    x = one.samples + np.linspace(-5, 5, 60000)
    may = (*CHANGE, "drift")
    return replace(one, samples=x, tonal=None, may=may, due=(*one.due, "drifts by (9.9|10)"))


@kind("samples: lost")
def _lost(rng: Rng) -> Record:
    one = sines(rng, 20480, 10, [(rng.uniform(300, 900), 1)]).plus(noise(rng, 20480, 10, 0.1))
    x = one.samples.copy()
    x[np.unique(rng.integers(5, len(x) - 5, 40))] = 0
    due = (*one.due, "lost samples")
    return replace(one, samples=x, may=("zeroed",), due=due, tonal=None)


@kind("samples: a block repeats")
def _blocks(rng: Rng) -> Record:
    x = np.tile(rng.standard_normal(2000), 40)
    lines = ((1.0, 1999.0),)
    return Record(
        x,
        4000,
        tones=lines,
        families=(near(2.0, 5e-4),),
        tonal=None,
        may=("repeats",),
        due=("repeats",),
    )


# Mixtures ---------------------------------------------------------------------------------------
@kind("mixture: family, tone, a late burst")
def _mixture1(rng: Rng) -> Record:
    one = harmonic(rng, 4000, 40, rng.uniform(24, 60), [1, 2, 3, 4, 5])
    at = rng.uniform(10, 30)
    burst = shaped(sines(rng, 4000, 40, [(640.5, 0.6)], False), _gate(4000, 40, [(at, at + 1)]))
    burst = replace(burst, tones=((637, 644),), broad=((637, 644),), may=COMES)
    one = one.plus(sines(rng, 4000, 40, [(rng.uniform(810, 900), 0.3)]))
    return one.plus(burst).plus(noise(rng, 4000, 40, 0.1))


@kind("mixture: a wandering line below a family")
def _mixture8(rng: Rng) -> Record:
    f = rng.uniform(60, 120)
    steps = rng.standard_normal(40 * 4000) * math.sqrt(2 * math.pi * rng.uniform(0.05, 0.5) / 4000)
    walk = Record(np.sin(2 * np.pi * f * clock(4000, 40) + np.cumsum(steps)), 4000, tonal=None)
    walk = replace(walk, tones=(near(f, 0.02),), broad=(near(f, 0.02),), may=(*MOVES, *COMES))
    teeth = harmonic(rng, 4000, 40, rng.uniform(180, 220), [1, 2, 3, 4, 5], lambda n: 0.5 / n)
    return teeth.plus(walk).plus(noise(rng, 4000, 40, 0.03))


@kind("mixture: a loud tone for 3 s beside one that swells")
def _mixture9(rng: Rng) -> Record:
    at, f, g = rng.uniform(3, 20), rng.uniform(60, 120), rng.uniform(180, 300)
    gated = shaped(sines(rng, 1000, 30, [(f, 0.8)], False), _gate(1000, 30, [(at, at + 3)]), *COMES)
    swells = 1 + 0.6 * np.sin(2 * np.pi * 0.4 * clock(1000, 30))
    one = shaped(sines(rng, 1000, 30, [(g, 0.5)]), swells, *COMES)
    one = replace(one, tones=((g - 1, g + 1),), due=(g,))
    one = one.plus(replace(gated, tones=((f - 1, f + 1),), broad=((f - 1, f + 1),)))
    return replace(one.plus(noise(rng, 1000, 30, 0.05)), tonal=None)


@kind("mixture: a machine, and a band of noise for a while")
def _mixture10(rng: Rng) -> Record:
    one = harmonic(rng, 4096, 240, rng.uniform(21, 27), [1, 2, 3, 4, 6], lambda n: 0.1 / n)
    burst = band(rng, 4096, 240, 1150, 1450, 0.06)
    at = rng.uniform(40, 160)
    burst = shaped(burst, _gate(4096, 240, [(at, at + 20)]), *COMES)
    return one.plus(replace(burst, tones=(), broad=((1000, 1600),))).plus(
        noise(rng, 4096, 240, 0.01)
    )


@kind("mixture: mode, tone, a thud")
def _mixture2(rng: Rng) -> Record:
    one = mode(rng, 4000, 40, rng.uniform(300, 500), 0.01)
    one = one.plus(sines(rng, 4000, 40, [(rng.uniform(1210, 1400), 0.5)]))
    at = rng.uniform(10, 30)
    thud = shaped(band(rng, 4000, 40, 900, 1150, 6.0), _gate(4000, 40, [(at, at + 0.2)]), *COMES)
    return one.plus(thud).plus(noise(rng, 4000, 40, 0.1))


@kind("mixture: tone and swelling noise")
def _mixture3(rng: Rng) -> Record:
    gain = 1 + 0.8 * np.sin(2 * np.pi * 0.1 * clock(4000, 40))
    one = shaped(noise(rng, 4000, 40), gain, *CHANGE, due=("changes by",))
    return one.plus(sines(rng, 4000, 40, [(rng.uniform(300, 900), 1.0)]))


@kind("mixture: tone and a passing sweep")
def _mixture4(rng: Rng) -> Record:
    course = np.interp(clock(4000, 40), [10, 20], [1000, 1400])
    sweep = warbling(rng, 4000, 40, course, *MOVES, *COMES)
    one = shaped(sweep, _gate(4000, 40, [(10, 20)]), *COMES)
    one = replace(one, tones=((995, 1405),), broad=((995, 1405),))
    return one.plus(sines(rng, 4000, 40, [(rng.uniform(300, 900), 1.0)])).plus(
        noise(rng, 4000, 40, 0.1)
    )


@kind("mixture: everything at 25.6 kHz")
def _mixture5(rng: Rng) -> Record:
    one = harmonic(rng, 25600, 12, rng.uniform(24, 30), list(range(1, 8)))
    one = one.plus(mode(rng, 25600, 12, rng.uniform(4000, 6000), 0.01))
    one = one.plus(sines(rng, 25600, 12, [(rng.uniform(1500, 1900), 0.5)], False))
    return one.plus(noise(rng, 25600, 12, 0.2))


@kind("mixture: hum and a mode")
def _mixture6(rng: Rng) -> Record:
    hum = harmonic(rng, 2000, 60, 50.01, [1, 2, 3, 5], lambda n: 0.5 / n)
    hum = replace(hum, may=("hum",), due=("mains",))
    return hum.plus(mode(rng, 2000, 60, rng.uniform(310, 390), 0.01)).plus(
        noise(rng, 2000, 60, 0.05)
    )


@kind("mixture: ten minutes of a machine")
def _mixture7(rng: Rng) -> Record:
    one = harmonic(rng, 1024, 600, rng.uniform(14, 18), list(range(1, 12)))
    one = one.plus(mode(rng, 1024, 600, rng.uniform(210, 260), 0.02))
    return one.plus(noise(rng, 1024, 600, 0.2))
