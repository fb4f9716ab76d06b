"""Machines whose speed breathes: the warp, what turns and what stands, modes beside the lines."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest
import soundfile
from benchmarks.breathing import CONTROLS, Machine, control, machine, wandering
from tests.cli.test_cli import call
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.find.both_ways import both_ways
from tonecomb.core.find.comb import measured
from tonecomb.core.find.common_warp import find_warp
from tonecomb.core.find.delay_smoothing import slower_than, smoothed
from tonecomb.core.find.modes_by_teeth import mode_by_teeth
from tonecomb.core.find.sharp_lines import coherence
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.machine_families import own_families
from tonecomb.core.results.machine_time import as_lines, steadied
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.in_short import in_short
from tonecomb.core.steps.steady import Steady


@cache
def made(kind: str = "wander", rms: float = 1e-3, seed: int = 6) -> Machine:
    return machine(kind, rms, seed, fs=5000.0, seconds=16.0)


@cache
def analysed(kind: str = "wander", rms: float = 1e-3, seed: int = 6) -> Analysis:
    one = made(kind, rms, seed)
    return run(Method(), recording(one.samples, fs=one.fs))


@pytest.mark.parametrize("kind", ["wander", "ramp", "steps", "drive"])
def test_the_warp_is_found(kind: str) -> None:
    one = made(kind, 2e-3, 5)
    found = find_warp(lambda a, b: one.samples[a:b], len(one.samples), one.fs)
    assert found is not None
    at = np.arange(2500, len(one.samples) - 2500, 50)
    off = found.warp.swing(at / one.fs) - one.swing[at]
    assert np.std(off) < 0.1 * np.std(one.swing)


@pytest.mark.parametrize("kind", CONTROLS)
@pytest.mark.parametrize("seed", [1, 2])
def test_none_where_nothing_breathes_together(kind: str, seed: int) -> None:
    x = control(kind, seed, fs=4000.0, seconds=16.0)
    assert find_warp(lambda a, b: x[a:b], len(x), 4000.0) is None


def test_what_turns_and_what_stands_still() -> None:
    one, a = made(), analysed()
    assert a.peaks is not None and a.machine is not None and a.shaft is not None
    assert a.shaft.spacing == pytest.approx(one.shaft, abs=4 * a.shaft.spacing_std)
    still = [peak for peak in a.peaks if peak.turns == "stands still"]
    assert [peak.tone.frequency for peak in still] == pytest.approx(list(one.still), abs=2e-3)
    for order in (*one.orders[:5], one.orders[-1]):  # but for the weak sidebands of the mesh
        near = min(a.peaks, key=lambda peak: abs(peak.tone.frequency - order * one.shaft))
        of = a.of_shaft(near)
        assert of is not None and of[0] == pytest.approx(order, abs=max(5 * of[1], 1e-5))
    # Everything else that turns is a hit's tooth: nothing is a fragment.
    for peak in a.peaks:
        times = peak.tone.frequency / one.shaft
        ours = [abs(times - round(times)), abs(times / one.hits - round(times / one.hits))]
        assert peak.turns != "turns" or min(ours) < 2e-3, f"{peak.tone.frequency} Hz"


def test_families_and_modes_are_those_of_the_machine() -> None:
    one, a = made(), analysed()
    alone = [comb for comb in a.combs if comb.carrier is None]
    assert {round(comb.spacing / one.shaft, 3) for comb in alone} == {1.0, round(one.hits, 3)}
    shaft = min(alone, key=lambda comb: comb.spacing)
    numbers = {tooth.number for tooth in shaft.teeth if tooth.found}
    assert {*one.orders[:5], one.orders[-1]} <= numbers, "the mesh is a tooth of the shaft's"
    assert len(a.resonances) == 2
    for mode, (frequency, damping) in zip(a.resonances, one.modes, strict=True):
        assert mode.frequency == pytest.approx(frequency, rel=0.01)
        assert mode.damping == pytest.approx(damping, rel=0.25)


def test_it_is_said_in_short() -> None:
    texts = [one.text for one in in_short(analysed())]
    (breathes,) = [text for text in texts if "breathe together" in text]
    wander = 50 * np.ptp(made().swing)
    assert float(breathes.split("± ")[1].split(" %")[0]) == pytest.approx(wander, rel=0.15)
    assert not any("comes and goes" in text for text in texts)


def test_a_machine_that_holds_its_speed_is_read_as_ever() -> None:
    a = analysed("steady", 1e-3, 6)
    assert a.machine is None and all(peak.turns == "" for peak in a.peaks or ())


def test_tones_of_their_own_are_no_machine() -> None:
    rng = np.random.default_rng(5)
    t = np.arange(64_000) / 4000
    x = 0.1 * rng.standard_normal(len(t))
    for f in (61.0, 133.0, 304.0, 790.0, 1311.0):
        x += np.cos(2 * np.pi * f * np.cumsum(1 + wandering(len(t), 4000.0, 2e-3, rng)) / 4000)
    a = run(Method(), recording(x, fs=4000.0))
    assert a.machine is None and not any("breathe" in one.text for one in in_short(a))


def test_steadied_everything_after_it_stands_still() -> None:
    one = made()
    step = steadied(Method(), recording(one.samples, fs=one.fs))
    a = run(Method().having(steps=(step,)), recording(one.samples, fs=one.fs))
    assert a.machine is None, "nothing breathes any more"
    assert a.peaks is not None
    for order in one.orders:
        near = min(a.peaks, key=lambda peak: abs(peak.tone.frequency - order * one.shaft))
        assert near.tone.steady, f"order {order}"
        assert near.tone.frequency == pytest.approx(order * one.shaft, rel=2e-5)


def test_a_stretch_is_steadied_and_the_rest_left() -> None:
    one = made()
    method = Method().having(stretch=Stretch(2.0, 14.0))
    step = steadied(method, recording(one.samples, fs=one.fs))
    assert step.law[0] == (0.0, 0.0) and step.law[-1] == (16.0, 0.0)
    assert np.all(step.warp.delay(np.array([0.5, 1.9, 14.1, 15.5])) == pytest.approx(0, abs=2e-5))
    inside = np.linspace(3, 13, 200)
    true = np.interp(inside, np.arange(len(one.swing)) / one.fs, one.swing)
    assert np.std(step.warp.swing(inside) - true) < 0.15 * np.std(one.swing)


def test_where_nothing_breathes_there_is_no_step() -> None:
    with pytest.raises(UserError, match="No speed can be read"):
        steadied(Method(), recording(control("white", 3), fs=6000.0))


def test_from_the_command_line(tmp_path: Path) -> None:
    one = made()
    scaled = (one.samples / 12).astype(np.float32)
    soundfile.write(tmp_path / "m.wav", scaled, 5000, subtype="FLOAT")
    plain = json.loads(call("analyse", tmp_path / "m.wav", "--json").stdout)["analyses"][0]
    assert plain["machine"]["shaft_hz"] == pytest.approx(one.shaft, rel=1e-4)
    turning = [peak for peak in plain["peaks"] if peak["turns"] == "turns"]
    assert {1.0, 2.0} <= {round(peak["of_shaft"], 4) for peak in turning}
    steady = call("analyse", tmp_path / "m.wav", "--steady", "--json")
    a = json.loads(steady.stdout)["analyses"][0]
    assert "steadied by the signal (± 0." in a["method"] and "machine" not in a
    white = tmp_path / "w.wav"
    soundfile.write(white, control("white", 3).astype(np.float32) / 8, 6000, subtype="FLOAT")
    refused = call("analyse", white, "--steady")
    assert refused.returncode == 2 and "No speed can be read from" in refused.stderr


def test_coherence_is_that_of_the_exact_maximum() -> None:
    k = np.arange(50)
    for off in (0.0, 0.11, 1.3, -0.77):
        share, omega = coherence(np.exp(1j * (off * k + 0.4)))
        assert share == pytest.approx(1.0, abs=1e-6) and omega == pytest.approx(off, abs=1e-5)


def test_a_line_is_known_by_either_time() -> None:
    fs, n = 2000.0, 40_000
    t = np.arange(n) / fs
    delay = 1e-4 * np.sin(2 * np.pi * 0.4 * t)
    x = np.cos(2 * np.pi * 301.3 * t) + np.cos(2 * np.pi * 607.9 * (t + delay))
    x += 0.1 * np.random.default_rng(2).standard_normal(n)
    told = both_ways(
        lambda a, b: x[a:b], n, fs, [301.3, 607.9, 850.0], delay, t, machine=False, std=1e-7
    )
    assert [told.turns(i, machine=False) for i in range(3)] == ["stands still", "turns", "wanders"]


def test_smoothing_takes_the_noise_that_the_values_tell() -> None:
    rng = np.random.default_rng(4)
    at = np.arange(600)
    slow = np.sin(2 * np.pi * at / 150)
    values = slow + 0.1 * rng.standard_normal(600)
    curve = smoothed(values, np.full(600, 0.01), 3)
    assert np.std((curve - slow)[20:-20]) < 0.035
    assert np.std(slower_than(slow + np.sin(2 * np.pi * at / 4), 0.02, 1.0) - slow) < 0.05


def test_a_mode_is_read_from_the_heights_of_teeth() -> None:
    f = 97.3 * np.arange(8, 34)
    r = f / 2010.0
    heights = f**0.5 / np.sqrt((1 - r**2) ** 2 + (2 * 0.03 * r) ** 2)
    rng = np.random.default_rng(1)
    seen = mode_by_teeth(f, heights * np.exp(0.05 * rng.standard_normal(len(f))))
    assert seen is not None
    assert abs(seen.frequency - 2010) < 4 * seen.frequency_std
    assert abs(seen.damping - 0.03) < 4 * seen.damping_std
    assert mode_by_teeth(f, np.ones(len(f))) is None, "nothing is rung"


def test_the_caution_steadies_it() -> None:
    a, machine = analysed(), made()
    of = recording(machine.samples, fs=machine.fs)
    (one,) = [one for one in cautions(a, of) if one.code == "moving"]
    assert one.remedy == "Steady the speed" and one.edit is not None
    assert isinstance(one.edit(a.method).source.steps[-1], Steady)


def test_the_step_is_one_of_the_signals() -> None:
    step = analysed().machine
    assert step is not None and isinstance(step.step, Steady)


@pytest.mark.parametrize(
    ("numbers", "of", "left"),
    [
        ((21, 24, 27, 30, 31, 33, 34, 36, 37), 3, [7, 8, 9, 10, 11, 12]),  # folded: 31, 34, 37
        ((1, 2, 4, 6, 8, 10), 1, [1, 2, 4, 6, 8, 10]),
        ((4, 5, 6, 7, 8, 9, 10), 1, [4, 5, 6, 7, 8, 9, 10]),
    ],
)
def test_a_fraction_of_a_family_is_none(numbers: tuple[int, ...], of: int, left: list[int]) -> None:
    base = next(one for one in analysed().peaks or () if one.turns == "turns")
    peaks = [
        replace(base, tone=replace(base.tone, frequency=52.63 * n, frequency_std=1e-4))
        for n in numbers
    ]
    comb = measured(as_lines(peaks), 52.63, None, numbers, 0.5)
    (found,) = own_families([comb], peaks)
    assert found.spacing == pytest.approx(of * 52.63, rel=1e-6)
    assert [tooth.number for tooth in found.teeth if tooth.found] == left
