"""The model of a few tones that is fitted to frames, weighted by a window.

A frame is a constant and, for each tone, a cosine and a sine with a frequency common to all frames
and amplitudes of the frame's own, so that images at −f and neighbours are part of it. It is fitted
by Gauss–Newton steps with the amplitudes eliminated (variable projection: Golub and Pereyra, SIAM
J. Numer. Anal. 10 (1973) 413–432).
"""

from __future__ import annotations

import numpy as np

from tonecomb.core.find.tone import Complex
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

_COLUMNS_BYTES = 48 << 20  # the weighted model is kept whole up to this size
_ROWS = 1 << 13  # samples of a frame handled at once beyond it
_TURNING = 1 << 17  # complex values made at once
_TOGETHER = 4  # frames that are multiplied at once at least
_COLUMNS_AGAIN = 4 << 20  # bytes of columns, up to which they are read more than once


class Scratch:
    """Memory and windows that the models of one fit share, so that none is made twice. It holds
    models as a ``whole`` where there is room: for more than a few frames that is quicker."""

    def __init__(self, length: int, tones: int, *, whole: bool = True) -> None:
        width = 1 + 4 * tones
        self.length = length
        self.rows = length if whole and length * width * 8 <= _COLUMNS_BYTES else _ROWS
        self.rows = min(self.rows, length)
        self.columns = np.empty((width, self.rows))
        self._weights: dict[str, Array] = {}

    def weights(self, taper: Window) -> Array:
        """Samples of a window."""
        if taper.name not in self._weights:
            self._weights[taper.name] = taper.samples(self.length)
        return self._weights[taper.name]


class Stepped:
    """What a Gauss–Newton step with the amplitudes eliminated needs of a model.

    The products of a frame's model are ``first`` that belong to no tone; those with cosines and
    with sines of each tone, the base; and those with time × both. Of what the model gives there the
    ``cross`` are the base's in time × base, ``back`` those of time × base in the base, ``second``
    those of time × base in itself; ``inverse`` is of the base in itself.
    """

    def __init__(
        self, first: int, inverse: Array, cross: Array, back: Array, second: Array
    ) -> None:
        self.first, self.inverse = first, inverse
        self.cross, self.back, self.second = cross, back, second
        self.base = len(inverse)

    def amplitudes(self, beta: Array) -> Complex:
        """Complex peak amplitudes a − ib about each frame's centre, shape (frames, tones)."""
        middle = (self.first + self.base) // 2
        return np.asarray(beta[:, self.first : middle] - 1j * beta[:, middle : self.base])

    def step(self, products: Array) -> tuple[Array, Complex]:
        """One Gauss–Newton step of the common frequencies (radians per sample, shape (tones,)),
        and the frames' complex amplitudes after it."""
        base = self.base
        tones = (base - self.first) // 2
        beta = products[:, :base] @ self.inverse
        # d(model)/dω = time·(−a·sin + b·cos): weights of the time columns, cosines first.
        a, b = beta[:, self.first : self.first + tones], beta[:, self.first + tones :]
        weight = np.stack([b, -a], axis=1)  # (frames, 2, tones)
        residual = products[:, base:] - beta @ self.cross
        gradient = np.einsum("kjp,kjp->p", weight, residual.reshape(len(beta), 2, tones))
        schur = self.second - self.back @ self.inverse @ self.cross
        flat = weight.reshape(len(beta), 2 * tones)
        both = (flat.T @ flat) * schur
        hessian = both.reshape(2, tones, 2, tones).sum(axis=(0, 2))
        scale = np.sqrt(np.maximum(np.diag(hessian), np.finfo(float).tiny))
        scaled = hessian / np.outer(scale, scale)
        delta = np.linalg.lstsq(scaled, gradient / scale, rcond=1e-10)[0] / scale
        moved = flat * np.tile(delta, 2)
        return delta, self.amplitudes(beta - moved @ self.back @ self.inverse)


