"""Two transfer functions held against each other: which modes are the same, and whether force and
answer may change places."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.sketch import Sketch
from tonecomb.core.modal.modes import Mode, mac
from tonecomb.core.record.recording import Array
from tonecomb.core.results.transfer import Transfer

_SAME = 0.8  # MAC from which two shapes are taken for one mode's
_BELIEVED = 0.8  # coherence of both, where curves are held against each other
_SURE = 1.96  # standard deviations: 95 %


@dataclass(frozen=True)
class ModePair:
    """Modes ``a`` and ``b``, by number from 0, that are alike by ``mac``, and by what ``frequency``
    (Hz) and ``damping`` (ratio) of b are above those of a, with standard deviations."""

    a: int
    b: int
    mac: float
    frequency: float
    frequency_std: float
    damping: float
    damping_std: float

    @property
    def moved(self) -> bool:
        """Whether the frequency differs by more than both intervals allow."""
        return abs(self.frequency) > _SURE * self.frequency_std


@dataclass(frozen=True)
class Turned:
    """``answer`` over ``reference`` in one and turned round in the other: ``db`` is the median of
    how far the levels are apart over ``bins`` bins in which both are believed, and ``within`` the
    share of them where the 95 % discs meet."""

    reference: str
    answer: str
    db: float
    within: float
    bins: int

    @property
    def words(self) -> str:
        """In one sentence."""
        verdict = "holds" if self.within >= 0.9 else "does not hold"
        return (
            f"Reciprocity {verdict}: {self.answer} over {self.reference} and the other way round "
            f"are {self.db:.2g} dB apart in the median, within their intervals in "
            f"{100 * self.within:.0f} % of {self.bins} bins."
        )


@dataclass(frozen=True, eq=False)
class Alike:
    """``mac`` (modes of a, modes of b), the ``pairs`` of modes that are the same, and how the
    curves are where force and answer changed ``turned``."""

    name_a: str
    name_b: str
    a: tuple[Mode, ...]
    b: tuple[Mode, ...]
    mac: Array
    pairs: tuple[ModePair, ...]
    turned: tuple[Turned, ...] = ()


def alike(
    a: Transfer, b: Transfer, sketch_a: Sketch | None = None, sketch_b: Sketch | None = None
) -> Alike:
    """Hold the modes and curves of two results against each other. Shapes are of the answers that
    both have by name, or by order where no names agree. :class:`UserError` where there are no
    shapes of two answers and more."""
    if a.modes is None or b.modes is None or a.reference is None or b.reference is None:
        raise UserError(
            "Only modes of transfer functions can be held against each other",
            remedy="name a reference and a range of modes for both",
        )
    pairs = _answers(a, b)
    turned = reciprocity(a, sketch_a, b, sketch_b) if sketch_a and sketch_b else ()
    if len(pairs) < 2 and not turned:
        raise UserError(
            f"{a.recording_name} and {b.recording_name} have fewer than two answers in common",
            "a shape of one answer is like any other",
            "measure the same answers in both",
        )
    one, two = a.modes.modes, b.modes.modes
    mine, theirs = [list(each) for each in zip(*pairs, strict=True)] if pairs else ([], [])
    table = np.zeros((len(one), len(two)))
    if len(pairs) > 1:
        for i, x in enumerate(one):
            for j, y in enumerate(two):
                table[i, j] = mac(x.constant[mine], y.constant[theirs])
    return Alike(
        a.recording_name, b.recording_name, one, two, table, tuple(_pairs(one, two, table)), turned
    )


def _answers(a: Transfer, b: Transfer) -> list[tuple[int, int]]:
    """Numbers of the answers that are held against each other."""
    names = [one.name for one in b.answers]
    by_name = [(i, names.index(one.name)) for i, one in enumerate(a.answers) if one.name in names]
    if by_name or len(a.answers) != len(b.answers):
        return by_name
    return [(i, i) for i in range(len(names))]


def _pairs(one: tuple[Mode, ...], two: tuple[Mode, ...], table: Array) -> list[ModePair]:
    """Each mode with the one it is most like, where that is mutual."""
    mode_pairs = []
    for i, x in enumerate(one):
        if not len(two):
            break
        # Shapes of few answers repeat: of those that are alike, the nearest in frequency.
        near = [j for j in range(len(two)) if table[i, j] >= _SAME]
        if not near:
            continue
        j = min(near, key=lambda k: abs(math.log(two[k].frequency / x.frequency)))
        back = [k for k in range(len(one)) if table[k, j] >= _SAME]
        if min(back, key=lambda k: abs(math.log(one[k].frequency / two[j].frequency))) != i:
            continue
        y = two[j]
        mode_pairs.append(
            ModePair(
                i,
                j,
                float(table[i, j]),
                y.frequency - x.frequency,
                math.hypot(x.frequency_std, y.frequency_std),
                y.damping - x.damping,
                math.hypot(x.damping_std, y.damping_std),
            )
        )
    return mode_pairs


def reciprocity(a: Transfer, sketch_a: Sketch, b: Transfer, sketch_b: Sketch) -> tuple[Turned, ...]:
    """How well curves agree whose force and answer changed places and directions (J. C. Maxwell,
    Phil. Mag. 27 (1864) 294–299), found by the sketches of both."""
    if a.reference is None or b.reference is None or a.between.form != b.between.form:
        return ()
    hit_a, hit_b = (
        None if one.between.reference is None else sketch.of(one.between.reference)
        for one, sketch in ((a, sketch_a), (b, sketch_b))
    )
    if hit_a is None or hit_b is None or hit_a.point == hit_b.point:
        return ()
    turneds = []
    for i, x in enumerate(a.numbers):
        for j, y in enumerate(b.numbers):
            there, here = sketch_a.of(x), sketch_b.of(y)
            if there is None or here is None or a.units[i] != b.units[j]:
                continue
            same = there.point == hit_b.point and here.point == hit_a.point
            if (
                same
                and abs(there.direction) == abs(hit_b.direction)
                and abs(here.direction) == abs(hit_a.direction)
            ):
                one = _turned(a, i, b, j)
                if one is not None:
                    turneds.append(one)
    return tuple(turneds)


def _turned(a: Transfer, i: int, b: Transfer, j: int) -> Turned | None:
    assert a.reference is not None
    f = a.response.frequency
    low = max(one.modes.low if one.modes is not None else 0.0 for one in (a, b))
    high = min(
        one.modes.high if one.modes is not None else float(one.response.frequency[-1])
        for one in (a, b)
    )
    inside = (f > max(low, 0.0)) & (f <= high)
    for one, number in ((a, i), (b, j)):
        coherence = one.response.coherence
        if coherence is not None:
            inside &= np.interp(f, one.response.frequency, coherence[number]) >= _BELIEVED
    if not inside.any():
        return None
    g = b.response.frequency
    size_a, size_b = np.abs(a.curves[i]), np.interp(f, g, np.abs(b.curves[j]))
    reach = np.hypot(a.radius[i], np.interp(f, g, b.radius[j]))
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = np.abs(20 * np.log10(size_a[inside] / size_b[inside]))
        meets = np.abs(size_a - size_b)[inside] <= reach[inside]
    return Turned(
        a.reference.name,
        a.answers[i].name,
        float(np.median(apart)),
        float(meets.mean()),
        int(inside.sum()),
    )
