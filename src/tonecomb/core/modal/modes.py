"""Modes of a structure: poles that all transfer functions share, fitted to maximum likelihood.

Starts are those of :mod:`tonecomb.core.modal.poles`. The model of answer o is Σᵣ A/(iω−λ) +
A*/(iω−λ*) over the modes, and what lies outside the range as real multiples of 1, x … x⁴, jx^1.5,
jx^2.5 and 1/x with x = (ω/ω_max)², which are powers of s = iω (or iω + 1/τ under an exponential).
Residues and multiples are linear and eliminated (G. H. Golub, V. Pereyra, SIAM J. Numer. Anal. 10
(1973) 413–432, with Kaufman's approximation); the poles follow by Gauss–Newton on the residual
weighted by one over its standard deviation.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.modal.poles import Pole, find_poles, settled
from tonecomb.core.modal.response import Response
from tonecomb.core.record.recording import Array

Complex = NDArray[np.complex128]
MOST = 24
"""Modes that are fitted at once."""
_ROUNDS = 30  # of a fit of all modes together
_DAMPED = 0.1  # of critical, above which a pole is no mode
_UNSURE = 0.3  # of a decay rate, that its standard deviation is at most
_DAMPINGS = (0.0008, 0.002, 0.005, 0.012, 0.03, 0.06)  # of the bank that looks for more
_WIDTHS = (3, 9, 27, 81, 243)  # bins over which the residual is held against what it should be
_BACKGROUND = (0, 2, 4, 6, 8, 3, 5, -2)  # powers of s
_ENOUGH = 5  # taps, from which they tell the intervals by how they differ
_SMOOTH = 9  # bins over which the noise is smoothed


@dataclass(frozen=True, eq=False)
class Mode:
    """``frequency`` (Hz, undamped) and ``damping`` ratio with their standard deviations, and the
    modal constant of each answer, shape (answers,): r of −ω²r/(ω₀²−ω²+2jζω₀ω) for accelerance, and
    so on. ``shape`` is that, scaled to one where it is greatest."""

    frequency: float
    frequency_std: float
    damping: float
    damping_std: float
    constant: Complex
    constant_std: Array

    @property
    def shape(self) -> Complex:
        """The constants over the greatest of them, shape (answers,)."""
        most = self.constant[int(np.argmax(np.abs(self.constant)))]
        return np.asarray(self.constant / most)


@dataclass(frozen=True, eq=False)
class Modes:
    """What was fitted between ``low`` and ``high`` Hz: ``modes``, by rising frequency, the curves
    ``fit`` (answers, bins) at ``frequency``, the ``poles`` of every order, and how many times its
    standard deviation the residual is (``misfit``)."""

    modes: tuple[Mode, ...]
    low: float
    high: float
    frequency: Array
    fit: Complex
    poles: tuple[Pole, ...]
    misfit: float


def find_modes(
    response: Response,
    low: float,
    high: float,
    *,
    power: int = 2,
    highest: int = 40,
    groups: int = 0,
    progress: Progress = silent,
) -> Modes:
    """The modes between two frequencies (Hz). ``power`` is 2 where answers over reference are
    accelerances, 1 for mobilities, 0 for receptances; ``highest`` the highest order tried. Where
    the answers are those of ``groups`` taps one after the other, intervals are by how taps differ.
    The damping of an exponential is taken off. :class:`UserError` for a range of too few bins."""
    inside = (response.frequency >= max(low, 1e-9)) & (response.frequency <= high)
    frequency = response.frequency[inside]
    if len(frequency) < 16:
        raise UserError(
            f"Between {low:g} and {high:g} Hz there are {len(frequency)} bins",
            remedy="choose a wider range, or longer frames",
        )
    h = response.h[:, inside]
    sd = _sd(response, inside)
    poles = find_poles(frequency, h, sd, highest)
    progress(0.3)
    extra = 1 / response.decay if response.decay else 0.0
    starts = settled(poles)[:MOST]
    fit = _Fit(frequency, h, sd, starts, _How(groups, extra, response.alike))
    fit.settle()
    fit.prune()
    fit.grow()
    fit.prune()
    progress(1.0)
    return fit.modes(low, high, poles, extra, power)


def mac(a: Complex, b: Complex) -> float:
    """Modal assurance criterion of two shapes, 0 to 1 (R. J. Allemang, D. L. Brown, IMAC 1 (1982)
    110–116)."""
    return float(abs(np.vdot(a, b)) ** 2 / (np.vdot(a, a).real * np.vdot(b, b).real))


def _sd(response: Response, inside: NDArray[np.bool_]) -> Array:
    """Standard deviation of each answer's curve, smoothed over a few bins; where it is not known,
    even."""
    h = response.h[:, inside]
    variance = response.variance[:, inside]
    if not np.isfinite(variance).all():  # of a single average
        rough = np.abs(np.diff(h, n=2, axis=1)) ** 2 / 6
        variance = np.repeat(np.median(rough, axis=1, keepdims=True) / math.log(2), h.shape[1], 1)
    kernel: Array = np.ones(_SMOOTH) / _SMOOTH
    padded = np.pad(variance, ((0, 0), (_SMOOTH // 2, _SMOOTH // 2)), mode="edge")
    smooth = np.stack([np.convolve(one, kernel, "valid") for one in padded])
    least = 1e-10 * float((np.abs(h) ** 2).max()) + 1e-300
    return np.asarray(np.sqrt(np.maximum(smooth, least)))


@dataclass(frozen=True)
class _How:
    """Taps whose answers follow each other (0 where they are not told apart), what an exponential
    adds to decay rates (1/s), and how many bins noise is alike in."""

    groups: int
    extra: float
    alike: float


class _Fit:
    """Poles as frequency of the damped swing (Hz) and decay rate (1/s)."""

    def __init__(
        self,
        frequency: Array,
        h: Complex,
        sd: Array,
        poles: Sequence[tuple[float, float]],
        how: _How,
    ) -> None:
        self._how = how
        self.frequency, self.h = frequency, h
        self.omega = 2 * np.pi * frequency
        self._weight = math.sqrt(2) / sd  # of real and imaginary part each
        self.poles = [list(one) for one in poles]
        s = (1j * self.omega + how.extra) / self.omega[-1]
        self._rest = np.stack([s**power for power in _BACKGROUND], axis=1)
        self.chi2 = math.inf
        self.covariance: Array = np.zeros((0, 0))
        self._gradients: list[Array] = []  # of each answer

    # The model

    def _columns(self, poles: Sequence[Sequence[float]]) -> Complex:
        s = 1j * self.omega[:, None]
        pole = np.array([complex(-d, 2 * np.pi * f) for f, d in poles])
        a, b = 1 / (s - pole), 1 / (s - pole.conj())
        both = np.empty((len(self.omega), 2 * len(poles)), np.complex128)
        both[:, 0::2], both[:, 1::2] = a + b, 1j * (a - b)
        return np.concatenate([both, self._rest], axis=1)

    def _solved(
        self, poles: Sequence[Sequence[float]], *, jacobian: bool = True
    ) -> tuple[float, Array, Array, list[Array], list[Array]]:
        """χ², JᵀJ and Jᵀr of the poles' (frequency, decay), and of each answer the multiples and
        the weighted residual."""
        columns, n = self._columns(poles), len(poles)
        s = 1j * self.omega[:, None]
        pole = np.array([complex(-d, 2 * np.pi * f) for f, d in poles])
        a2, b2 = 1 / (s - pole) ** 2, 1 / (s - pole.conj()) ** 2
        chi2 = 0.0
        normal: Array = np.zeros((2 * n, 2 * n))
        gradient: Array = np.zeros(2 * n)
        multiples, residuals = [], []
        by_answer: list[Array] = []
        for one, weight in zip(self.h, self._weight, strict=True):
            phi = _real(columns * weight[:, None])
            scale = np.linalg.norm(phi, axis=0) + 1e-300
            q, r = np.linalg.qr(phi / scale)
            y = _real((one * weight)[:, None])[:, 0]
            part = q.T @ y
            rest = y - q @ part
            c = np.linalg.lstsq(r, part, rcond=1e-13)[0] / scale
            chi2 += float(rest @ rest)
            multiples.append(c)
            residuals.append(rest)
            if not (jacobian and n):
                continue
            residue = c[0 : 2 * n : 2] + 1j * c[1 : 2 * n : 2]
            by_pole, by_other = residue * a2, residue.conj() * b2
            slopes = np.empty((len(self.omega), 2 * n), np.complex128)
            slopes[:, 0::2] = 2 * np.pi * 1j * (by_pole - by_other)  # Hz
            slopes[:, 1::2] = -(by_pole + by_other)  # 1/s
            j = _real(slopes * weight[:, None])
            j -= q @ (q.T @ j)
            normal += j.T @ j
            by_answer.append(j.T @ rest)
            gradient += by_answer[-1]
        if jacobian:
            self._gradients = by_answer
        return chi2, normal, gradient, multiples, residuals

    def settle(self) -> None:
        """Move the poles until χ² is least."""
        if not self.poles:
            self.chi2 = self._solved([], jacobian=False)[0]
            self.covariance = np.zeros((0, 0))
            return
        damping = 1e-3
        chi2, normal, gradient, *_ = self._solved(self.poles)
        for _ in range(_ROUNDS):
            scaled = normal + damping * np.diag(np.diag(normal))
            step = np.linalg.lstsq(scaled, gradient, rcond=1e-14)[0]
            tried = [
                [f + step[2 * i], max(d * 0.2, d + step[2 * i + 1])]
                for i, (f, d) in enumerate(self.poles)
            ]
            new, normal_new, gradient_new, *_ = self._solved(tried)
            if new <= chi2:
                small = all(
                    abs(step[2 * i]) < 1e-6 * d and abs(step[2 * i + 1]) < 1e-5 * d
                    for i, (_, d) in enumerate(self.poles)
                )
                done = small or chi2 - new < 1e-7 * chi2
                self.poles, chi2 = tried, new
                normal, gradient = normal_new, gradient_new
                damping = max(damping / 10, 1e-9)
                if done:
                    break
            else:
                damping *= 10
                if damping > 1e6:
                    break
        self.chi2 = chi2
        chi2, normal, *_ = self._solved(self.poles)
        spread = np.asarray(np.linalg.pinv(normal), np.float64)
        self.covariance = spread * self.misfit**2 * self._how.alike
        if self._how.groups >= _ENOUGH:
            k = self._how.groups
            each = np.stack(self._gradients).reshape(k, -1, len(gradient)).sum(axis=1)
            each -= each.mean(axis=0)
            self.covariance = np.asarray(spread @ (each.T @ each) @ spread * (k / (k - 1)))

    @property
    def dof(self) -> int:
        """Real numbers that were measured, but for those that were fitted."""
        fitted = len(self.h) * (2 * len(self.poles) + self._rest.shape[1]) + 2 * len(self.poles)
        return int(max(1, 2 * self.h.size - fitted))

    @property
    def misfit(self) -> float:
        """How many times as great as it should be the residual is, at least one."""
        return math.sqrt(max(1.0, self.chi2 / self.dof))

    @property
    def _worth(self) -> float:
        """What χ² has to fall by for a mode."""
        answers = len(self.h)
        return (2 + 2 * answers) * math.log(2 * self.h.size) * self.misfit**2 * self._how.alike

    def _sure(self, i: int) -> bool:
        f, d = self.poles[i]
        std = math.sqrt(max(self.covariance[2 * i + 1, 2 * i + 1], 0.0))
        inside = self.frequency[0] <= f <= self.frequency[-1]
        return inside and std < _UNSURE * d and d < _DAMPED * 2 * np.pi * f

    # How many

    def prune(self) -> None:
        """Leave out the modes that the data do not bear out, the least first."""
        while self.poles:
            doubtful = [i for i in range(len(self.poles)) if not self._sure(i)]
            if not doubtful:
                costs: list[float] = []
                for i in range(len(self.poles)):
                    rest = self.poles[:i] + self.poles[i + 1 :]
                    costs.append(self._solved(rest, jacobian=False)[0] - self.chi2)
                least = int(np.argmin(costs))
                if costs[least] > 3 * self._worth:
                    return
                before, chi2, covariance = self.poles, self.chi2, self.covariance
                self.poles = self.poles[:least] + self.poles[least + 1 :]
                self.settle()
                if self.chi2 - chi2 > self._worth:
                    self.poles, self.chi2, self.covariance = before, chi2, covariance
                    return
                continue
            worst = max(doubtful, key=lambda i: self.covariance[2 * i + 1, 2 * i + 1])
            del self.poles[worst]
            self.settle()

    def grow(self) -> None:
        """Look for modes in the residual, one by one."""
        while len(self.poles) < MOST:
            candidate = self._best()
            if candidate is None:
                return
            before, chi2, covariance = self.poles, self.chi2, self.covariance
            self.poles = [*self.poles, list(candidate)]
            self.settle()
            gained = chi2 - self.chi2 > self._worth
            if not gained or not all(self._sure(i) for i in range(len(self.poles))):
                self.poles, self.chi2, self.covariance = before, chi2, covariance
                return

    def _best(self) -> tuple[float, float] | None:
        """The pole whose residues would take most off χ², by a bank of single modes about where
        the residual is greater than it should be."""
        residuals = self._solved(self.poles, jacobian=False)[4]
        bins = len(self.frequency)
        power = sum(rest[:bins] ** 2 + rest[bins:] ** 2 for rest in residuals)
        excess = np.asarray(power) - 2 * len(residuals) * self.misfit**2
        total = np.concatenate([[0.0], np.cumsum(excess)])
        best, found = 0.3 * self._worth, None
        for wide in _WIDTHS:
            if wide >= bins:
                break
            sums = total[wide:] - total[:-wide]
            at = int(np.argmax(sums))
            if sums[at] < 0.3 * self._worth:
                continue
            low, high = (float(self.frequency[k]) for k in (at, at + wide - 1))
            some = [
                (f, 2 * np.pi * f * damping)
                for damping in _DAMPINGS
                for f in np.linspace(low, high, min(wide, 25)).tolist()
            ]
            score = self._scores(some, residuals)
            most = int(np.argmax(score))
            if score[most] > best:
                best, found = float(score[most]), some[most]
        return found

    def _scores(self, poles: Sequence[tuple[float, float]], residuals: Sequence[Array]) -> Array:
        """What each pole by itself takes off χ²."""
        columns = self._columns(poles)[:, : 2 * len(poles)]
        score = np.zeros(len(poles))
        for rest, weight in zip(residuals, self._weight, strict=True):
            phi = _real(columns * weight[:, None])
            part = (phi.T @ rest) ** 2 / ((phi**2).sum(axis=0) + 1e-300)
            score += part[0::2] + part[1::2]
        return score

    # What comes of it

    def modes(
        self, low: float, high: float, poles: tuple[Pole, ...], extra: float, power: int
    ) -> Modes:
        """The modes, with ``extra`` (1/s) taken off their decay rates."""
        multiples = self._solved(self.poles, jacobian=False)[3]
        columns = self._columns(self.poles)
        fit = np.stack([columns @ c for c in multiples])
        modes = []
        for i, (f, d) in enumerate(self.poles):
            swing, decay = 2 * np.pi * f, max(d - extra, 1e-9 * f)
            pole = complex(-decay, swing)
            natural = abs(pole)
            # s²r/((s−λ)(s−λ*)) has the residue λ²r/(2iω_d) at λ.
            residue = np.array([complex(c[2 * i], c[2 * i + 1]) for c in multiples])
            constant = residue * (2j * swing) / pole**power
            block = self.covariance[2 * i : 2 * i + 2, 2 * i : 2 * i + 2]
            by_f = np.array([2 * np.pi * swing / natural, decay / natural]) / (2 * np.pi)
            by_d = np.array([-decay * 2 * np.pi * swing / natural**3, swing**2 / natural**3])
            modes.append(
                Mode(
                    natural / (2 * np.pi),
                    math.sqrt(max(float(by_f @ block @ by_f), 0.0)),
                    decay / natural,
                    math.sqrt(max(float(by_d @ block @ by_d), 0.0)),
                    constant,
                    np.abs(constant) * math.sqrt(max(float(block[1, 1]), 0.0)) / decay,
                )
            )
        modes.sort(key=lambda one: one.frequency)
        return Modes(tuple(modes), low, high, self.frequency, fit, poles, self.misfit)


def _real(x: Complex) -> Array:
    """Real and imaginary parts below each other, shape (2·rows, columns)."""
    return np.concatenate([x.real, x.imag], axis=0)
