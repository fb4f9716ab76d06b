"""A shaft's speed from a track of its comb, made as smooth as a shaft turns.

Robust locally weighted regression (W. S. Cleveland, J. Am. Stat. Assoc. 74 (1979) 829–836), with
parabolas: where a tooth passes a resonance its phase turns by half a turn, which looks like a speed
that is off by percents for as long as the mode rings. The shaft cannot do that; its neighbours in
time outvote it.
"""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array

_ROUNDS = 4  # of fitting and leaving out what does not belong
_OUT = 4.0  # median deviations from which a value does not count
_LEAST_SPREAD = 1e-6  # of the speed, that such a deviation is taken for
_LOCAL = 5  # half windows over which the median deviation is taken


def smoothed(values: Array, half: int) -> Array:
    """Values at even steps, shape (n,), gaps nan, smoothed over ``half`` steps to either side;
    what lies in a gap of less than that is filled."""
    count = len(values)
    known = np.isfinite(values)
    offsets = np.arange(-half, half + 1) / (half + 1)
    near = (1 - np.abs(offsets) ** 3) ** 3
    powers = np.stack([np.ones_like(offsets), offsets, offsets**2])
    around = np.arange(count)[:, None] + np.arange(-half, half + 1)
    inside = (around >= 0) & (around < count)
    around = np.clip(around, 0, count - 1)
    filled, trust = np.where(known, values, 0.0), known.astype(float)
    out = values
    for _ in range(_ROUNDS):
        weights = near * trust[around] * inside
        normal = np.einsum("nk,ik,jk->nij", weights, powers, powers)
        right = np.einsum("nk,ik,nk->ni", weights, powers, filled[around])
        enough = (weights > 0).sum(axis=1) > len(powers)
        normal[~enough] = np.eye(len(powers))
        fitted = np.linalg.solve(normal + 1e-12 * np.eye(len(powers)), right[..., None])[:, 0, 0]
        out = np.where(enough, fitted, np.nan)
        with np.errstate(divide="ignore", invalid="ignore"):
            off = np.abs(filled / out - 1)
        off = np.where(known & enough, off, np.nan)
        spread = np.maximum(_running_median(off, _LOCAL * half), _LEAST_SPREAD)
        trust = np.nan_to_num((1 - np.clip(off / (_OUT * spread), 0, 1) ** 2) ** 2)
    return np.asarray(out)


def _running_median(values: Array, half: int) -> Array:
    """Of what is known within ``half`` steps to either side."""
    padded = np.pad(values, half, constant_values=np.nan)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * half + 1)
    with np.errstate(all="ignore"):
        known = np.isfinite(windows).any(axis=1)
    out = np.full(len(values), np.nan)
    out[known] = np.nanmedian(windows[known], axis=1)
    return out
