"""A transfer function from a method: its taps, curves, modes, and what is to be said of them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.base.units import unit
from tonecomb.core.method.frf_settings import FrfSettings, named, power_of, shown
from tonecomb.core.method.method import Method, frame_plan
from tonecomb.core.modal.decays import of_decays
from tonecomb.core.modal.impacts import Tap, find_taps
from tonecomb.core.modal.modes import Modes, find_modes
from tonecomb.core.modal.quality_checks import (
    LASTS,
    about_frames,
    about_hits,
    about_modes,
    lasts,
    linearity,
)
from tonecomb.core.modal.response import (
    Complex,
    Response,
    of_frames,
    of_taps,
    usual_frame,
)
from tonecomb.core.record.recording import Array, Channel, Recording
from tonecomb.core.record.signal import Signal

MOST_SAMPLES = 60_000_000
"""Samples of a stretch, all its channels together, that taps are looked for in."""
_MOVES = ("Acceleration", "Velocity", "Displacement")
_HALF, _LOUDER = 3, 1.3  # taps of a half, and how much louder the loud ones are, to be compared


@dataclass(frozen=True, eq=False)
class Transfer:
    """``response`` is of ``answers`` over ``reference`` as measured; ``curves`` (answers, bins) are
    as asked, in ``units``, under a ``title``. ``taps`` are all that were found, and ``used`` the
    numbers of those that count. ``cautions`` are (code, sentence). ``numbers`` are those of the
    answers among the channels (from 0)."""

    between: FrfSettings
    recording_id: str
    recording_name: str
    reference: Channel | None
    answers: tuple[Channel, ...]
    start: float
    fs: float
    response: Response
    curves: Complex
    scale: Array
    units: tuple[str, ...]
    title: str
    taps: tuple[Tap, ...]
    modes: Modes | None
    cautions: tuple[tuple[str, str], ...]
    sentence: str
    numbers: tuple[int, ...] = ()

    @property
    def used(self) -> tuple[int, ...]:
        """Numbers of the taps that count."""
        return self.response.taps

    @property
    def radius(self) -> Array:
        """Of the 95 % disc about each curve, shape (answers, bins)."""
        return self.response.disc() * self.scale

    @property
    def fitted(self) -> Complex | None:
        """The modes' curves as asked, shape (answers, bins of the range)."""
        if self.modes is None or self.reference is None:
            return None
        inside = np.searchsorted(self.response.frequency, self.modes.frequency)
        turned = self.curves[:, inside] / np.where(
            self.response.h[:, inside] == 0, 1, self.response.h[:, inside]
        )
        return np.asarray(self.modes.fit * turned)


def run_transfer(method: Method, recording: Recording, progress: Progress = silent) -> Transfer:
    """The transfer function that a method asks for. :class:`UserError` where it cannot be."""
    between = method.between
    if between is None:
        raise UserError("No reference is named", remedy="choose one channel that others answer")
    signal = frame_plan(method, recording, frame=2).signal
    between.check(signal)
    count = len(signal.channels)
    first, stop = method.source.span(signal, between.every(count))
    numbers = between.of(count)
    answers = [signal.channels[i] for i in numbers]
    own = between.reference
    reference = None if own is None else signal.channels[own]
    taps: tuple[Tap, ...] = ()
    told: list[tuple[str, str]] = []
    groups, rung = 0, None
    loud_and_soft: tuple[Response, ...] = ()
    if between.hits:
        taken = take_taps(between, signal, first, stop, progress)
        taps = taken.taps
        response, told, loud_and_soft = _from_hits(between, signal, taken)
        if own is None:  # a curve for every tap, and one for each answer to look at
            rung, groups = response, len(response.taps)
            response = _levels(rung, len(numbers))
    else:

        def reader(number: int):  # type: ignore[no-untyped-def]
            return lambda a, b: signal.samples.read(number, first + a, first + b)

        frames = method.frames
        response = of_frames(
            [reader(i) for i in (own or 0, *numbers)],
            stop - first,
            signal.rate,
            frames.frame,
            overlap=frames.overlap,
            taper=frames.window,
            estimator=between.estimator,
            progress=part(progress, 0, 0.6),
        )
        told = about_frames(reader(own or 0), stop - first, frames.window)
    curves, scale, units = _as_asked(between, response, reference, answers)
    modes = None
    if between.high:
        powers = {power_of(one.unit) for one in answers}
        power = powers.pop() if len(powers) == 1 and rung is None else 0
        modes = find_modes(
            rung or response,
            between.low,
            between.high,
            power=power or 0,
            highest=between.order,
            groups=groups,
            progress=part(progress, 0.6, 1),
        )
        told += about_modes(response, modes)
        if reference is not None and unit(reference.unit).quantity in _MOVES:
            told.append(
                (
                    "no-force",
                    (
                        f"{reference.name} is a motion, not a force: where it stands still the "
                        f"curves "
                        "rise, so poles of this ratio are not natural frequencies. Have a force as "
                        "reference, or read resonances off the spectra."
                    ),
                )
            )
        told += linearity(between, response, modes, taps, loud_and_soft, power or 0)
    return Transfer(
        between,
        recording.id,
        recording.name,
        reference,
        tuple(answers),
        first / signal.rate,
        signal.rate,
        response,
        curves,
        scale,
        units,
        "Decays"
        if reference is None
        else named(between.form, answers[0].unit, unit(reference.unit)),
        taps,
        modes,
        tuple(told),
        _sentence(between, response, reference, answers, taps, method),
        numbers,
    )


