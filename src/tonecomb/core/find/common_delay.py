"""Which lines breathe together: the delays of lines of one machine are one.

Delays are held against each other by their cosine coefficients, each with the variance that noise
gives it. Lines that merely drift prove nothing: what the evidence counts is left when a cubic is
taken off; where nothing else moves, more lines have to agree more closely.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.find.line_tracks import Survey
from tonecomb.core.record.recording import Array

Numbers = NDArray[np.int_]

_FASTEST_HZ = 3.5  # that a warp may have, and its share of a frame's resolution
_OF_FRAME = 0.6  # of one over a frame
_OVERLAP = (0.66, 0.17, 0.0075)  # of the noise of Hann frames one, two, three quarters apart
_WIDER = 1.2  # times the variance of white noise, that maxima have
_SEEDS = 25  # of the lines that move most, that are tried
_MOVES = 6.0  # standard deviations of chi-square, from which a line moves
_SLOPE, _SLOPE_STD = 0.12, 0.3  # off one that a member's delay may be, and how surely it is known
_EXPLAINED, _MISFIT = 0.5, 2.5  # share that the seed explains, or chi-square it leaves
_APART_RAD = 0.8  # that a member may be off the seed, rms; 2.2 times its noise
_APART_NOISE, _APART_SHARE = 2.2, 0.03  # and 3 % of the motion
_EACH = 0.8  # decades of evidence that being a member is worth
_THREE, _TWO, _TWO_FREE = 4.0, 6.0, 2.5  # decades for three lines, for two; those need more freedom
_DRIFT_LINES, _DRIFT_SLOPE, _DRIFT_WORTH = 4, 0.02, 3.0  # where there is a drift alone
_SAME = 0.004  # of the logarithm of the frequency, within which lines count once


@dataclass(frozen=True, eq=False)
class Group:
    """Lines of a survey (numbers) that share one delay, with the decades of evidence for it."""

    members: Numbers
    evidence: float


@dataclass(frozen=True, eq=False)
class _Coefficients:
    """Cosine coefficients of delays and of the same less a cubic, with the variances of noise,
    shape (lines, coefficients) each."""

    whole: Array
    bent: Array
    variance: Array


def groups(survey: Survey) -> list[Group]:
    """Groups of lines whose delays are the same, the surest seed first."""
    tracks = survey.tracks
    if len(tracks) < 2:
        return []
    made = _coefficients(survey)
    count = made.whole.shape[1]
    moved = (made.whole**2 / made.variance).sum(axis=1)
    free, found = np.ones(len(tracks), bool), []
    for seed in np.argsort(-moved)[:_SEEDS].tolist():
        if free[seed] and moved[seed] > count + _MOVES * np.sqrt(2 * count):
            group = _about(seed, survey, made, free)
            if group is not None:
                found.append(group)
                free[group.members] = False
    return found


def _coefficients(survey: Survey) -> _Coefficients:
    from scipy.fft import dct

    time, frames = survey.time, len(survey.time)
    lasts = float(time[-1] - time[0])
    fastest = min(_FASTEST_HZ, _OF_FRAME / survey.seconds)
    count = max(4, min(frames - 1, int(2 * lasts * fastest)))
    q = np.arange(1, count + 1)
    shape = 1 + 2 * sum(
        share * np.cos(np.pi * (j + 1) * q / frames) for j, share in enumerate(_OVERLAP)
    )
    delays = np.array([one.delay for one in survey.tracks])
    cubic = np.polynomial.legendre.legvander(np.linspace(-1, 1, frames), 3)
    bent = delays - delays @ np.linalg.pinv(cubic).T @ cubic.T
    noise = np.array([one.variance for one in survey.tracks])[:, None]
    return _Coefficients(
        dct(delays, norm="ortho", axis=1)[:, 1 : count + 1],
        dct(bent, norm="ortho", axis=1)[:, 1 : count + 1],
        noise * np.maximum(shape, 0.05) * _WIDER,
    )


def _about(seed: int, survey: Survey, made: _Coefficients, free: NDArray[np.bool_]) -> Group | None:
    """Those that move as the line ``seed`` does; None where they are too few to say so."""
    a, v = made.whole, made.variance
    q = np.arange(1, a.shape[1] + 1)
    sure = np.maximum(0, 1 - 2 / np.maximum(a[seed] ** 2 / v[seed], 1e-9))
    if sure.sum() < 1:
        return None
    weight = sure / (v + v[seed])
    square = (weight * a[seed] ** 2).sum(axis=1)
    slope = (weight * a * a[seed]).sum(axis=1) / square
    left = (weight * (a - slope[:, None] * a[seed]) ** 2).sum(axis=1) / max(sure.sum() - 1, 1)
    slope_std = np.sqrt(np.maximum(left, 1) / square)
    explained = 1 - left * max(sure.sum() - 1, 1) / (weight * a * a).sum(axis=1)
    bends = made.bent[seed] ** 2 / v[seed]
    sure_bent = np.maximum(0, 1 - 2 / np.maximum(bends, 1e-9))
    drifts = bool(bends.sum() < len(q) + _MOVES * np.sqrt(2 * len(q)) or sure_bent.sum() < 2)
    of, share = (a, sure) if drifts else (made.bent, sure_bent)
    power = q**2 * share  # of the speed, not of the delay
    own = (power * of[seed] ** 2).sum()
    r = (power * of * of[seed]).sum(axis=1) / np.sqrt((power * of * of).sum(axis=1) * own)
    part = power * of[seed] ** 2
    freedom = float(part.sum() ** 2 / (part**2).sum())
    same = free & (r > 0) & _beside(seed, survey, made)
    member = same & (np.abs(slope - 1) < _SLOPE + 3 * slope_std) & (slope_std < _SLOPE_STD)
    member &= (explained > _EXPLAINED) | (left < _MISFIT)
    if drifts:
        member &= np.abs(slope - 1) < _DRIFT_SLOPE + 2 * slope_std
        member &= (explained > 0.95) | (left < _MISFIT)
    member[seed] = True
    members = np.flatnonzero(member)
    lines = _distinct(survey, members)
    if drifts:
        return Group(members, _DRIFT_WORTH * lines) if lines >= _DRIFT_LINES else None
    others = members[members != seed]
    told = -(freedom / 2) * np.log10(np.maximum(1 - r[others] ** 2, 1e-12)) + _EACH
    evidence = float(np.maximum(told, 0).sum())
    enough = lines >= 3 and evidence > _THREE and freedom >= 1.2
    if enough or (lines == 2 and evidence > _TWO and freedom > _TWO_FREE):
        return Group(members, evidence)
    return None


def _beside(seed: int, survey: Survey, made: _Coefficients) -> NDArray[np.bool_]:
    """Whose phase stays near what the seed's delay makes of it: hits that slip do not."""
    frames, a, v = len(survey.time), made.whole, made.variance
    off = np.sqrt(((a - a[seed]) ** 2).sum(axis=1) / frames)
    noise = np.sqrt((v + v[seed]).sum(axis=1) / frames)
    motion = float(np.sqrt((a[seed] ** 2).sum() / frames))
    omega = 2 * np.pi * np.array([one.frequency for one in survey.tracks])
    most = np.maximum(_APART_NOISE * noise, _APART_SHARE * motion)
    return np.asarray(off * omega < np.maximum(_APART_RAD, most * omega))


def _distinct(survey: Survey, members: Numbers) -> int:
    """How many different frequencies they have."""
    places = np.log([survey.tracks[i].frequency for i in members.tolist()]) / _SAME
    return len(np.unique(np.round(places)))
