"""The bare transform, and the one place that says which library does it.

``ducc0`` needs no plan and writes where it is told to; where there is no wheel of it, ``scipy.fft``
by the same author does the same. Both give e^(−iωt), and single precision for single precision.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np
from numpy.typing import NDArray

try:
    import ducc0.fft as _ducc
except ImportError:
    _ducc = None

Bins = NDArray[np.complexfloating[Any, Any]]
_LINE = 64  # bytes of the processor's cache
_SINGLE, _DOUBLE = (8, 1 << 13), (4, 1 << 14)
"""Rows that are transformed together, and the length from which it must be no more: the library
does several at once, up to as many as a register holds, which then no longer stay near."""
_PLANS = 16  # that the library keeps of a kind
_MOST = 1 << 19  # samples of rows that are to be there together


def on_lines(rows: int, length: int, dtype: Any) -> NDArray[Any]:
    """Memory of shape (rows, length), each row of which begins with a line of the cache. Passes
    over rows that straddle lines take half as long again, and which do would be chance."""
    size = np.dtype(dtype).itemsize
    step = -(-length * size // _LINE) * _LINE
    memory = np.empty(rows * step + _LINE, dtype=np.uint8)
    first = -memory.ctypes.data % _LINE
    result: NDArray[Any] = (
        memory[first : first + rows * step].view(dtype).reshape(rows, -1)[:, :length]
    )
    return result


def rows_at_once(length: int, dtype: Any, near: int) -> int:
    """How many rows of a ``length`` are best transformed together: ``near`` samples or, where those
    are few long rows, as many as are done at once. Measured: 8 rows of 65536 in single precision
    take half as long each as one alone, 4 in double precision three quarters."""
    rows, longest = _SINGLE if np.dtype(dtype) == np.float32 else _DOUBLE
    if length < longest:
        return max(1, near // length)
    return max(1, near // length, min(rows, _MOST // length))


def rfft(
    frames: NDArray[np.floating[Any]], nfft: int | None = None, out: Bins | None = None
) -> Bins:
    """One-sided transforms of ``frames``, shape (frames, samples), each filled with zeros up to
    ``nfft``; into ``out``, shape (frames, nfft//2 + 1), where that is given. Shape of ``out``."""
    length = frames.shape[1] if nfft is None else nfft
    if _ducc is None:
        import scipy.fft

        found = scipy.fft.rfft(frames, n=length, axis=1)
        if out is None:
            return np.asarray(found)
        out[...] = found
        return out
    if length > frames.shape[1]:
        padded = np.zeros((len(frames), length), dtype=frames.dtype)
        padded[:, : frames.shape[1]] = frames
        frames = padded
    frames = frames[:, :length]
    rows, longest = _SINGLE if frames.dtype == np.float32 else _DOUBLE
    if length < longest or len(frames) <= rows:
        return np.asarray(_ducc.r2c(frames, axes=(1,), out=out))
    if out is None:
        kind = np.result_type(frames.dtype, np.complex64)
        out = np.empty((len(frames), length // 2 + 1), dtype=kind)
    for at in range(0, len(frames), rows):
        _ducc.r2c(frames[at : at + rows], axes=(1,), out=out[at : at + rows])
    return out


def fft(values: NDArray[np.complexfloating[Any, Any]]) -> Bins:
    """Two-sided transform of ``values``, shape (samples,), and of its shape."""
    if _ducc is None:
        import scipy.fft

        return np.asarray(scipy.fft.fft(values))
    return np.asarray(_ducc.c2c(values))


def ifft(bins: Bins) -> Bins:
    """What has these two-sided transforms along its last axis; of the shape of ``bins``."""
    if _ducc is None:
        import scipy.fft

        return np.asarray(scipy.fft.ifft(bins))
    axis = bins.ndim - 1
    return np.asarray(_ducc.c2c(bins, axes=(axis,), forward=False, inorm=2))


def forget_plans() -> None:
    """Have ``scipy.fft`` let go of the plans it keeps, the last sixteen of each kind whatever their
    size: of a million samples each is up to 50 MB. Sixteen small ones take their places."""
    if "scipy.fft" not in sys.modules:
        return
    import scipy.fft

    for length in range(2, 2 + _PLANS):
        for single in (True, False):
            real = np.zeros(length, np.float32 if single else np.float64)
            scipy.fft.rfft(real)
            scipy.fft.fft(real.astype(np.complex64 if single else np.complex128))