class SampleModel(Stepped):
    """A frame's model for given angular frequencies (radians per sample), weighted by a window.

    Its columns are a constant, cosines, sines; then time × cosines and time × sines, with time
    from the frame's centre N/2. The inner products of the columns are known in closed form.
    """

    def __init__(self, taper: Window, scratch: Scratch, omega: Array, *, slopes: bool) -> None:
        self.taper, self.omega, self.slopes, self.scratch = taper, omega, slopes, scratch
        length = scratch.length
        self.weights = scratch.weights(taper)
        self.width = 1 + (4 if slopes else 2) * len(omega)
        self.base = 1 + 2 * len(omega)
        self.kept = self._columns(0) if scratch.rows == length else None
        frequencies = np.concatenate([[0.0], omega])
        pairs = np.stack([frequencies[:, None] + frequencies, frequencies[:, None] - frequencies])
        cosines = 1 + len(omega)
        blocks = np.empty((3, self.base, self.base))
        for block, (plus, minus) in zip(
            blocks, transforms(taper.terms, length, pairs), strict=True
        ):
            # cos·cos, cos·sin and sin·sin by their sums and differences.
            block[:cosines, :cosines] = (plus + minus).real / 2
            block[cosines:, cosines:] = (minus - plus).real[1:, 1:] / 2
            mixed = (plus - minus).imag[:, 1:] / 2
            block[:cosines, cosines:], block[cosines:, :cosines] = mixed, mixed.T
        cross = blocks[1][:, 1:]
        super().__init__(1, _inverse(blocks[0]), cross, cross.T, blocks[2][1:, 1:])

    def _columns(self, start: int) -> Array:
        """Weighted columns for the samples from ``start`` on, shape (columns, samples). They
        lie in the scratch memory: good until the next call."""
        stop = min(start + self.scratch.rows, self.scratch.length)
        time = np.arange(start, stop) - self.scratch.length / 2
        tones, out = len(self.omega), self.scratch.columns[: self.width, : stop - start]
        # e^(−iωt) as the product of a coarse and a fine table: one sine for 256 samples.
        coarse = np.exp(-1j * np.outer(self.omega, time[::256]))
        fine = np.exp(-1j * np.outer(self.omega, np.arange(256)))
        weights = self.weights[start:stop]
        out[0] = weights
        step = max(1, _TURNING // len(time))
        for a in range(0, tones, step):  # not all at once, which is more than the columns
            b = min(a + step, tones)
            turning = (coarse[a:b, :, None] * fine[a:b, None, :]).reshape(b - a, -1)
            turning = turning[:, : len(time)]
            np.multiply(turning.real, weights, out=out[1 + a : 1 + b])
            np.multiply(turning.imag, -weights, out=out[1 + tones + a : 1 + tones + b])
        if self.slopes:
            np.multiply(out[1 : self.base], time, out=out[self.base :])
        return out

    def products(self, frames: Array) -> Array:
        """Σ w·column·x for each frame and column, shape (frames, columns)."""
        if self.kept is not None:
            return products_of(frames, self.kept)
        rows = self.scratch.rows
        total = np.zeros((len(frames), self.width))
        for start in range(0, self.scratch.length, rows):
            part_of_each = np.ascontiguousarray(frames[:, start : start + rows])
            total += part_of_each @ self._columns(start).T
        return total


def products_of(frames: Array, columns: Array) -> Array:
    """Of each frame, shape (frames, samples), with each column, shape (columns, samples). Those
    that do not overlap are multiplied where they lie, for together they would be copied first;
    unless there are so many columns that to read them again takes longer."""
    step = -(-frames.shape[1] * frames.itemsize // max(frames.strides[0], 1))
    if not 1 < step <= len(frames) // _TOGETHER or columns.nbytes > _COLUMNS_AGAIN:
        return np.asarray(np.ascontiguousarray(frames) @ columns.T)
    values = np.empty((len(frames), len(columns)))
    for first in range(step):
        np.matmul(frames[first::step], columns.T, out=values[first::step])
    return values


def _inverse(gram: Array) -> Array:
    """Of a symmetric matrix; what it does not tell apart counts nothing."""
    sizes, axes = np.linalg.eigh(gram)
    told = sizes > 1e-12 * sizes[-1]
    return np.asarray((axes[:, told] / sizes[told]) @ axes[:, told].T)


def transforms(
    terms: tuple[float, ...], length: int, nu: Array
) -> tuple[Complex, Complex, Complex]:
    """Σ w(n) tʲ e^(iνt) for j = 0, 1, 2, with t = n − N/2 and a cosine-sum window's ``terms``.

    ``nu`` in radians per sample, any shape. From the Dirichlet kernel and its derivatives.
    """
    several = len(terms) - 1
    shifts = np.arange(-several, several + 1)
    shares = np.array([terms[abs(k)] / (2 if k else 1) for k in shifts])
    moved = np.asarray(nu) + (2 * np.pi / length * shifts).reshape(-1, *[1] * np.ndim(nu))
    zero, one, two = (
        (shares @ value.reshape(len(shares), -1)).reshape(value.shape[1:])
        for value in _dirichlet(length, moved)
    )
    return zero, one, two


def _dirichlet(n: int, nu: Array) -> tuple[Complex, Complex, Complex]:
    """Σ tʲ e^(iνt) over t = −N/2 … N/2−1 for j = 0, 1, 2."""
    turns = np.round(nu / (2 * np.pi))
    sign = np.where((turns * n) % 2 == 0, 1.0, -1.0)
    h = (nu - 2 * np.pi * turns) / 2
    small = np.abs(n * h) < 1e-2
    sine, cosine = np.where(small, 1.0, np.sin(h)), np.cos(h)
    # S = sin(Nh)/sin(h) and its derivatives, by its power series near zero.
    s = np.sin(n * h) / sine
    s1 = (n * np.cos(n * h) - s * cosine) / sine
    s2 = (-(n**2) * np.sin(n * h) + s * sine - 2 * s1 * cosine) / sine
    c2, c4 = n * (n**2 - 1) / 6, n * (3 * n**4 - 10 * n**2 + 7) / 360
    s = np.where(small, n - c2 * h**2 + c4 * h**4, s)
    s1 = np.where(small, -2 * c2 * h + 4 * c4 * h**3, s1)
    s2 = np.where(small, -2 * c2 + 12 * c4 * h**2, s2)
    turn = sign * np.exp(-1j * h)
    return (
        turn * s,
        -0.5j * turn * (s1 - 1j * s),
        -0.25 * turn * (s2 - 2j * s1 - s),
    )
