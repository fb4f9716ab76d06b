"""The sentence about the level of a recording, and what share of its power is what."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tonecomb.core.find.ridge import Ridge
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.changing import ridge_span
from tonecomb.core.say.numbers import percent, plainly, significant
from tonecomb.core.say.overview import CHANGES, Overview, Sentence

_TELLS = 64  # samples of a frame, in which a tone is told from noise
_IN_BAND = 0.3  # of all up to the Nyquist frequency, that a band of noise has at most
_NAMED = 0.01  # of the power, from which the share of resonances is told
_STEPS = 8  # at which one tone stands, that are named


def level(told: Overview) -> list[Sentence]:
    """The overall level, and what share of its power is in families, tones and the rest."""
    a = told.analysis
    total = a.rms**2
    text = f"{significant(a.rms)} {a.unit.symbol} rms {a.rms_of}"
    if not total > 0:
        constant = next((one.text for one in told.cautions if one.code == "constant"), "")
        return [Sentence(constant or "Nothing moves: all samples are the same.", "level")]
    if told.loop is not None:
        return [Sentence(f"{text}. {told.loop.text}", "caution", told.loop.code)]
    if a.ridge is not None:
        return [Sentence(f"{text}: {_one_tone(a.ridge)}.", "level")]
    if not told.single and not told.families:
        if told.runs:
            return [Sentence(f"{text}: harmonics that run, no tone is seen beside them.", "level")]
        if a.estimate.averaged.framing.frame < _TELLS:
            place = plainly(float(a.spectrum.frequency[int(np.argmax(a.spectrum.mean_square))]))
            short = f"too few samples to tell a tone from noise, highest at about {place} Hz"
            return [Sentence(f"{text}: {short}.", "level")]
        return [Sentence(f"{text}: {_without_tones(told)}, no tones, no families.", "level")]
    account = a.account
    names = {comb.name for comb in told.families}
    families = [one for one in account.of_kind("family") if one.name in names]
    shares = [
        (sum(account.share(one) for one in families), "in families"),
        (account.of_peaks(set(told.single)) / account.whole, "in single tones"),
        *_beside_tones(told),
    ]
    rest = max(1 - sum(share for share, _ in shares), 0.0)
    shares.append((rest, "in harmonics that run and in noise" if told.runs else "broadband"))
    return [Sentence(f"{text}: {_listed(shares)}.", "level")]


def _beside_tones(told: Overview) -> list[tuple[float, str]]:
    """The shares of what is neither tone nor broad."""
    a, account = told.analysis, told.analysis.account
    modes = sum(account.share(one) for one in account.of_kind("mode")) if told.modes else 0.0
    where = "in a resonance" if len(told.modes) == 1 else "in resonances"
    ends = sum(account.share(one) for one in account.of_kind("ends"))
    shares = [(modes, where), (ends, _not_in_frames(a))]
    return [one for one in shares if one[0] > _NAMED]


def _without_tones(told: Overview) -> str:
    """What there is where there are no tones."""
    shares = _beside_tones(told)
    changing = any(one.code in CHANGES for one in told.cautions)
    if told.modes and shares:
        rest = max(1 - sum(share for share, _ in shares), 0.0)
        return _listed([*shares, (rest, "broadband")]) + (", changing" if changing else "")
    shape = "with broad peaks" if told.broad_peaks or told.modes else _noise(told.analysis)
    if changing:
        shape = "broadband and changing" if shape.startswith("broad") else f"{shape}, changing"
    return f"{_listed(shares)}; the rest {shape}" if shares else shape


def _noise(a: Analysis) -> str:
    """Noise, with the band in which most of it is where that is no great part of all."""
    s = a.spectrum
    running = np.cumsum(s.mean_square)
    at = np.searchsorted(running, np.array([0.05, 0.95]) * running[-1])
    low, high = s.frequency[np.minimum(at, len(running) - 1)].tolist()
    if high - low > _IN_BAND * a.fs / 2:
        return "broadband noise"
    return f"noise, 90 % of it from {plainly(low)} to {plainly(high)} Hz"


def _listed(shares: Sequence[tuple[float, str]]) -> str:
    return ", ".join(f"{percent(share)} {where}" for share, where in shares if share > 0)


def _one_tone(ridge: Ridge) -> str:
    """What one tone does that holds most of the power."""
    if not ridge.steps:
        return f"one tone runs {ridge_span(ridge)} Hz, {percent(ridge.share)} of the power"
    places = ", ".join(plainly(step, 4, bare=True) for step in ridge.steps[:_STEPS])
    more = f" and {len(ridge.steps) - _STEPS} more" if len(ridge.steps) > _STEPS else ""
    return f"one tone at a time: {places}{more} Hz"


def _not_in_frames(a: Analysis) -> str:
    """Where the power is that the frames do not have."""
    if a.other_ends:
        return "at a loud end"
    if a.uneven:
        return "slower than the first bin" if a.slow else "short, where frames hardly weigh"
    return "where frames hardly weigh"