@dataclass(frozen=True, eq=False)
class Taken:
    """Samples of the ``force``, None without one, and of the ``answers``, each (samples,); all
    ``taps``, those ``used``, and how many samples a ``frame`` has."""

    force: Array | None
    answers: list[Array]
    taps: tuple[Tap, ...]
    used: list[Tap]
    frame: int


def take_taps(
    between: FrfSettings, signal: Signal, first: int, stop: int, progress: Progress = silent
) -> Taken:
    """The taps between two samples, and those that count. :class:`UserError` where there are
    none."""
    own, numbers = between.reference, between.of(len(signal.channels))
    every = numbers if own is None else (own, *numbers)
    if (stop - first) * len(every) > MOST_SAMPLES:
        raise UserError(
            f"{(stop - first) / signal.rate:.4g} s of {len(every)} channels are too much to look "
            "for taps in",
            remedy="choose a stretch, or fewer answers",
        )
    force, answers = _read(signal, own, every, first, stop)
    progress(0.2)
    taps = find_taps(force, answers, signal.rate)
    if not taps:
        raise UserError(
            f"No tap stands out in {signal.channels[every[0]].name}",
            remedy="choose the hammer's channel as reference, or another stretch",
        )
    used = [
        tap
        for tap in taps
        if tap.number not in between.aside and (tap.sound or tap.number in between.taken)
    ]
    if not used and not between.aside:
        raise _none_counts([signal.channels[i].name for i in every], force, answers, taps)
    usual = usual_frame(used or taps, signal.rate, between.before)
    progress(0.4)
    return Taken(force, answers, taps, used, between.frame or min(usual, stop - first))


def _from_hits(
    between: FrfSettings, signal: Signal, taken: Taken
) -> tuple[Response, list[tuple[str, str]], tuple[Response, ...]]:
    """What the taps that count give, what is to be said, and the same of the soft and the loud
    half where they differ."""
    force, answers, used = taken.force, taken.answers, taken.used

    def over(some: list[Tap]) -> Response:
        if force is None:
            return of_decays(answers, signal.rate, some, taken.frame, decay=between.decay)
        return of_taps(
            force,
            answers,
            signal.rate,
            some,
            taken.frame,
            before=between.before,
            decay=between.decay,
            estimator=between.estimator,
            force_window=between.pulse,
        )

    response = over(used)
    by_level = sorted(used, key=lambda tap: abs(tap.peak))
    half = len(used) // 2
    halves: tuple[Response, ...] = ()
    if half >= _HALF:
        # A fit to curves of every tap takes long: those at the ends tell most.
        count = half if force is not None else _HALF
        soft, loud = by_level[:count], by_level[-count:]
        if np.median([abs(t.peak) for t in loud]) > _LOUDER * np.median(
            [abs(t.peak) for t in soft]
        ):
            halves = (over(soft), over(loud))
    if force is None:
        return response, [], halves
    return response, about_hits(between, signal, force, answers, used, response), halves


