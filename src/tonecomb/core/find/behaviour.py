"""How a tone behaves over the stretch, from the frames one by one.

In each frame a tone is followed within its own peak: the bins about it that stand 6 dB over the
floor, as far as the saddle to the next peak. The offset from the highest bin is that of a Hann
window, 2(X₊−X₋)/(2X₀+X₊+X₋); its power is the peak's less the noise's, over the noise bandwidth,
which loses nothing when the tone moves within the frame. Standard deviations of means over the
frames follow from second differences, which are noise, and from first differences, by which what
happens between the frames is unknown.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.frame_statistics import ENBW, Courses, line_offset
from tonecomb.core.find.changes import spans
from tonecomb.core.find.tone import Tone
from tonecomb.core.record.recording import Array

Kind = Literal["steady", "moves", "comes and goes", "modulated", "wanders", "hump"]
_LEAST_FRAMES = 6  # in which it can be told what a tone does
_VISIBLE = 6.0  # times the noise of a frame's bin from which a frame tells a frequency
_OFFSET_NOISE = 0.6  # variance of an offset, bins², for a noise as strong as the tone
_MOVES = 3.0  # times what noise alone would do
_MOVES_BINS = 0.05  # that a tone's place scatters by at least, if it moves
_MOVES_INSIDE = 0.25  # bins that what begins or ends moves by: its ends put neighbours off, too
_ABSENT = 0.1  # of the power while it stands: a frame below is one without the tone
_GOES = 0.06  # of the frames
# Of the power while it stands: a frame with less has its beginning or end; of all, in the others
_WHOLE, _MOSTLY = 0.7, 0.8
_MODULATED = 4.0  # times what noise alone makes of a steady tone
_DEPTH2 = 0.01  # least relative variance of the power that counts as modulation
_POWER_INSIDE, _POWER_ENDS = 0.12, 0.5  # of the change from frame to frame, see _between
_BROAD = 1.3  # times a line's own uncertainty is that of all the bins of a broad peak
_ANYWHERE = 0.25  # of a peak that a place in it is uncertain
_SPREADS = 0.3  # of the power of a frame in which a tone begins or ends
# Of a bin, within the stretch and at its ends, that a course may lie off
_COURSE_INSIDE, _COURSE_ENDS = 0.15, 0.5
_OVERLAP = 1.25  # overlapped frames are not independent
_PURE = 0.6  # share of a peak's power within a line's width below which it is noise
_COHERENT = 0.35  # share of the power in one phase, below which it is noise (benchmark changing)
_ONE_PHASE = 0.6  # share of the power in one phase from which the frequency does not move
_SPREAD = 0.4  # relative scatter of the power, by power, from which a peak may be noise
_COHERENT_HELD = 0.8  # of a steady line's power, that its peak holds at least
_KIN = 0.65  # correlation of two frames that do not overlap, below which nothing ties them


@dataclass(frozen=True)
class Behaviour:
    """``kind`` says it in a word; ``hump`` is a broad peak, no line, and what ``wanders`` one whose
    phase does, from ``low`` to ``high`` (Hz) at half its power. ``share`` is that of the
    frames in which the tone stands, ``present`` its peak amplitude then; from ``low`` to ``high``
    (Hz) it moves, both its frequency where it does not. ``swing_db`` is by how much its power
    changes, and ``absent`` are spans (s from the stretch's start) in which it does not stand."""

    kind: Kind
    share: float
    present: float
    low: float
    high: float
    swing_db: float = 0.0
    absent: tuple[tuple[float, float], ...] = ()

    @property
    def moved(self) -> float:
        """How far it moves, Hz."""
        return self.high - self.low


@dataclass(frozen=True, eq=False)
class _Course:
    """A tone in each frame: ``offset`` is its frequency in bins, ``power`` its mean square (that
    of the noise taken off), ``line`` the part of it in a line's width, ``noise`` the noise's per
    bin; ``seen`` where a frame tells a frequency. Shape (frames,)."""

    offset: Array
    power: Array
    line: Array
    noise: Array
    seen: np.ndarray
    share: Array


def _course(courses: Courses, first: int, last: int) -> _Course | None:
    """Follow what is between two bins of the frames; None where they are not kept."""
    a, b = courses.around(first - 1, last + 1)
    if b - a < 3 or courses.bins[b - 1] - courses.bins[a] != b - a - 1:
        return None
    x = courses.lines[:, a:b]
    squares = x.real.astype(np.float64) ** 2 + x.imag.astype(np.float64) ** 2
    noise = courses.level((first + last) // 2)
    top = 1 + np.argmax(squares[:, 1:-1], axis=1)
    rows = np.arange(len(x))
    delta = line_offset(x[rows, top - 1], x[rows, top], x[rows, top + 1])
    delta = np.clip(delta, -0.75, 0.75)
    running = np.cumsum(np.pad(squares, ((0, 0), (1, 0))), axis=1)
    low, high = np.maximum(top - 2, 0), np.minimum(top + 3, squares.shape[1])
    line = running[rows, high] - running[rows, low] - (high - low) * noise
    return _Course(
        offset=courses.bins[a] + top + delta,
        power=(squares.sum(axis=1) - squares.shape[1] * noise) / ENBW,
        line=line / ENBW,
        noise=noise,
        seen=squares[rows, top] > _VISIBLE * noise,
        share=courses.share,
    )


def _between(values: Array, weights: Array, inside: float, ends: float) -> float:
    """Variance of a weighted mean that comes of what happens between the frames: so much of the
    difference of neighbours is not known at each, and more at the ends, which stand for what lies
    beyond them."""
    change = np.gradient(values)
    unknown = np.full(len(values), inside)
    unknown[[0, -1]] = ends
    return float(weights**2 @ (unknown * change) ** 2) / float(weights.sum()) ** 2


def _lengthened(values: Array, courses: Courses) -> Array:
    """The values with those at the ends taken on to the middle of what they stand for, by the
    slope there."""
    framing = courses.framing
    tail = framing.length - (framing.places - 1) * framing.hop - framing.frame
    beyond = (framing.frame - framing.hop) / 2
    out = values.copy()
    out[0] -= (values[1] - values[0]) * beyond / (2 * framing.hop)
    out[-1] += (values[-1] - values[-2]) * (beyond + tail) / (2 * framing.hop)
    return out


def behaviour(
    courses: Courses, first: int, last: int, tone: Tone, fs: float
) -> tuple[Behaviour, Tone] | None:
    """What the tone between two bins (of a frame) does, and the tone with figures that follow
    from that; None with too few frames to tell."""
    if courses.framing.count < _LEAST_FRAMES:
        return None
    course = _course(courses, first, last)
    hz = courses.bin_hz
    if course is None:
        return _unseen(tone, hz)
    power = float(course.share @ course.power)
    if power <= 0 or not course.seen.any():
        return _unseen(tone, _ANYWHERE * (last - first) * hz) or (_steady(tone), tone)
    if tone.steady and power < _COHERENT_HELD * tone.amplitude**2 / 2:
        # No part in one phase is stronger than the whole. Many bins share a level: the noise was
        # taken for more than there is here. A line in one phase is what it is.
        return _steady(tone), tone
    weights = np.where(course.seen, np.maximum(course.power, 0.0), 0.0) * course.share
    by_power = weights / weights.sum()
    present = _upper(course.power, by_power)
    gone = float(course.share[course.power < _ABSENT * present].sum())
    moves, (low, high) = _moves(course, by_power, course.seen)
    inner = course.seen & (course.power > _WHOLE * present)
    if moves and gone > _GOES and float(by_power[inner].sum()) > _MOSTLY:
        # Where it begins or ends within a frame, its place is not a window's line.
        moves, (low, high) = _moves(course, by_power, inner)
        moves = moves and high - low > _MOVES_INSIDE
    changes = _changes(course, power)
    kind: Kind = "steady"
    if not tone.steady and _is_noise(courses, course, by_power, first, last, power):
        kind = "hump"
    elif moves and not tone.steady and _coherence(courses, first, last) < _ONE_PHASE:
        kind = "moves"
    elif changes:
        kind = "comes and goes" if gone > _GOES and not tone.steady else "modulated"
    if kind == "steady" and tone.steady:
        return _steady(tone), tone
    made = _of_power(courses, course, kind, present, gone, tone)
    if kind == "moves":
        # By time where the power is the same: what it seems to be is noise there.
        made = _moving(courses, course, changes, made)
    elif not tone.steady:
        off = np.where(course.power > 0.5 * present, course.offset * hz - tone.frequency, 0.0)
        scatter = _OVERLAP * float(np.sqrt(by_power**2 @ off**2))
        made = replace(made, frequency_std=max(tone.frequency_std, scatter))
    f = made.frequency
    at = (min(low * hz, f), max(high * hz, f)) if kind == "moves" else (f, f)
    told = Behaviour(kind, 1.0, made.amplitude, *at)
    if kind == "modulated":
        return replace(told, swing_db=_swing(course, present)), made
    if kind == "comes and goes" or (kind in ("steady", "moves") and gone > _GOES):
        told = _in_part(courses, course, told, present, fs)
    return told, made


def _of_power(
    courses: Courses, course: _Course, kind: Kind, present: float, gone: float, tone: Tone
) -> Tone:
    """The tone with the amplitude of the mean power of its peak."""
    power = float(course.share @ course.power)
    if kind == "hump":  # as far from what it is on average as its frames are from each other
        off = course.power - power
        variance = float(course.share**2 @ off**2) * _together(off)
    else:
        variance = _between(course.power, course.share, _POWER_INSIDE, _POWER_ENDS)
    if gone > _GOES:
        # A frame in which a tone begins or ends spreads some of it beyond its peak; and whether
        # it stands in what the last frame leaves over is not known.
        begins = (course.power > _ABSENT * present) & (course.power < (1 - _ABSENT) * present)
        lost = _SPREADS * float(course.share[begins] @ course.power[begins])
        over = (1 - courses.framing.covered_fraction) * present
        variance += lost**2 + over**2
    amplitude = float(np.sqrt(2 * power))
    of_mean = float(np.sqrt(variance)) / power * amplitude / 2
    std = float(np.hypot(_BROAD * tone.amplitude_std, of_mean))
    return replace(tone, amplitude=amplitude, amplitude_std=std)


def _in_part(
    courses: Courses, course: _Course, told: Behaviour, present: float, fs: float
) -> Behaviour:
    """What is told of a tone that stands in a part of the frames."""
    framing = courses.framing
    starts = framing.numbers * framing.hop / fs
    return replace(
        told,
        share=float(course.share[course.power > 0.5 * present].sum()),
        present=float(np.sqrt(2 * present)),
        swing_db=_swing(course, present),
        absent=spans(course.power < _ABSENT * present, starts, framing.frame / fs),
    )


def _swing(course: _Course, present: float) -> float:
    """By how much the power changes, dB; no further down than the noise."""
    low, high = np.quantile(course.power, [0.1, 0.9])
    least = max(float(low), float(course.noise.mean()), 1e-3 * present)
    return float(10 * np.log10(max(float(high), least) / least))


def _unseen(tone: Tone, wide: float) -> tuple[Behaviour, Tone] | None:
    """What there is to say of a tone that the frames do not show: None for one that keeps its
    phase; else it is anywhere in ``wide`` Hz."""
    if tone.steady:
        return None
    tone = replace(tone, frequency_std=max(tone.frequency_std, wide))
    return replace(_steady(tone), kind="hump"), tone


def _steady(tone: Tone) -> Behaviour:
    return Behaviour("steady", 1.0, tone.amplitude, tone.frequency, tone.frequency)


def _changes(course: _Course, power: float) -> bool:
    """Whether the power changes more than the noise makes that of a steady tone."""
    depth = float(course.share @ (course.power - power) ** 2) / power**2
    noise = float(course.share @ course.noise) / power
    return depth > _MODULATED * (2 * noise + noise**2) and depth > _DEPTH2


def _moving(courses: Courses, course: _Course, by_power: bool, tone: Tone) -> Tone:
    """The tone with its mean frequency over the stretch, by time or by power."""
    weights = np.where(course.seen, course.share, 0.0)
    if by_power:
        weights = weights * np.maximum(course.power, 0.0)
    offset = _filled(course)
    mean = float(weights @ _lengthened(offset, courses)) / float(weights.sum())
    second = offset[:-2] - 2 * offset[1:-1] + offset[2:]
    least = np.minimum(np.minimum(weights[:-2], weights[1:-1]), weights[2:])
    noise = float(least**2 @ second**2) / 6 / float(weights.sum()) ** 2
    most = np.maximum(course.power, course.noise)
    by_chance = 2 * course.noise / np.maximum(most, np.finfo(float).tiny)  # silence has neither
    weighing = float(weights**2 @ (by_chance * (offset - mean) ** 2)) / float(weights.sum()) ** 2
    between = _between(offset, weights, _COURSE_INSIDE, _COURSE_ENDS)
    std = np.sqrt(noise + between + (weighing if by_power else 0.0))
    hz = courses.bin_hz
    return replace(
        tone, frequency=mean * hz, frequency_std=max(tone.frequency_std, float(std) * hz)
    )


def _filled(course: _Course) -> Array:
    """The offsets, those of frames that tell none replaced by those of the frames around."""
    at = np.flatnonzero(course.seen)
    return np.asarray(np.interp(np.arange(len(course.offset)), at, course.offset[at]))


def _upper(power: Array, by_power: Array) -> float:
    """Power while the tone stands: the median of the power itself."""
    order = np.argsort(power)
    place = np.searchsorted(np.cumsum(by_power[order]), 0.5)
    return float(power[order[min(int(place), len(order) - 1)]])


def _moves(
    course: _Course, by_power: Array, there: NDArray[np.bool_]
) -> tuple[bool, tuple[float, float]]:
    """Whether the frequency moves in the frames where the tone is ``there``, and the range in bins
    that it covers."""
    middle = float(by_power @ course.offset)
    strong = there & (course.power > 4 * course.noise)
    if strong.sum() < 3:
        return False, (middle, middle)
    offset, weight = course.offset[strong], by_power[strong]
    off = np.abs(offset - middle)
    order = np.argsort(off)
    place = np.searchsorted(np.cumsum(weight[order]), 0.5 * weight.sum())
    spread = 1.48 * float(off[order[min(int(place), len(order) - 1)]])
    by_chance = _OFFSET_NOISE * course.noise[strong] / course.power[strong]
    alone = float(np.sqrt(weight @ by_chance / weight.sum()))
    smooth = offset
    if len(offset) >= 3:
        inner = np.median(np.stack([offset[:-2], offset[1:-1], offset[2:]]), axis=0)
        smooth = np.concatenate([inner[:1], inner, inner[-1:]])
    limits = (float(smooth.min()), float(smooth.max()))
    return bool(spread > max(_MOVES * alone, _MOVES_BINS)), limits


def _is_noise(
    courses: Courses, course: _Course, by_power: Array, first: int, last: int, power: float
) -> bool:
    """Whether a peak is noise that something narrow has passed: it has no line in the frames, or
    one that is as high as it happens to be."""
    pure = float(course.share @ course.line) / power
    lag = max(1, -(-courses.framing.frame // courses.framing.hop))
    if len(course.power) <= lag + 3:
        return False
    if pure < _PURE and last - first > 6 and _kin(course.offset, lag) < _KIN:
        return True
    mean = float(by_power @ course.power)
    spread = float(np.sqrt(by_power @ (course.power - mean) ** 2)) / mean
    if spread < _SPREAD:
        return False
    return _coherence(courses, first, last) < _COHERENT


def _together(off: Array) -> float:
    """How many frames are worth one: 1 + 2 Σ ρ over a sixth of the frames, Bartlett's weights."""
    count = len(off)
    reach = max(2, count // 6)
    products = np.array([off[: count - k] @ off[k:] for k in range(reach)])
    weights = 1 - np.arange(reach) / reach
    return max(1.0, float(2 * weights @ products / products[0]) - 1) if products[0] > 0 else 1.0


def _kin(values: Array, lag: int) -> float:
    """Correlation of values so many frames apart."""
    x = values - values.mean()
    return float(x[:-lag] @ x[lag:] / max(float(x @ x), np.finfo(float).tiny))


def _coherence(courses: Courses, first: int, last: int) -> float:
    """Share of a peak's power that keeps one phase over the frames, at its best frequency."""
    a, b = courses.around(first, last)
    framing, x = courses.framing, courses.lines[:, a:b]
    number = courses.bins[a:b]
    middles = (framing.numbers * framing.hop).astype(np.float64)
    turned = x * np.exp(-2j * np.pi * np.outer(middles / framing.frame, number))
    size = 1 << (4 * framing.places - 1).bit_length()
    even = np.zeros((framing.places, b - a), dtype=np.complex128)
    even[framing.numbers] = turned
    best = np.abs(np.fft.fft(even, size, axis=0)).max(axis=0) ** 2 / len(x) ** 2
    return float(best.max() / np.mean(np.abs(x) ** 2, axis=0)[int(np.argmax(best))])
