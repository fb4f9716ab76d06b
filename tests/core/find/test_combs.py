"""Families of tones: found among strangers, snapped, measured; nothing found in noise."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks import accuracy
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.find.comb import Line, inharmonicity, mains, matching, measured, snapped
from tonecomb.core.find.combs import find_combs
from tonecomb.core.find.ratios import ratio_words, small_ratio
from tonecomb.core.method.method import default_method
from tonecomb.core.results.search import run


def lines(*frequencies: float, std: float = 1e-4, amplitude: float = 1.0) -> list[Line]:
    return [Line(f, std, amplitude) for f in frequencies]


@pytest.mark.parametrize("snr", [30.0, -10.0])
def test_rates_over_random_signals(snr: float) -> None:
    """A seeded share of the benchmark, whose generator knows nothing of the detector."""
    first, both, sides, _ = accuracy.combs_rates(6, snr)
    assert first == 1.0
    assert both >= 5 / 6
    assert sides >= 5 / 6


def test_nothing_is_found_in_noise() -> None:
    found = 0
    for seed in range(100):
        made = recording(np.random.default_rng(seed).normal(size=20_000))
        peaks = run(default_method(made), made).peaks or ()
        got = [Line(p.tone.frequency, p.tone.frequency_std, p.tone.amplitude) for p in peaks]
        found += bool(find_combs(got, 500.0))
    assert found <= 3


@given(
    f0=st.floats(5, 80), seed=st.integers(0, 1000), missing=st.sets(st.integers(2, 9), max_size=3)
)
def test_a_comb_among_strangers(f0: float, seed: int, missing: set[int]) -> None:
    """The fundamental is the weighted mean that its teeth give, whatever else is there."""
    rng = np.random.default_rng(seed)
    numbers = [n for n in range(1, 13) if n not in missing]
    wanted = [Line(n * f0 + 1e-4 * rng.standard_normal(), 1e-4, 1.0) for n in numbers]
    strangers = [Line(f, 1e-4, 0.5) for f in rng.uniform(3, 1500, 8)]
    combs = find_combs([*wanted, *strangers], 2000.0)
    assert combs[0].name == "A"
    assert abs(combs[0].spacing - f0) < 5 * max(combs[0].spacing_std, 1e-5 * f0)
    found = {tooth.number for tooth in combs[0].teeth if tooth.found}
    assert set(numbers) <= found
    assert set(combs[0].lines) >= set(range(len(numbers)))


def test_sidebands_tell_whose_they_are() -> None:
    """A motor's harmonics, and its sidebands about a carrier that is 17 times it, or is not."""
    motor = lines(*(24.3 * n for n in (1, 2, 3, 4)))
    for carrier in (413.1, 420.0):
        sides = [Line(carrier + k * 24.3, 1e-4, 0.3) for k in (-2, -1, 1, 2)]
        a, b = find_combs([*motor, *sides, Line(carrier, 1e-4, 2.0)], 1000.0)
        assert (a.name, a.carrier) == ("A", None)
        assert b.carrier == pytest.approx(carrier)
        assert matching(b, (a, b)) == "A"
        assert b.modulation == pytest.approx(0.3)
        assert [t.number for t in b.teeth if t.found] == [-2, -1, 0, 1, 2]
    assert small_ratio(413.1, 1e-4, a.spacing) == 17
    assert small_ratio(420.0, 1e-4, a.spacing) is None


def test_figures_of_a_comb() -> None:
    got = [Line(n * 50.0, 1e-4, a) for n, a in ((1, 2.0), (2, 0.3), (3, 0.4))]
    comb = measured(got, 50.0, None, range(1, 5), 1.0)
    assert comb.distortion == pytest.approx(0.25), "√(0.09 + 0.16) of 2"
    assert comb.power == pytest.approx(4.25)
    assert [t.found for t in comb.teeth] == [True, True, True, False]
    assert np.isnan(comb.modulation)
    assert np.isnan(measured(got, 49.0, None, (2, 3), 5.0).distortion), "no fundamental"
    stiff = [Line(n * 40 * np.sqrt(1 + 1e-4 * n * n), 1e-4, 1.0) for n in range(1, 9)]
    drift = inharmonicity(measured(stiff, 40.0, None, range(1, 9), 3.0))
    assert drift == pytest.approx(1e-4, rel=0.01)


