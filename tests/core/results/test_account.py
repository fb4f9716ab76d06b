"""The account of a stretch: parts that add up, each with the power that was put in."""

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.statement_kinds import KINDS, Record
from benchmarks.truth import made_recording

from tonecomb.core.estimate.content import Content
from tonecomb.core.method.method import default_method
from tonecomb.core.results.account import Held, account
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run

EVERY = [
    "noise: pink",
    "noise: loud at one end",
    "tones: two 6 bins apart",
    "tones: 12 at random",
    "change: tone for 1 s of 60",
    "change: random AM",
    "change: random FM, 3 s",
    "change: sweep 5 to 29 Hz",
    "family: odd",
    "family: gear and sidebands",
    "mode: 1 %",
    "mode: 5 %",
    "mode: beside a tone",
    "samples: a drift",
    "mixture: hum and a mode",
]
KNOWN = [name for name in EVERY if name.split(":")[0] in ("tones", "family", "mode", "mixture")]


def made(name: str, seed: int = 5) -> tuple[Record, Analysis]:
    record = KINDS[name](np.random.default_rng([seed, *name.encode()]))
    recording = made_recording(record.samples, record.fs)
    return record, run(default_method(recording), recording)


@pytest.mark.parametrize("name", EVERY)
def test_parts_add_up_and_tones_have_what_was_put_in(name) -> None:
    record, a = made(name)
    square = float(np.var(record.samples))
    assert sum(one.power for one in a.account.parts) == pytest.approx(square, rel=0.01)
    assert all(one.power >= 0 for one in a.account.parts)
    share = {
        kind: sum(map(a.account.share, a.account.of_kind(kind)))
        for kind in ("family", "tone", "mode", "ends", "left")
    }
    if record.tonal is not None:
        tonal = share["family"] + share["tone"]
        assert tonal - 0.03 < record.tonal < tonal + share["ends"] + 0.03
    if record.modes and record.tonal is not None:
        assert share["mode"] == pytest.approx(1 - record.tonal, abs=0.12)
    if name in KNOWN:
        assert share["left"] < 0.002


@pytest.mark.parametrize("name", ["noise: white 100 Hz", "tones: 12 at random", "family: odd"])
def test_what_is_left_of_known_parts_is_noise(name) -> None:
    _, a = made(name)
    floor, left = a.floor, a.account.left.mean_square
    assert floor is not None
    # Of a mean of so many frames hardly a bin is 5 standard deviations above the noise.
    sigma = 1 / np.sqrt(a.spectrum.effective_averages)
    assert np.mean(left[3:-3] > (1 + 5 * sigma) * floor[3:-3]) <= 0.002
    assert np.median(left[3:-3] / floor[3:-3]) == pytest.approx(1, abs=0.1)


@pytest.mark.parametrize(("first", "stop"), [(40, 41), (40, 52), (60, 90)])
def test_what_nothing_explains_is_left_with_its_band(first, stop) -> None:
    _, a = made("noise: white 100 Hz")
    rest = a.levels.rest
    squares = rest.mean_square.copy()
    squares[first:stop] *= 9
    held = Held(
        Content(np.zeros(0), np.zeros(0), replace(rest, mean_square=squares)),
        *(a.floor, a.averages, (), (), (), None, None),
    )
    per_bin = rest.bin_hz / rest.enbw_hz
    told = account(held, float(squares.sum()) * per_bin)
    (left,) = told.of_kind("left")
    put_in = 8 * float(rest.mean_square[first:stop].sum()) * per_bin
    assert left.power == pytest.approx(put_in, rel=0.1)
    assert rest.frequency[first] <= left.low <= left.high <= rest.frequency[stop]
    assert sum(one.power for one in told.parts) == pytest.approx(told.whole, rel=1e-9)


def test_as_another_quantity_it_adds_up_as_well() -> None:
    _, a = made("family: odd")
    shown = replace(a.method.shown.display, weighting="A")
    weighted = a.displayed(replace(a.method.shown, display=shown))
    assert sum(one.power for one in weighted.account.parts) == pytest.approx(weighted.rms**2)
    (family,) = weighted.account.of_kind("family")
    assert family.power < a.account.of_kind("family")[0].power