def _read(
    signal: Signal, own: int | None, every: tuple[int, ...], first: int, stop: int
) -> tuple[Array | None, list[Array]]:
    """The force, None where there is none, and the answers over a stretch."""
    data = signal.samples.read_many(every, first, stop)
    force = None if own is None else np.asarray(data[0])
    answers = [np.asarray(one) for one in (data if own is None else data[1:])]
    for one, number in zip(data, every, strict=True):
        if not math.isfinite(float(one.sum())):
            raise UserError(
                f"{signal.channels[number].name} has missing values in the stretch",
                remedy="choose a stretch without them",
            )
    return force, answers


def _none_counts(
    names: list[str], force: Array | None, answers: list[Array], taps: tuple[Tap, ...]
) -> UserError:
    """What to say where every tap has a fault."""
    swapped = force is not None and lasts(force, list(taps)) * LASTS > max(
        lasts(one, list(taps)) for one in answers
    )
    faults = [tap.notes[0].split(",")[0] for tap in taps]
    most = max(set(faults), key=faults.count)
    return UserError(
        f"None of the {len(taps)} taps found in {names[0]} counts, most for “{most}”",
        f"{names[0]} rings longer than what it is to cause" if swapped else "",
        "swap reference and answer" if swapped else "take some back, or choose another stretch",
    )


def _levels(rung: Response, answers: int) -> Response:
    """Of the curves of all taps, the rms of each answer's."""
    h = rung.h.reshape(-1, answers, rung.h.shape[1])
    level = np.sqrt((np.abs(h) ** 2).mean(axis=0)).astype(np.complex128)
    return replace(rung, h=level, variance=np.full(level.shape, math.nan))


def _as_asked(
    between: FrfSettings, response: Response, reference: Channel | None, answers: list[Channel]
) -> tuple[Complex, Array, tuple[str, ...]]:
    curves, scales, units = [], [], []
    for i, channel in enumerate(answers):
        power, factor, symbol = (
            (0, 1.0, f"{channel.unit}·s")
            if reference is None
            else shown(between.form, channel.unit, reference.unit)
        )
        one = replace(response, h=response.h[i : i + 1]).over(power)[0] * factor
        with np.errstate(divide="ignore", invalid="ignore"):
            scales.append(np.abs(2j * np.pi * response.frequency) ** power * factor)
        curves.append(one)
        units.append(symbol)
    return np.stack(curves), np.stack(scales), tuple(units)


def _sentence(
    between: FrfSettings,
    response: Response,
    reference: Channel | None,
    answers: list[Channel],
    taps: tuple[Tap, ...],
    method: Method,
) -> str:
    names = ", ".join(one.name for one in answers)
    parts = [names if reference is None else f"{names} over {reference.name}"]
    if between.hits:
        out = [str(tap.number) for tap in taps if tap.number not in response.taps]
        parts.append(
            f"{len(response.taps)} of {len(taps)} taps"
            + (f", without {', '.join(out)}" if out else "")
        )
        window = "force window" if between.pulse else "no force window"
        decay = f"exponential {response.decay:.3g} s" if response.decay else ""
        if reference is None:
            parts.append("what rings from 4 ms after each" + (f", {decay}" if decay else ""))
            parts.append(f"frames of {response.frame} samples")
        else:
            parts.append(window + (f", {decay}" if decay else ""))
            before = f"{1000 * between.before:g} ms before"
            parts.append(f"frames of {response.frame} samples from {before}")
    else:
        parts += [
            f"{method.frames.window}, {method.frames.frame} samples, "
            f"{method.frames.overlap:g} % overlap",
            f"worth {response.averages:.0f} averages",
        ]
    if reference is not None:
        parts.append({"h1": "H1", "h2": "H2", "hv": "Hv"}[between.estimator])
    if between.form:
        parts.append(between.form)
    if between.high:
        parts.append(f"modes from {between.low:g} to {between.high:g} Hz")
    return " · ".join(parts)
