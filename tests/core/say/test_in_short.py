"""In short: what the demo holds and nothing else, and nothing of noise."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from benchmarks.changing import COMBS, NOISES, SAMPLES
from benchmarks.truth import made_recording
from tests.support import recording

import tonecomb
from tonecomb.core.method.machine import Known
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.say.in_short import in_short
from tonecomb.core.say.overview import Sentence
from tonecomb.demo import ropeway


def told(of: Recording, said: Knowledge | None = None, **settings: object) -> tuple[Sentence, ...]:
    found = tonecomb.analyse(of, default_method(of).having(**settings))
    return in_short(found.analysis, found.context.cautions, said or Knowledge())


def places(parts: tuple[Sentence, ...], kind: str) -> list[float]:
    """First frequencies of the sentences of a kind."""
    return [
        float(found[1])
        for part in parts
        if part.kind == kind
        and not part.text.startswith("Broad peaks")
        and (found := re.search(r"([\d.]+)(?:\(\d+\))? Hz", part.text))
    ]


@pytest.mark.parametrize("channel", range(3))
def test_the_drive_says_what_is_in_it(demo: Path, channel: int) -> None:
    of = tonecomb.open(demo / "drive-steady.h5")
    truth = ropeway.truth()["recordings"]["drive-steady"]["channels"][channel]
    known = np.array([tone["frequency_hz"] for tone in truth["tones"]] or [0.0])
    parts = told(of, channel=channel)
    for frequency in (*places(parts, "comb"), *places(parts, "peak")):
        near_tone = np.abs(known - frequency).min() < 0.01
        bearing = channel == 2 and abs(frequency - 88.37) < 0.01
        assert near_tone or bearing, frequency
    if channel < 2:
        text = "\n".join(part.text for part in parts)
        assert re.search(r"Family A: 24\.300\d*\(\d\) Hz, harmonics 1–\d", text)
        assert re.search(r"413\.10\d*\(\d\) Hz = 17 × family A, with sidebands ± 24\.30", text)
        assert "50 Hz mains: 50.0000" in text and "= 34 × family A" in text
        tones = sum(tone["rms"] ** 2 for tone in truth["tones"])
        rms = float(parts[0].text.split()[0])
        share = 100 * tones / rms**2
        said = sum(float(one) for one in re.findall(r"(\d+) % in", parts[0].text))
        assert said == pytest.approx(share, abs=1.5)
        assert "Hits" not in text
    else:
        assert places(parts, "resonance") == pytest.approx([3100], abs=5)
        (hits,) = [part.text for part in parts if part.name == "hits"]
        assert re.match(r"Hits repeat 88\.3\d*\(\d\) times a second and ring from", hits)


def test_a_bearing_rings_one_mode_in_few_frames_too(demo: Path) -> None:
    """Its hits slip: in few frames their teeth fall into several peaks, which are no modes."""
    of = tonecomb.open(demo / "drive-steady.h5")
    parts = told(of, channel=2, stretch=Stretch(12.0, 32.0), frame=32_768)
    assert places(parts, "resonance") == pytest.approx([3100], abs=10)


def test_the_modes_of_a_tap_are_no_tones(demo: Path) -> None:
    of = tonecomb.open(demo / "bracket-taps.uff")
    settings = {"window": "rectangular", "frame": 16_384, "stretch": Stretch(6.9, 9.0)}
    parts = told(of, channel=1, **settings)
    assert places(parts, "resonance") == pytest.approx([61.8, 143.0, 388.0], abs=0.01)
    assert not places(parts, "peak")


def test_names_of_the_machine_are_used(demo: Path) -> None:
    of = tonecomb.open(demo / "drive-steady.h5")
    said = Knowledge(known=(Known("gear mesh", 17, of_shaft=True),), shaft=24.3)
    text = "\n".join(part.text for part in told(of, said, channel=1))
    assert "The shaft: 24.3000(2) Hz, harmonics 1–4." in text
    assert "Gear mesh: 413.100(2) Hz = 17 × the shaft, with sidebands ± 24.300(1) Hz." in text


def test_the_tower_s_modes_and_nothing_else(demo: Path) -> None:
    of = tonecomb.open(demo / "tower-sway.parquet")
    parts = told(of)
    assert [part.kind for part in parts] == ["level", *(2 * ["resonance"]), *(2 * ["caution"])]
    assert places(parts, "resonance") == pytest.approx([0.31, 0.47], rel=0.02)
    share = re.search(r"(\d+) % in resonances, .* no tones, no families", parts[0].text)
    assert share and 14 < int(share[1]) < 18  # 16.0 between 0.27 and 0.52 Hz by one transform
    assert parts[-2].name == "drift"
    assert parts[-1].text.startswith("Not sure: ") and parts[-1].name == "alias-risk"


def test_noise_is_noise() -> None:
    false = []
    for seed in range(40):
        random = np.random.default_rng(seed)
        x = random.standard_normal(16_384)
        if seed % 2:  # coloured
            x = np.convolve(x, np.exp(-np.arange(60) / 8.0), "same")
        parts = told(recording(x), frame=1024)
        told_ = [p for p in parts if p.kind not in ("level", "caution") or p.name == "hits"]
        if told_ or "broadband noise, no tones, no families" not in parts[0].text:
            false.append((seed, [part.text for part in parts]))
    assert len(false) <= 2, false


def test_what_comes_and_goes_and_what_moves() -> None:
    fs, n = 1000.0, 60_000
    t = np.arange(n) / fs
    random = np.random.default_rng(1)
    x = 0.05 * random.standard_normal(n) + np.where((t > 20) & (t < 40), np.sin(2e3 * 0.2 * t), 0)
    text = "\n".join(part.text for part in told(recording(x, fs=fs), frame=2048))
    assert "63.66" in text and "frames" in text, text
    quiet = told(recording(np.zeros(4096)))
    assert [part.text for part in quiet] == ["All samples are 0 m/s²: nothing moves."]


def test_where_a_sweeping_tone_turns_back_there_are_no_tones() -> None:
    fs = 8000.0
    t = np.arange(round(20 * fs)) / fs
    turns = np.cumsum(440 * (1 + 0.09 * np.sin(np.pi * t))) / fs
    x = sum(a * np.cos(2 * np.pi * k * turns) for k, a in ((1, 0.3), (2, 0.1), (3, 0.05)))
    parts = told(recording(x + 0.01 * np.random.default_rng(3).standard_normal(len(t)), fs=fs))
    assert not [part.text for part in parts if part.text.startswith("Single tone")]
    (moving,) = [part.text for part in parts if part.name == "moving"]
    assert re.search(r"from about 40\d to 4[78]\d Hz", moving)


def test_nothing_is_told_of_what_was_not_looked_for() -> None:
    from tonecomb.core.estimate.averages import Highest

    of = recording(np.random.default_rng(0).standard_normal(8192))
    found = tonecomb.analyse(of, Method.of(frame=512, average=Highest()))
    assert in_short(found.analysis) == ()
    assert found.values()["in_short"] == []


@pytest.mark.parametrize("kind", ["slow AM", "loud second", "wander 2", "run-up", "quantised"])
def test_what_only_looks_like_hits_is_not_told_as_such(kind: str) -> None:
    make = (NOISES | COMBS | SAMPLES)[kind]
    for seed in (900,) if kind == "quantised" else (900, 902):
        made = made_recording(make(seed).samples)
        assert not [part for part in told(made) if part.name == "hits"]


@pytest.mark.parametrize("channel", [0, 1])
def test_orders_of_a_run_up_are_harmonics_that_run(demo: Path, channel: int) -> None:
    """Orders 1, 2 and 17: the last is looked for where the first few are too few."""
    parts = told(tonecomb.open(demo / "run-up.flac"), channel=channel)
    assert parts[0].text.endswith("harmonics that run, no tone is seen beside them.")
    (moving,) = [part.text for part in parts if part.name == "moving"]
    assert re.search(r"runs from about (9\.\d|1\d\.?\d?) to 29(\.\d)? Hz", moving)


@pytest.mark.parametrize(
    ("orders", "law"),
    [
        ({1: 1.0, 2: 0.5, 3: 0.3, 4: 0.2}, ([0, 3, 7, 12], [10, 10, 40, 40])),
        (
            {1: 1.0, 2: 0.5, 5: 0.4, 11: 0.3},
            ([0, 5, 8, 14, 18, 24, 30], [9, 9, 22, 22, 40, 40, 55]),
        ),
        ({1: 1.0, 2: 0.5, 5: 0.4}, ([0, 6, 11, 15, 20, 24, 28, 34], [9, 9, 30, 30, 0, 0, 25, 25])),
    ],
    ids=["fast", "plateaus", "stop"],
)
def test_a_run_is_followed_over_its_whole_range(
    orders: dict[int, float], law: tuple[list[float], list[float]]
) -> None:
    fs, chance = 5000.0, np.random.default_rng(6)
    t = np.arange(int(law[0][-1] * fs)) / fs
    speed = np.interp(t, *law)
    turns = 2 * np.pi * np.cumsum(speed) / fs
    x = sum(a * np.cos(k * turns + k) for k, a in orders.items()) * (speed > 2)
    heard = recording(x + 0.2 * chance.normal(size=len(t)), fs=fs)
    moving = tonecomb.analyse(heard).analysis.found.moving
    assert moving.runs
    assert moving.low == pytest.approx(min(v for v in law[1] if v), rel=0.12)
    assert moving.high == pytest.approx(max(law[1]), rel=0.03)
    at, f = np.array(moving.track).T
    assert np.mean(np.abs(f / np.interp(at, *law) - 1) < 0.04) > 0.95
    assert not [one for one in told(heard) if one.text.startswith(("Single tone", "Broad peaks"))]
    hum = recording(
        x + 0.2 * np.cos(2 * np.pi * 73.1 * t) + 0.1 * chance.normal(size=len(t)), fs=fs
    )
    (single,) = [one.text for one in told(hum) if one.text.startswith("Single tone")]
    assert re.search(r"73\.(0[89]|1)", single), "teeth pass it as well, but it stands"


def test_a_shaft_that_runs_and_holds_is_told_as_harmonics() -> None:
    """Where it holds its speed its teeth stand in a part of the frames, and few of them move."""
    fs, chance = 12_800.0, np.random.default_rng(5)
    t = np.arange(int(40 * fs)) / fs
    turns = 2 * np.pi * np.cumsum(np.interp(t, [0, 10, 30, 40], [6, 22, 22, 6])) / fs
    x = sum(a * np.cos(k * turns + k) for k, a in ((1, 1.0), (2, 0.5), (3, 0.3), (23, 0.4)))
    parts = told(recording(x + 0.15 * chance.normal(size=len(t)), fs=fs))
    (moving,) = [part.text for part in parts if part.name == "moving"]
    assert re.search(r"harmonics runs from about \d+\.?\d? to 22(\.\d)? Hz", moving)
