"""What a narrow band does: modes, and what only looks like one."""

import numpy as np
import pytest
from benchmarks.statement_kinds import Record, mode, noise, shaped, sines, struck, warbling

from tonecomb.core.find.mode_witness import WholeStretch, verdict

FS, SECONDS, F = 2000.0, 60.0, 310.0


def _mode(rng: np.random.Generator) -> Record:
    return mode(rng, FS, SECONDS, F, 0.005)


def _walks(rng: np.random.Generator) -> Record:
    course = F + 12.0 * rng.standard_normal(round(FS * SECONDS))
    return warbling(rng, FS, SECONDS, course)


def _bursts(rng: np.random.Generator) -> Record:
    """Of a tone that begins anew each time."""
    t = np.arange(round(FS * SECONDS)) / FS
    x = np.zeros(len(t))
    for at in np.arange(9) * 6.5 + rng.uniform(0, 5, 9):
        there = (t >= at) & (t < at + 0.5)
        x[there] = np.cos(2 * np.pi * F * t[there] + rng.uniform(0, 2 * np.pi))
    return Record(x, FS)


def _rings(rng: np.random.Generator) -> Record:
    return struck(rng, FS, SECONDS, np.sort(rng.uniform(0, SECONDS, 90)), F, 0.005, 1.0)


def _swelling(rng: np.random.Generator) -> Record:
    t = np.arange(round(FS * SECONDS)) / FS
    return shaped(_mode(rng), 1 + 0.7 * np.sin(2 * np.pi * 0.11 * t))


@pytest.mark.parametrize(
    ("make", "kind"),
    [
        (_mode, "mode"),
        (_swelling, "mode"),
        (_walks, "wanders"),
        (_bursts, "bursts"),
        (_rings, "rings"),
    ],
)
@pytest.mark.parametrize("seed", range(5))
def test_what_a_band_does(make, kind, seed) -> None:
    rng = np.random.default_rng([seed, 38])
    x = make(rng).plus(noise(rng, FS, SECONDS, 0.1)).samples
    stretch = WholeStretch.of(lambda a, b: x[a:b], len(x), FS)
    assert stretch is not None
    said = verdict(stretch, F, 3.1, FS / 4096, (1.0, FS / 2))
    assert said.kind == kind
    if kind == "bursts":
        assert said.share == pytest.approx(4.5 / SECONDS, rel=0.3)


def test_a_steady_tone_in_the_band_is_left_out() -> None:
    rng = np.random.default_rng(5)
    x = _mode(rng).plus(sines(rng, FS, SECONDS, [(F + 1.37, 1.0)])).samples
    stretch = WholeStretch.of(lambda a, b: x[a:b], len(x), FS)
    assert stretch is not None
    assert verdict(stretch, F, 3.1, FS / 4096, (1.0, FS / 2), [F + 1.37]).kind == "mode"
    assert verdict(stretch, F, 3.1, FS / 4096, (1.0, FS / 2)).kind == "lines"


def test_a_line_on_a_modes_noise_is_read() -> None:
    errors, stds = [], []
    for seed in range(20):
        rng = np.random.default_rng([seed, 39])
        x = _mode(rng).plus(sines(rng, FS, SECONDS, [(F + 0.41, 1.0)])).samples
        stretch = WholeStretch.of(lambda a, b, x=x: x[a:b], len(x), FS)
        assert stretch is not None
        line = stretch.line(F, 8.0)
        assert line is not None
        assert line[0] == pytest.approx(F + 0.41, abs=0.005)
        errors.append(line[1] - 1.0)
        stds.append(line[2])
    assert np.sqrt(np.mean(np.square(errors))) == pytest.approx(np.mean(stds), rel=0.5)
    quiet = WholeStretch.of(lambda a, b: _mode(np.random.default_rng(1)).samples[a:b], 120_000, FS)
    assert quiet is not None
    assert quiet.line(F, 8.0) is None


def test_samples_that_are_missing_are_not_judged() -> None:
    x = np.full(4096, np.nan)
    assert WholeStretch.of(lambda a, b: x[a:b], len(x), FS) is None
