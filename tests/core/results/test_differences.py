"""Yesterday and today: what changed is told, and nothing else."""

from __future__ import annotations

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.differences import SpectrumDifference, differences
from tonecomb.core.results.search import run
from tonecomb.core.say import changed

FS, N = 2000.0, 40_000
T = np.arange(N) / FS
METHOD = Method.of(frame=4000)
TONES = ((411.3, 0.2), (640.7, 0.05), (802.1, 0.01))


def machine(
    seed: int,
    tones: tuple[tuple[float, float], ...] = TONES,
    *,
    shaft: float = 31.3,
    noise: float = 0.02,
    coloured: bool = False,
) -> Array:
    """A family of six, single tones (Hz, amplitude), and noise."""
    chance = np.random.default_rng(seed)
    x = noise * chance.normal(size=N)
    if coloured:
        x = np.convolve(x, np.hanning(9), "same")
    for n in range(1, 7):
        x += 0.2 / n * np.cos(2 * np.pi * shaft * n * T + chance.uniform(0, 6))
    for f, a in tones:
        x += a * np.cos(2 * np.pi * f * T + chance.uniform(0, 6))
    return x


def analysed(x: Array, unit: str = "m/s²") -> Analysis:
    return run(METHOD, recording(x, fs=FS, unit=unit))


def told(before: Array, now: Array) -> list[SpectrumDifference]:
    return list(differences(analysed(before), analysed(now)).told)


@pytest.mark.parametrize("coloured", [False, True])
def test_what_did_not_change_is_not_told(coloured: bool) -> None:
    for seed in range(6):
        one, other = (machine(seed + k, coloured=coloured) for k in (0, 50))
        found = differences(analysed(one), analysed(other))
        assert found.told == (), [changed.words(d, "") for d in found.told]
        assert found.compared >= 8
        assert "Nothing changed" in changed.summary(found)


def test_each_change_is_told_once_with_its_size() -> None:
    now = ((411.3, 0.4), (640.9, 0.05), (911.7, 0.03))
    found = told(machine(1), machine(2, now, shaft=31.4, noise=0.03))
    kinds = [(d.kind, d.verdicts) for d in found]
    assert kinds == [
        ("level", ("grew",)),
        ("family", ("moved",)),
        ("tone", ("grew",)),
        ("tone", ("moved",)),
        ("tone", ("came",)),
        ("tone", ("went",)),
        ("noise", ("grew",)),
    ]
    _, family, grew, moved, came, went, noise = found
    assert family.now.frequency - family.before.frequency == pytest.approx(0.1, abs=2e-3)
    assert grew.change_db == pytest.approx(6.02, abs=3 * grew.change_db_std)
    assert moved.now.frequency - moved.before.frequency == pytest.approx(0.2, abs=2e-3)
    assert (came.now.frequency, went.before.frequency) == pytest.approx((911.7, 802.1), abs=1e-2)
    assert np.isnan(came.before.level) and np.isnan(went.now.level)
    assert noise.change_db == pytest.approx(20 * np.log10(1.5), abs=0.2)
    assert noise.high == FS / 2
    words = [changed.words(d, "m/s² rms") for d in found]
    assert words[1].startswith("family A: moved by +0.100")
    assert "came, 0.021" in words[4] and "went, it was 0.007" in words[5]


def test_what_the_noise_may_have_hidden_is_not_told() -> None:
    """A weak tone that stands out of a quieter floor need not have come."""
    weak = (*TONES, (900.3, 0.004))
    found = told(machine(1, noise=0.1), machine(2, weak, noise=0.01))
    assert not [d for d in found if d.kind == "tone"]
    assert [d.verdicts for d in found if d.kind == "noise"] == [("fell",)]


def test_small_changes_are_counted_and_units_converted() -> None:
    now = ((411.3, 0.205), *TONES[1:])
    before, after = analysed(machine(1)), analysed(machine(1, now) * 1000, unit="mm/s²")
    found = differences(before, after)
    assert (found.told, found.smaller) == ((), 2)
    assert "2 changed by less than is listed" in changed.summary(found)
    listed = differences(before, after, least_db=0.0).told
    assert [(d.kind, d.verdicts) for d in listed] == [("level", ("grew",)), ("tone", ("grew",))]
    assert listed[1].before.level == pytest.approx(200 / 2**0.5, rel=0.01)
    with pytest.raises(UserError, match="measure different things"):
        differences(before, analysed(machine(1), unit="V"))
