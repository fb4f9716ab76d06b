"""A mode that hits ring, seen through the heights of the hits' teeth.

The teeth of hits that repeat sample the response of what they ring: ln A = c + p·ln f −
½·ln((1 − r²)² + (2ζr)²) with r = f/f₀. It needs no spectrum between the teeth.
"""

from __future__ import annotations

import math

import numpy as np

from tonecomb.core.find.mode import Resonance
from tonecomb.core.record.recording import Array

_TEETH, _INSIDE = 8, 6  # of a family; of those that lie about the strongest
_LOW, _HIGH = 0.55, 1.6  # times the strongest tooth's frequency, within which teeth count
_DAMPINGS, _PLACES = (0.01, 0.03, 0.06), (-0.02, 0.0, 0.02)  # from which the fit begins
_SOFT = 0.15  # nepers, beyond which a tooth counts less
_LEAST, _MOST = 0.003, 0.15  # damping ratio that can be told
_UNSURE, _FAR, _MISFIT = 0.3, 0.12, 0.35  # of ln ζ; of ln f₀ from the strongest; nepers of scatter


def mode_by_teeth(frequency: Array, amplitude: Array) -> Resonance | None:
    """The mode under teeth at these frequencies (Hz) of these amplitudes, shape (teeth,) each;
    None where they do not tell one."""
    from scipy.optimize import least_squares

    if len(frequency) < _TEETH:
        return None
    top = float(frequency[int(np.argmax(amplitude))])
    inside = (frequency > _LOW * top) & (frequency < _HIGH * top)
    f, logs = frequency[inside], np.log(amplitude[inside])
    if len(f) < _INSIDE:
        return None

    def left(at: Array) -> Array:
        return _response(f, top, at) - logs

    best = None
    for damping in _DAMPINGS:
        for place in _PLACES:
            start = [logs.max() + math.log(2 * damping), 0.0, place, math.log(damping)]
            fit = least_squares(left, start, loss="soft_l1", f_scale=_SOFT, max_nfev=80)
            if best is None or fit.cost < best.cost:
                best = fit
    assert best is not None
    scatter = max(float((left(best.x) ** 2).sum()) / max(1, len(f) - 4), 1e-6)
    try:
        std = np.sqrt(np.diag(np.linalg.inv(best.jac.T @ best.jac)) * scatter)
    except np.linalg.LinAlgError:
        return None
    natural, damping = top * math.exp(best.x[2]), math.exp(best.x[3])
    sure = _LEAST < damping < _MOST and std[3] < _UNSURE
    if not sure or abs(best.x[2]) > _FAR or math.sqrt(scatter) > _MISFIT:
        return None
    axis = np.linspace(f[0], f[-1], 400)
    curve = np.exp(2 * _response(axis, top, best.x)) / 2
    return Resonance(
        frequency=natural,
        frequency_std=natural * float(std[2]),
        damping=damping,
        damping_std=damping * float(std[3]),
        kind="ringing",
        half_power=math.nan,
        fit_frequency=axis,
        fit=curve,
    )


def _response(f: Array, top: float, at: Array) -> Array:
    """ln A of the model of (c, p, ln f₀/top, ln ζ)."""
    r, damping = f / (top * math.exp(at[2])), math.exp(at[3])
    gain = 0.5 * np.log((1 - r * r) ** 2 + (2 * damping * r) ** 2)
    return np.asarray(at[0] + at[1] * np.log(f / top) - gain)
