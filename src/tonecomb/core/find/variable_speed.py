"""Families of harmonics whose fundamental moves, found and followed frame by frame.

In frames so short that the fundamental hardly moves within one, harmonics of f stand at its
multiples and not halfway between: S(f) = Σ wₕ (L(hf) − L((h−½)f)) / √Σ wₕ², wₕ = h^−½, with L the
logarithm of the power over the noise, clipped. The best path of f through the frames, with a
state in which there is none, is that of Viterbi (IEEE Trans. Inf. Theory IT-13 (1967) 260–269).
A family is told where its teeth keep to their multiples: tones that move each by itself do not.
The fundamental is then measured anew in frames of about six of its periods, by least squares over
the offsets of all teeth.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.frame_statistics import line_offset
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import READ_SAMPLES, frames_of
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.find.fan_chirp import logs_at_rates
from tonecomb.core.find.motion import motion_range
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

_BANDS = (
    (0.6, 8.0, 45.0, 0.06),
    (0.25, 18.0, 110.0, 0.14),
    (0.064, 60.0, 500.0, 0.8),
)  # s of a frame, Hz of the fundamental, and step of the rates (1/s) at which it may change
_RATES = (0, -1, 1, -2, 2, -4, 4, -7, 7)  # steps, at which frames are straightened
_STRAIGHTENED = 1.0  # that straightening has to gain: the best of several is high by chance
_HARMONICS = 8  # of a shaft that are added up
_PER_OCTAVE = 60  # speeds that are tried
_HIGH = 4.5  # above which the logarithm of the power is clipped
_STEP, _FURTHEST = 1.2, 8  # cost of a step of the grid, and the most from frame to frame
_SWITCH, _NEEDED = 6.0, 2.6  # nepers that beginning or ending costs; needed a frame
_TOTAL = 25.0  # score from which a family is there
_TEETH = 3  # that have to lie in the band
_FAR = 40  # the highest tooth that is looked for where the first eight have too few
_JUMP = 0.1  # of the logarithm of the frequency, which is no going on after a silence
_SEEN = 24  # frames in which it is to be seen
_LEVEL = 1.0  # mean logarithm over the noise of a tooth that is there
_STAYS = 0.3  # bins from its multiple within which a tooth's own top is to stay
_MOST_FRAMES = 6000  # that are looked at: seconds of work
_LEAST_FRAMES = 12  # in which a course can be followed
_PERIODS = 6.0  # of the middle speed in a frame that measures
_OUTLIERS = 6.0  # times the scatter, beyond which a frame does not count
_OF_CUT = 0.6  # that a path which leaves its range is worth
_ALIKE, _COMMON, _AGREE = 0.03, 4, 0.8  # of two ranges: off each other, frames, share of them
_BLOCK = 256  # frames at once
WIDEST = 1.45  # of highest over lowest: what moves further is a run, and no mean tells of it
_SURELY = (0.02, 0.98)  # of the frames, that lie in the range of a run
_POINTS = 4000  # of a track at most
_EDGE = 3  # steps of the grid to its end: what goes so far may go on beyond
_RUNS = 1.005  # times its lowest speed, that what runs reaches
_BETWEEN, _ENDS = 0.15, 0.5  # of the change from frame to frame that is unknown, see behaviour


@dataclass(frozen=True, eq=False)
class Moving:
    """A family that moves: the ``mean`` of its fundamental over the frames in which it is heard,
    the standard deviation of that, and the ``low`` and ``high`` ends of what it covers, in Hz.
    ``teeth`` are the numbers of the harmonics that were there, ``share`` that of the frames.
    ``runs`` where it goes so far that it is a run-up and no family about a mean. ``track`` are
    times (s) and the fundamental then (Hz)."""

    mean: float
    std: float
    low: float
    high: float
    teeth: tuple[int, ...]
    share: float
    runs: bool = False
    track: tuple[tuple[float, float], ...] = field(default=(), repr=False)

    @property
    def moved(self) -> float:
        """How far it moves, Hz."""
        return self.high - self.low

    def sweeps(self, frequency: float) -> bool:
        """Whether one of its teeth passes a frequency (Hz)."""
        first, last = math.ceil(frequency / self.high), math.floor(frequency / self.low)
        return max(first, 1) <= last


@dataclass(frozen=True, eq=False)
class _Heard:
    """A path through frames of ``frame`` samples: the fundamental in Hz, shape (frames,), nan
    where there is none, and ``fine`` the same between the steps of its grid; its score, and the
    teeth that keep to it."""

    framing: Framing
    path: Array
    fine: Array
    score: float
    teeth: tuple[int, ...]
    cut: bool

    @property
    def track(self) -> tuple[Array, Array]:
        """Middles (samples) of the frames in which it is heard, and the fundamental there (Hz)."""
        on = np.isfinite(self.fine)
        framing = self.framing
        at = framing.numbers[on] * framing.hop + framing.frame / 2
        return np.asarray(at), self.fine[on]

    def goes_on_in(self, other: _Heard) -> bool:
        """Whether another range has the same family: where both hear one, it is one."""
        (at, f), (theirs, heard) = self.track, other.track
        if len(at) < _COMMON or len(theirs) < _COMMON:
            return False
        near = _apart(theirs, at) < max(self.framing.hop, other.framing.hop)
        same = np.abs(np.log(heard / np.interp(theirs, at, f))) < _ALIKE
        return bool(near.sum() >= _COMMON and same[near].mean() > _AGREE)


def find_moving(
    read: Read, length: int, fs: float, still: Array, progress: Progress = silent
) -> Moving | None:
    """The surest family that moves in ``length`` samples. ``still`` are the frequencies (Hz) of
    tones that stand still, which do not count."""
    heard: list[_Heard] = []
    for k, band in enumerate(_BANDS):
        one = _listen(read, length, fs, still, band, part(progress, 0.3 * k, 0.3 * k + 0.3))
        if one is not None:
            heard.append(one)
    if not heard:
        return None

    def worth(one: _Heard) -> float:
        heard = one.framing.hop * float(np.isfinite(one.path).sum())
        return len(one.teeth) * heard * (_OF_CUT if one.cut else 1.0)

    best = max(heard, key=worth)
    joined = [best, *(one for one in heard if one is not best and best.goes_on_in(one))]
    lows, highs = zip(*(np.quantile(one.track[1], _SURELY) for one in joined), strict=True)
    if max(highs) > WIDEST * min(lows):
        return _run(joined, fs)
    return _measured(read, fs, best)


def _listen(
    read: Read,
    length: int,
    fs: float,
    still: Array,
    band: tuple[float, float, float, float],
    progress: Progress,
) -> _Heard | None:
    """The best path in one range of fundamentals; None where it is no family."""
    seconds, lowest, highest, rate_step = band
    frame = max(64, round(seconds * fs / 2) * 2)
    highest = min(highest, 0.45 * fs / _TEETH)
    hop = frame // 2
    if length < frame + _LEAST_FRAMES * hop or highest < 1.5 * lowest:
        return None
    framing = Framing(length, frame, hop)
    if framing.count > _MOST_FRAMES:  # the middle of a long stretch
        first = (framing.count - _MOST_FRAMES) // 2
        framing = Framing(length, frame, hop, ((first, first + _MOST_FRAMES),))
    count = max(2, round(_PER_OCTAVE * np.log2(highest / lowest)))
    grid = np.geomspace(lowest, highest, count)
    rates = np.array(_RATES) * rate_step
    top = 1.1 * _HARMONICS * highest
    every = logs_at_rates(read, framing, fs, still, top, progress, tuple(rates))
    shift = np.round(rates * hop / fs * _PER_OCTAVE / math.log(2)).astype(int)
    score, straight = _at_best_rates(every, shift, grid, fs / frame)
    path, total = _viterbi(score - _NEEDED, shift[straight])
    if total < _TOTAL or (path >= 0).sum() < _LEAST_FRAMES // 2:
        return None
    rows = np.arange(len(path))
    rate = straight[rows, np.maximum(path, 0)]
    logs = every[0]
    for k in range(1, len(rates)):
        logs[rate == k] = every[k][rate == k]
    on = _as_one(logs, path, grid, fs / frame)
    hz = grid[path[on]]
    teeth = _keeping(logs[on], hz, fs / frame, range(1, _HARMONICS + 1))
    if len(teeth) == _TEETH - 1:
        fine = _finer(logs[on], hz, fs / frame, teeth)
        (wide,) = logs_at_rates(read, framing, fs, still, 1.1 * _FAR * highest, progress)
        teeth += _keeping(wide[on], fine, fs / frame, range(_HARMONICS + 1, _FAR + 1), _SEEN)
    if len(teeth) < _TEETH or np.gcd.reduce(teeth) > 1:
        return None
    fine = np.full(len(path), np.nan)
    fine[on] = _finer(logs[on], hz, fs / frame, tuple(h for h in teeth if h <= _HARMONICS))
    hz = np.where(on, grid[np.maximum(path, 0)], np.nan)
    cut = bool(path[on].min() < _EDGE or path[on].max() >= count - _EDGE)
    return _Heard(framing, hz, fine, total, tuple(int(h) for h in teeth), cut)


def _frames(read: Read, framing: Framing, numbers: range) -> NDArray[np.complex64]:
    """Transforms of Hann frames about their centres, shape (frames, bins)."""
    n, hop = framing.frame, framing.hop
    samples = read(numbers[0] * hop, numbers[-1] * hop + n)
    frames = frames_of(samples, framing)
    weights = window("hann").samples(n)
    tapered = ((frames - frames.mean(axis=1, keepdims=True)) * weights).astype(np.float32)
    values = rfft(tapered)
    values[:, 1::2] *= -1
    return np.asarray(values)


def _scores(logs: Array, grid: Array, bin_hz: float) -> Array:
    """S at each fundamental of the grid, shape (frames, grid): values between the bins, 0 beyond
    the last, each of which tells of two of them."""
    from scipy.sparse import csr_array

    bins = logs.shape[1]
    numbers: Array = np.arange(1, _HARMONICS + 1, dtype=np.float64)
    places = np.concatenate([numbers, numbers - 0.5])[:, None] * grid / bin_hz
    weights = np.concatenate([numbers**-0.5, -(numbers**-0.5)])[:, None]
    low = np.floor(places).astype(int)
    inside = low < bins - 1
    low, share = low[inside], (places - low)[inside]
    weights = np.broadcast_to(weights, places.shape)[inside]
    of = np.broadcast_to(np.arange(len(grid)), places.shape)[inside]
    told = csr_array(
        (
            np.concatenate([weights * (1 - share), weights * share]),
            (np.concatenate([of, of]), np.concatenate([low, low + 1])),
        ),
        shape=(len(grid), bins),
    )
    return np.asarray((told @ logs.T).T) / math.sqrt(float((1 / numbers).sum()))


def _at_best_rates(
    every: list[Array], shift: NDArray[np.int_], grid: Array, bin_hz: float
) -> tuple[Array, NDArray[np.int8]]:
    """Scores (frames, grid) at the rate that gains along its course, and the number of that rate,
    from the logarithms ``every`` rate gives and the steps by which each moves a frame."""
    score = _scores(np.minimum(every[0], _HIGH), grid, bin_hz)
    best, straight = _along(score, 0), np.zeros(score.shape, np.int8)
    for k in range(1, len(every)):
        other = _scores(np.minimum(every[k], _HIGH), grid, bin_hz)
        along = _along(other, int(shift[k])) - _STRAIGHTENED
        sure = along > best
        straight[sure], best[sure], score[sure] = k, along[sure], other[sure] - _STRAIGHTENED
    return score, straight


def _along(score: Array, shift: int) -> Array:
    """The mean of scores (frames, grid) over three frames, of what moves so many steps a frame."""
    padded = np.pad(score, ((1, 1), (abs(shift), abs(shift))), mode="edge")
    first, last = abs(shift), abs(shift) + score.shape[1]
    before = padded[:-2, first - shift : last - shift]
    after = padded[2:, first + shift : last + shift]
    return np.asarray((before + score + after) / 3)


def _viterbi(gain: Array, shift: NDArray[np.int_]) -> tuple[NDArray[np.int_], float]:
    """The best path through ``gain`` (frames, states), −1 for the state of silence, and its sum. A
    state is reached from the one so far below it as ``shift`` says (frames, states), or near it."""
    frames, states = gain.shape
    steps = np.arange(-_FURTHEST, _FURTHEST + 1)
    cost = _STEP * np.abs(steps)
    best, silent_best = gain[0] - _SWITCH, 0.0
    back = np.full((frames, states + 1), -1, dtype=np.int32)
    every = np.arange(states)
    for k in range(1, frames):
        of = (every - shift[k])[:, None] + steps
        reached = np.where((of >= 0) & (of < states), best[of.clip(0, states - 1)], -np.inf) - cost
        move = np.argmax(reached, axis=1)
        value = reached[every, move]
        start = silent_best - _SWITCH
        top = int(np.argmax(best))
        came = np.where(value >= start, of[every, move], -1)
        back[k, :states] = came
        if best[top] - _SWITCH > silent_best:
            back[k, states], silent_best = top, float(best[top]) - _SWITCH
        best = np.maximum(value, start) + gain[k]
    at = int(np.argmax(best)) if best.max() > silent_best else -1
    total = float(max(best.max(), silent_best))
    path = np.empty(frames, dtype=int)
    for k in range(frames - 1, -1, -1):
        path[k] = at
        if k:
            at = int(back[k, at if at >= 0 else states])
    return path, total


def _as_one(logs: Array, path: NDArray[np.int_], grid: Array, bin_hz: float) -> NDArray[np.bool_]:
    """The frames in which the path is that of one family. After a silence it may go on at another
    tooth of it, or at something else: such parts count where they have the teeth of the best."""
    on = path >= 0
    heard = np.flatnonzero(on)
    hz = grid[path[heard]]
    jumps = (np.diff(heard) > 1) & (np.abs(np.log(hz[1:] / hz[:-1])) > _JUMP)
    parts = np.split(heard, np.flatnonzero(jumps) + 1)
    if len(parts) == 1:
        return on
    numbers = range(1, _HARMONICS + 1)
    teeth = [set(_keeping(logs[one], grid[path[one]], bin_hz, numbers)) for one in parts]
    best = max(range(len(parts)), key=lambda i: len(teeth[i]) * len(parts[i]))
    for one, own in zip(parts, teeth, strict=True):
        on[one] = own >= teeth[best]
    return on


def _tops(
    logs: Array, path: Array, bin_hz: float, h: int
) -> tuple[Array, NDArray[np.bool_], float]:
    """How far the top about tooth ``h`` is from its multiple of the path (bins), in which frames it
    is there, both shape (frames,), and its mean logarithm over the noise."""
    rows = np.arange(len(logs))
    place = np.round(h * path / bin_hz).astype(int)
    near = np.stack([logs[rows, place + k] for k in (-2, -1, 0, 1, 2)], axis=1)
    top = np.argmax(near, axis=1)
    high = near[rows, top]
    inner = (top > 0) & (top < 4)
    left = near[rows, np.maximum(top - 1, 0)]
    right = near[rows, np.minimum(top + 1, 4)]
    curve = left + right - 2 * high
    with np.errstate(divide="ignore", invalid="ignore"):
        between = np.where(curve < 0, 0.5 * (left - right) / curve, 0.0)
    off = place + top - 2 + np.clip(between, -0.5, 0.5) - h * path / bin_hz
    return off, (high > 2.0) & inner, float(np.minimum(near[:, 1:4].max(axis=1), _HIGH).mean())


def _keeping(
    logs: Array, path: Array, bin_hz: float, numbers: range, seen: int = 1
) -> tuple[int, ...]:
    """The ``numbers`` of teeth that are there, in so many frames at least, and keep to their
    multiple of the path."""
    # The grid's own steps are part of what a tooth may be off, unless the path was made finer.
    step = 0.5 * float(np.median(path)) / bin_hz * (2 ** (1 / _PER_OCTAVE) - 1)
    found = []
    for h in numbers:
        if round(h * path.max() / bin_hz) + 2 >= logs.shape[1]:
            break
        off, there, level = _tops(logs, path, bin_hz, h)
        if there.mean() < 0.3 or there.sum() < seen or level < _LEVEL:
            continue
        allowed = _STAYS + (h * step if h <= _HARMONICS else 0.0)
        if float(np.median(np.abs(off[there]))) < allowed:
            found.append(h)
    return tuple(found)


def _finer(logs: Array, path: Array, bin_hz: float, teeth: tuple[int, ...]) -> Array:
    """The path between the steps of its grid, by least squares over its teeth's tops."""
    above, below = np.zeros(len(path)), np.zeros(len(path))
    for h in teeth:
        off, there, _ = _tops(logs, path, bin_hz, h)
        above[there] += h * off[there] * bin_hz
        below[there] += h * h
    return path + np.divide(above, below, out=np.zeros(len(path)), where=below > 0)


