"""From a method to taps, curves, modes and what is to be said; in files that others read."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import h5py
import numpy as np
import pytest
import pyuff
from tests.cli.test_cli import call
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.modal.modes import mac
from tonecomb.core.record.recording import Channel, Recording
from tonecomb.core.results.transfer import Transfer, run_transfer
from tonecomb.demo.structures import TAPS_MODES
from tonecomb.formats.kinds.transfer import modes_table


def asked(of: Recording, **settings: object) -> Transfer:
    between = FrfSettings(**settings)  # type: ignore[arg-type]
    return run_transfer(default_method(of).having(between=between), of)


@pytest.fixture(scope="module")
def bracket(demo: Path) -> Recording:
    return tonecomb.open(demo / "bracket-taps.uff")


def test_the_ropeway_s_bracket(bracket: Recording) -> None:
    t = asked(bracket, low=20.0, high=600.0)
    assert t.used == (1, 2, 3, 4, 6, 7, 8, 10, 11, 12) and t.cautions == ()
    assert t.title == "Accelerance" and t.units == ("(m/s²)/N",) * 3
    assert t.modes is not None
    for one, true in zip(t.modes.modes, TAPS_MODES, strict=True):
        assert one.frequency == pytest.approx(true.frequency_hz, rel=2e-4)
        assert one.damping == pytest.approx(true.damping_ratio, rel=0.02)
        assert mac(one.constant, np.array(true.residues, complex)) > 0.99
        assert one.constant.real == pytest.approx(true.residues, rel=0.02)
    assert t.fitted is not None
    inside = np.searchsorted(t.response.frequency, t.modes.frequency)
    off = np.abs(t.fitted - t.curves[:, inside]) / np.abs(t.curves[:, inside]).max()
    assert off.max() < 0.01


@pytest.mark.parametrize(
    "form, power, unit",
    [
        ("receptance", -2, "m/N"),
        ("mobility", -1, "(m/s)/N"),
        ("accelerance", 0, "(m/s²)/N"),
    ],
)
def test_as_another_quantity(bracket: Recording, form: str, power: int, unit: str) -> None:
    plain, t = asked(bracket, answers=(1,)), asked(bracket, answers=(1,), form=form)
    assert t.units == (unit,)
    s = 2j * np.pi * t.response.frequency[1:]
    assert t.curves[0, 1:] == pytest.approx(plain.curves[0, 1:] * s**power)


def test_taps_set_aside_and_taken_back(bracket: Recording) -> None:
    t = asked(bracket, answers=(1,), aside=(1, 2), taken=(9,))
    assert t.used == (3, 4, 6, 7, 8, 9, 10, 11, 12)
    assert "without 1, 2, 5" in t.sentence


def test_swapped_channels_are_suspected(bracket: Recording) -> None:
    t = asked(bracket, reference=0, answers=(1,))
    assert "swapped" not in dict(t.cautions)
    x = [bracket.samples.read(i, 0, bracket.length) for i in (0, 1)]
    other = replace(recording(*x, fs=bracket.rate), channels=(Channel("a", "N"), Channel("b", "N")))
    with pytest.raises(UserError, match="swap reference and answer"):
        asked(other, reference=1, answers=(0,))


def test_hits_under_a_hann_window_are_told(bracket: Recording) -> None:
    told = dict(asked(bracket, answers=(1,), hits=False).cautions)
    assert "never" not in told and "crest factor" in told["window-on-hits"]


def test_poles_over_a_motion_are_told_to_be_none_of_the_structure(bracket: Recording) -> None:
    told = dict(
        asked(bracket, reference=1, answers=(2,), hits=False, low=20.0, high=600.0).cautions
    )
    assert "not natural frequencies" in told["no-force"]
    assert "no-force" not in dict(asked(bracket, low=20.0, high=600.0).cautions)


def test_short_frames_and_a_weak_hammer_are_told(bracket: Recording) -> None:
    told = dict(asked(bracket, answers=(1,), frame=1024, low=20.0, high=3000.0).cautions)
    assert "of the decay are left" in told["decay-cut"] and "reaches" in told["hammer-weak"]


def test_a_mode_that_depends_on_how_hard_it_is_hit_is_told() -> None:
    fs, n = 4096.0, round(60 * 4096.0)
    t = np.arange(n) / fs
    random = np.random.default_rng(0)
    force, answer = np.zeros(n), np.zeros(n)
    for k in range(10):
        hard = 1.0 + k % 2
        after = t >= 1 + 6 * k
        here = after & (t < 1 + 6 * k + 1e-3)
        force[here] += hard * np.sin(np.pi * (t[here] - 1 - 6 * k) / 1e-3)
        w, damping = 2 * np.pi * (120 - 0.5 * hard), 0.01 * hard
        since = t[after] - 1 - 6 * k
        answer[after] += hard * np.exp(-damping * w * since) * np.sin(w * since)
    of = recording(
        force + 1e-4 * random.standard_normal(n), answer + 1e-4 * random.standard_normal(n), fs=fs
    )
    told = dict(asked(of, answers=(1,), low=40.0, high=300.0).cautions)
    assert "depends on how hard" in told["not-linear"]


def test_taps_that_are_heard_tell_too_whether_it_depends_on_how_hard() -> None:
    fs, n = 2048.0, round(40 * 2048.0)
    t = np.arange(n) / fs
    answer = 1e-4 * np.random.default_rng(2).standard_normal(n)
    for k in range(8):
        hard = 1.0 + k % 2
        after = t >= 1 + 4.8 * k
        w, since = 2 * np.pi * (120 - 0.5 * hard), t[after] - 1 - 4.8 * k
        answer[after] += hard * np.exp(-0.01 * hard * w * since) * np.sin(w * since)
    told = dict(asked(recording(answer, fs=fs), reference=None, low=60.0, high=250.0).cautions)
    assert "depends on how hard" in told["not-linear"]


def test_an_offset_under_an_exponential_and_phase_of_noise_are_told(bracket: Recording) -> None:
    x = [bracket.samples.read(i, 0, bracket.length) for i in (0, 1)]
    drifting = x[1].copy()
    for tap in asked(bracket, answers=(1,)).taps:
        since = np.arange(len(drifting) - tap.onset) / bracket.rate
        drifting[tap.onset :] += 0.1 * x[1].max() * (1 - np.exp(-since / 0.3))
    channels = (Channel("Hammer", "N"), Channel("a", "m/s²"))
    noise = 30.0 * np.random.default_rng(1).standard_normal(bracket.length)
    for answer, code, settings in (
        (drifting, "offset-under-exponential", {"decay": 0.3}),
        (x[1] + noise, "phase-unsure", {}),
    ):
        of = replace(recording(x[0], answer, fs=bracket.rate), channels=channels)
        found = asked(of, low=20.0, high=600.0, taken=tuple(range(1, 13)), **settings)
        assert code in dict(found.cautions), code
    clean = asked(bracket, answers=(1,), low=20.0, high=600.0, decay=0.3)
    assert not {"offset-under-exponential", "phase-unsure"} & set(dict(clean.cautions))


def test_it_is_computed_from_the_same_parts_only(bracket: Recording) -> None:
    between = FrfSettings(0)
    method = default_method(bracket).having(between=between, channel=2, scaling="psd")
    assert method.frf_key() == Method(method.source, method.frames, between=between).having(
        channel=0
    )


def test_files_that_others_read(demo: Path, tmp_path: Path, bracket: Recording) -> None:
    made = call(
        "analyse",
        demo / "bracket-taps.uff",
        "--taps",
        "--reference",
        "Hammer",
        "--modes",
        "20:600",
        "--out",
        tmp_path,
    )
    assert made.returncode == 0, made.stderr
    t = asked(bracket, low=20.0, high=600.0)
    sets = pyuff.UFF(str(tmp_path / "response.uff")).read_sets()
    assert len(sets) == 3
    for i, one in enumerate(sets):
        assert (one["type"], one["func_type"]) == (58, 4)
        assert (one["rsp_node"], one["ref_node"]) == (i + 2, 1), "numbers of channels"
        assert one["ordinate_spec_data_type"] == 12 and one["orddenom_spec_data_type"] == 13
        assert one["ordinate_axis_units_lab"].strip() == "m/s²"
        assert one["orddenom_axis_units_lab"].strip() == "N"
        assert one["data"] == pytest.approx(t.response.h[i])
        assert one["x"] == pytest.approx(t.response.frequency)
    with h5py.File(tmp_path / "response.h5") as file:
        assert np.array_equal(file["response"][()], t.curves)
        assert list(file.attrs["answers"]) == ["Bracket", "Rail top", "Rail foot"]
        assert file["modes/constant"].shape == (3, 3)
    rows = (tmp_path / "modes.csv").read_text().splitlines()
    assert len([row for row in rows if not row.startswith("#")]) == 4
    assert "61.8" in (tmp_path / "report.html").read_text()


def test_json_says_it_all(demo: Path) -> None:
    made = call(
        "analyse",
        demo / "bracket-taps.uff",
        "--taps",
        "--reference",
        "1",
        "--channel",
        "2",
        "--modes",
        "20:600:20",
        "--json",
    )
    (one,) = json.loads(made.stdout)["analyses"]
    assert [tap["number"] for tap in one["taps"] if not tap["taken"]] == [5, 9]
    (curve,) = one["response"]["channels"]
    assert curve["channel"] == "Bracket" and len(curve["real"]) == len(curve["frequency_hz"])
    assert [mode["frequency_hz"] for mode in one["modes"]] == pytest.approx([61.8, 143, 388], 1e-3)
    heard = call(
        "analyse",
        demo / "bracket-taps.uff",
        "--taps",
        "--channel",
        "Bracket",
        "--modes",
        "20:600",
        "--json",
    )
    (one,) = json.loads(heard.stdout)["analyses"]
    assert "response" not in one and len(one["modes"]) == 3
    assert len(one["modes"][0]["taps"]) == 11, "how each tap excites it"


def test_a_running_machine_between_two_channels(demo: Path) -> None:
    made = call(
        "analyse",
        demo / "drive-steady.h5",
        "--reference",
        "Motor DE",
        "--channel",
        "Gearbox DE",
        "--json",
    )
    (one,) = json.loads(made.stdout)["analyses"]
    (curve,) = one["response"]["channels"]
    assert "taps" not in one and one["response"]["averages"] > 20
    f, c = np.array(curve["frequency_hz"]), np.array(curve["coherence"])
    assert c[np.argmin(np.abs(f - 24.3))] > 0.99, "the motor is in both"
    assert np.median(c) < 0.1, "noise is not"


def test_a_shock_response_from_the_command_line(demo: Path) -> None:
    made = call(
        "analyse",
        demo / "bracket-taps.uff",
        "--channel",
        "Bracket",
        "--stretch",
        "1.9:2.6",
        "--srs",
        "10:6",
        "--json",
    )
    (one,) = json.loads(made.stdout)["analyses"]
    shock = one["shock_response"]
    at = int(np.argmax(shock["maximax"]))
    assert shock["frequency_hz"][at] == pytest.approx(388, rel=0.1) and shock["q"] == 10


@pytest.mark.parametrize(
    "options, told",
    [
        (["--modes", "20:600"], "--modes is of a transfer function"),
        (["--response", "h2"], "--response is of a transfer function"),
        (["--reference", "Hammer", "--taps", "--modes", "20"], "no range for modes"),
        (["--reference", "Knock"], "Knock"),
        (["--reference", "Hammer", "--taps", "--modes", "600:20"], "cannot be fitted"),
        (["--reference", "Hammer", "--channel", "Hammer"], "needs a reference and another"),
        (["--taps", "--reference", "Hammer", "--set-aside", "x"], "takes numbers"),
        (["--srs", "x"], "is no Q"),
        (["--srs", "0.2"], "do not swing"),
    ],
)
def test_what_cannot_be_is_told(demo: Path, options: list[str], told: str) -> None:
    made = call("analyse", demo / "bracket-taps.uff", *options)
    assert made.returncode == 2 and told in made.stderr and not made.stdout


def test_the_table_of_modes_names_the_answers(bracket: Recording) -> None:
    table = modes_table(asked(bracket, low=20.0, high=600.0))
    assert "Rail foot" in table.csv() and table.values()[0]["shape_1"] == pytest.approx(1.0)