@given(off=st.floats(-0.008, 0.008), seed=st.integers(0, 500))
def test_snapping_takes_all_teeth(off: float, seed: int) -> None:
    """From near, the fundamental that all teeth agree on, with its standard deviation."""
    rng = np.random.default_rng(seed)
    std = np.array([1e-3, 2e-3, 1e-3, 5e-3, 1e-3])
    n = np.array([1, 2, 3, 5, 8])
    f = 31.4 * n + std * rng.standard_normal(5)
    got = [Line(a, b, 1.0) for a, b in zip(f, std, strict=True)]
    comb = snapped(got, measured(got, 31.4 * (1 + off / 8), None, range(1, 10), 2.0), 2.0)
    assert comb.lines == (0, 1, 2, 3, 4)
    assert abs(comb.spacing - 31.4) < 5 * comb.spacing_std
    weights = 1 / (std**2 + (1.5e-5 * f) ** 2)
    assert comb.spacing_std == pytest.approx(1 / np.sqrt(np.sum(n**2 * weights)))
    sides = measured(got, 31.4, 94.2, (-2, -1, 0, 2), 1.0)
    assert snapped(got, sides, 1.0).carrier == pytest.approx(94.2, abs=0.02)
    lonely = measured(lines(7.0), 31.4, None, range(1, 4), 1.0)
    assert snapped(lines(7.0), lonely, 1.0) is lonely


@given(
    f0=st.floats(8, 40),
    scale=st.floats(0.2, 50),
    gain=st.floats(1e-6, 1e6),
    order=st.permutations(range(9)),
)
def test_families_do_not_depend_on_units_or_order(
    f0: float, scale: float, gain: float, order: list[int]
) -> None:
    """The same lines in another unit of frequency or amplitude, or in another order."""
    got = [Line(f0 * n, 1e-4, 1.0 / n) for n in (1, 2, 3, 5, 6, 7)]
    got += [Line(f, 1e-4, 0.3) for f in (101.3, 457.7, 683.9)]
    moved = [
        Line(got[i].frequency * scale, got[i].std * scale, got[i].amplitude * gain) for i in order
    ]
    one, other = find_combs(got, 1000.0), find_combs(moved, 1000.0 * scale)
    assert [c.spacing * scale for c in one] == pytest.approx([c.spacing for c in other])
    for a, b in zip(one, other, strict=True):
        assert [t.number for t in a.teeth if t.found] == [t.number for t in b.teeth if t.found]
        assert {order[i] for i in b.lines} == set(a.lines)


@pytest.mark.parametrize(
    ("frequency", "std", "words"),
    [
        (48.6, 1e-4, "2/1"),
        (413.1, 1e-3, "17/1"),
        (24.3 * 23 / 7, 1e-4, "23/7"),
        (24.3 * 1.5, 0.0, "3/2"),
        (24.3, 1e-4, None),
        (24.3 / 2, 1e-4, None),
        (24.3 * 1.30371, 1e-4, None),
        (48.65, 1e-3, None),
        (48.65, 1.0, None),
        (24.3 * 23 / 7, 0.1, None),
        (24.3 * 17 / 9, 1e-4, None),
    ],
)
def test_ratios_of_gears(frequency: float, std: float, words: str | None) -> None:
    """Small whole numbers, but not where anything would pass for them."""
    ratio = small_ratio(frequency, std, 24.3)
    assert (None if ratio is None else ratio_words(ratio)) == words


@pytest.mark.parametrize(
    ("spacing", "carrier", "hz"),
    [(50.0, None, 50), (60.05, None, 60), (50.4, None, None), (100.0, None, None), (50, 413, None)],
)
def test_the_mains(spacing: float, carrier: float | None, hz: float | None) -> None:
    assert mains(measured((), spacing, carrier, range(1, 4), 1.0)) == hz


def test_a_spacing_is_another_combs_only_within_what_is_known() -> None:
    a = measured((), 24.3, None, range(1, 4), 1.0, "A")
    b = measured((), 24.305, 413.1, range(-2, 3), 1.0, "B")
    for std, name in ((1e-4, "A"), (1e-6, "A")):
        exact = [replace(comb, spacing_std=std) for comb in (a, b)]
        assert matching(exact[1], exact) == name, "hits slip: 0.02 % is the same shaft"
    apart = replace(b, spacing=24.4, spacing_std=1e-3)
    assert matching(apart, [replace(a, spacing_std=1e-3), apart]) == ""
    unsure = replace(apart, spacing_std=0.1)
    assert matching(unsure, [replace(a, spacing_std=1e-3), unsure]) == "A"
    assert matching(a, [a]) == "", "not its own"


def test_sidebands_are_no_harmonics_far_up() -> None:
    """A carrier at 61 times half their distance has them at 59 and 63 times that."""
    sides = [Line(366.25 + k * 12.008, 4e-3, 0.3 if k else 1.0) for k in (-1, 0, 1)]
    (family,) = find_combs(sides, 2500.0)
    assert family.carrier == pytest.approx(366.25, abs=0.01)
    assert family.spacing == pytest.approx(12.008, abs=0.01)