def _measured(read: Read, fs: float, heard: _Heard) -> Moving | None:
    """Mean and range of the fundamental, from frames of about six periods."""
    on = np.isfinite(heard.path)
    middle = float(np.median(heard.path[on]))
    n = round(_PERIODS * fs / middle / 2) * 2
    hop = n // 2
    framing = Framing(heard.framing.length, n, hop)
    centres = (heard.framing.numbers * heard.framing.hop + heard.framing.frame / 2)[on]
    first = max(0, int((centres[0] - n / 2) // hop))
    last = min(framing.places, int((centres[-1] - n / 2) // hop) + 2)
    if last - first < _LEAST_FRAMES:
        return None
    framing = Framing(heard.framing.length, n, hop, ((first, last),))
    at: Array = np.asarray(framing.numbers * hop + n / 2)
    low_teeth = tuple(h for h in heard.teeth if h <= _HARMONICS)  # the path is as fine as these
    rough = np.interp(at, centres, heard.path[on])
    near = _apart(at, centres) <= heard.framing.hop  # elsewhere it is not heard
    values, weights = np.full(len(at), np.nan), np.zeros(len(at))
    done = 0
    for numbers in framing.blocks(min(_BLOCK * hop, READ_SAMPLES)):
        rows = slice(done, done + len(numbers))
        values[rows], weights[rows] = _by_teeth(
            _frames(read, framing, numbers), rough[rows], fs / n, low_teeth
        )
        done += len(numbers)
    use = near & (weights > 0)
    if use.sum() < _LEAST_FRAMES:
        return None
    off = values - rough
    spread = 1.4826 * float(np.median(np.abs(off[use] - np.median(off[use]))))
    use &= np.abs(off - np.median(off[use])) <= _OUTLIERS * spread + 1e-12
    # A frame that cannot be read moves on with those about it: leaving it out would weigh the
    # mean towards where the family moves slowly.
    f = np.interp(np.flatnonzero(near), np.flatnonzero(use), values[use])
    mean = float(np.average(f, weights=_stands_for(at[near], hop, n, framing.length)))
    second = f[:-2] - 2 * f[1:-1] + f[2:]
    change = np.gradient(f)
    unknown = np.full(len(f), _BETWEEN)
    unknown[[0, -1]] = _ENDS
    variance = (float(np.mean(second**2)) / 6 + float(np.mean((unknown * change) ** 2))) / len(f)
    span = motion_range(f)
    if span is None:
        return None
    low, high = span
    return Moving(
        mean,
        1.25 * float(np.sqrt(variance)),
        low,
        high,
        heard.teeth,
        float(use.sum()) / framing.places,
        high > (_RUNS if heard.cut else WIDEST) * low,
        _track(at[near] / fs, f),
    )


def _apart(places: NDArray[np.floating], others: NDArray[np.floating]) -> NDArray[np.floating]:
    """How far each place is from the nearest of ``others``, which rise; shape (places,)."""
    after = np.searchsorted(others, places).clip(1, len(others) - 1)
    before = others[after - 1]
    return np.asarray(np.minimum(np.abs(places - before), np.abs(places - others[after])))


def _run(heard: list[_Heard], fs: float) -> Moving | None:
    """What runs so far that no mean tells of it, as the frames in which it was heard say: those of
    the best range, and of others where that has none."""
    at, f = heard[0].track
    for other in heard[1:]:
        theirs, more = other.track
        apart = max(heard[0].framing.hop, other.framing.hop)
        new = _apart(theirs, at) > apart
        order = np.argsort(np.concatenate([at, theirs[new]]), kind="stable")
        at = np.concatenate([at, theirs[new]])[order]
        f = np.concatenate([f, more[new]])[order]
    if len(f) < _LEAST_FRAMES:
        return None
    hop = heard[0].framing.hop
    gaps = np.minimum(np.diff(at), 2 * hop)
    mean = float(np.average((f[1:] + f[:-1]) / 2, weights=gaps))
    std = _BETWEEN * float(np.sqrt(np.mean(np.gradient(f) ** 2) / len(f)))
    share = min(1.0, (float(gaps.sum()) + hop) / heard[0].framing.length)
    teeth = heard[0].teeth
    low, high = float(f.min()), float(f.max())
    if not high > _RUNS * low:
        return None  # it stands
    return Moving(mean, std, low, high, teeth, share, True, _track(at / fs, f))


def _track(time: Array, f: Array) -> tuple[tuple[float, float], ...]:
    some = slice(None, None, -(-len(time) // _POINTS))
    return tuple(zip(time[some].tolist(), f[some].tolist(), strict=True))


def _stands_for(at: Array, hop: int, frame: int, length: int) -> Array:
    """Samples that each frame about the centres ``at`` stands for: a hop, and at the ends of the
    stretch all that lies beyond."""
    out = np.full(len(at), float(hop))
    if at[0] <= frame:
        out[0] = at[0] + hop / 2
    if length - at[-1] <= frame:
        out[-1] = length - at[-1] + hop / 2
    return out


def _by_teeth(
    found: NDArray[np.complex64], rough: Array, bin_hz: float, teeth: tuple[int, ...]
) -> tuple[Array, Array]:
    """Fundamental of each frame (Hz) by weighted least squares over its teeth's offsets, and the
    weight; both shape (frames,)."""
    rows = np.arange(len(found))
    above, below = np.zeros(len(found)), np.zeros(len(found))
    for h in teeth:
        place = np.round(h * rough / bin_hz).astype(int)
        place = np.clip(place, 2, found.shape[1] - 3)
        near = np.stack([np.abs(found[rows, place + k]) for k in (-1, 0, 1)], axis=1)
        place = place + np.argmax(near, axis=1) - 1
        left, middle, right = (found[rows, place + k] for k in (-1, 0, 1))
        delta = line_offset(left, middle, right)
        ok = np.abs(delta) < 1.0
        weight = np.where(ok, np.abs(middle).astype(np.float64) ** 2, 0.0)
        above += weight * h * (place + delta) * bin_hz
        below += weight * h * h
    return np.divide(above, below, out=np.zeros_like(above), where=below > 0), below
