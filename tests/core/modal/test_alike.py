"""Modes and curves of two recordings against each other, and where channels sit."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyuff
from hypothesis import given
from hypothesis import strategies as st
from tests.cli.test_cli import call
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.method import default_method
from tonecomb.core.method.sketch import WAYS, Place, Sketch, place_from, seen
from tonecomb.core.record.recording import Channel, Recording
from tonecomb.core.results.lengths import by_length
from tonecomb.core.results.mac import alike
from tonecomb.core.results.transfer import Transfer, run_transfer

FS = 2048.0
SHAPES = np.array([[1.0, 0.7, 0.4], [0.8, -0.5, -0.9], [-0.4, 1.0, -0.7]])  # modes, points
SKETCH = Sketch((Place(1, 0, 0, 0), Place(2, 1, 0, 0), Place(3, 2, 0, 0)), ((1, 2), (2, 3)))


def tapped(
    at: int,
    frequencies: tuple[float, ...] = (40.0, 95.0, 180.0),
    skew: float = 0.0,
    noise: float = 1e-7,
) -> Recording:
    """Ten taps on point ``at`` of three whose displacement is measured: by convolution with the
    impulse response. With ``skew`` the structure answers otherwise than it is hit."""
    random = np.random.default_rng(at)
    n, t = round(30 * FS), np.arange(round(3 * FS)) / FS
    force = np.zeros(n)
    pulse = np.sin(np.pi * np.arange(9) / 8)
    for k in range(10):
        force[round((0.5 + 2.9 * k) * FS) :][:9] += pulse * random.uniform(0.8, 1.2)
    answers = []
    for i in range(3):
        h = np.zeros(len(t))
        for f, shape in zip(frequencies, SHAPES, strict=True):
            w = 2 * np.pi * f
            h += (
                shape[i]
                * (1 + skew * (i - at))
                * shape[at]
                * np.exp(-0.01 * w * t)
                * np.sin(w * t)
                / w
                / FS
            )
        answers.append(np.fft.irfft(np.fft.rfft(force, 2 * n) * np.fft.rfft(h, 2 * n))[:n])
    of = recording(
        force + 1e-4 * random.standard_normal(n),
        *(x + noise * random.standard_normal(n) for x in answers),
        fs=FS,
    )
    channels = (Channel("Hammer", "N"), *(Channel(f"P{i + 1}", "m") for i in range(3)))
    return replace(of, channels=channels, name=f"hit at {at + 1}")


def asked(of: Recording) -> Transfer:
    return run_transfer(default_method(of).having(between=FrfSettings(low=15.0, high=300.0)), of)


def hit_at(at: int) -> Sketch:
    return replace(SKETCH, places=(replace(SKETCH.places[at], channel=0), *SKETCH.places))


def test_modes_that_moved_are_the_same_by_their_shapes() -> None:
    a, b = asked(tapped(0)), asked(tapped(1, (40.0, 93.0, 180.0)))
    found = alike(a, b)
    assert found.mac.shape == (3, 3) and np.diag(found.mac) == pytest.approx(1, abs=1e-3)
    unit = SHAPES / np.linalg.norm(SHAPES, axis=1, keepdims=True)
    assert found.mac == pytest.approx((unit @ unit.T) ** 2, abs=0.01)
    assert [(one.a, one.b) for one in found.pairs] == [(0, 0), (1, 1), (2, 2)]
    assert [one.moved for one in found.pairs] == [False, True, False]
    assert found.pairs[1].frequency == pytest.approx(-2.0, abs=0.01)


def test_force_and_answer_may_change_places_and_where_not_it_is_told() -> None:
    a, b = asked(tapped(0)), asked(tapped(2))
    (turned,) = alike(a, b, hit_at(0), hit_at(2)).turned
    assert turned.answer == "P3" and turned.db < 0.4 and turned.within > 0.9
    assert turned.words.startswith("Reciprocity holds: P3 over Hammer")
    skewed = asked(tapped(2, skew=0.1))
    (turned,) = alike(a, skewed, hit_at(0), hit_at(2)).turned
    assert turned.within < 0.5 and "does not hold" in turned.words
    assert turned.db == pytest.approx(20 * np.log10(1 / 0.8), rel=0.15)
    assert not alike(a, b, hit_at(0), hit_at(0)).turned, "the same place twice"


def test_one_answer_has_no_shape() -> None:
    a = asked(tapped(0))
    lonely = replace(a, answers=(Channel("elsewhere", "m"),))
    with pytest.raises(UserError, match="fewer than two answers in common"):
        alike(a, lonely)
    with pytest.raises(UserError, match="Only modes of transfer functions"):
        alike(a, replace(a, modes=None))


def test_from_the_command_line(tmp_path: Path) -> None:
    files = []
    for at in (0, 2):
        of = tapped(at)
        data = of.samples.read_many((0, 1, 2, 3), 0, of.length)
        files.append(tmp_path / f"hit-{at}.csv")
        rows = np.column_stack([np.arange(of.length) / FS, *data])
        np.savetxt(
            files[-1],
            rows,
            delimiter=",",
            comments="",
            fmt="%.9g",
            header="time [s],Hammer [N],P1 [m],P2 [m],P3 [m]",
        )
    places = [one for i in range(3) for one in ("--place", f"P{i + 1}:{i}:0:0.5:-z")]
    theirs = [one.replace("--place", "--against-place") for one in places]
    made = call(
        "analyse",
        files[0],
        "--taps",
        "--reference",
        "Hammer",
        "--modes",
        "15:300",
        *places,
        "--place",
        "Hammer:0:0:0.5:-z",
        "--against",
        files[1],
        *theirs,
        "--against-place",
        "Hammer:2:0:0.5:-z",
        "--json",
        "--out",
        tmp_path / "out",
    )
    assert made.returncode == 0, made.stderr
    told = json.loads(made.stdout)["analyses"][0]["alike"]
    assert told["with"] == "hit-2" and [one["mac"] > 0.99 for one in told["pairs"]] == [True] * 3
    assert told["reciprocity"][0]["within_95"] > 0.9
    assert (tmp_path / "out" / "mac.csv").is_file()
    sets = pyuff.UFF(str(tmp_path / "out" / "response.uff")).read_sets()
    assert [(one["rsp_node"], one["rsp_dir"]) for one in sets[:3]] == [(2, -3), (3, -3), (4, -3)]
    assert sets[0]["ref_node"] == sets[0]["rsp_node"] == 2, "it was hit where P1 sits"
    assert sets[3]["type"] == 15 and list(sets[3]["x"]) == [0, 1, 2]
    wrong = call("analyse", files[0], "--taps", "--reference", "Hammer", "--place", "P1:0:0")
    assert wrong.returncode == 2 and "is no place" in wrong.stderr, wrong.stderr


@given(st.sampled_from(list(WAYS)), st.floats(-1, 1), st.floats(-3, 3), st.floats(-1.5, 1.5))
def test_a_point_moves_along_what_its_channels_say(
    way: str, part: float, azimuth: float, elevation: float
) -> None:
    sketch = Sketch((Place(4, 1, 2, 3, way), Place(7, 1, 2, 3, "+x"), Place(9)), ((4, 9), (4, 7)))
    figure = sketch.figure((4, 7), np.array([part, 1j]))
    assert len(figure.points) == 2 and figure.lines == ((0, 1),)
    assert figure.motion[0] == pytest.approx(part * np.array(WAYS[way]) + 1j * np.eye(3)[0])
    assert not figure.motion[1].any()
    assert np.abs(figure.at(0.3) - figure.points).max() <= 0.2 * figure.size * 1.01
    # However it is turned, no line looks longer than it is.
    flat = seen(figure.points, azimuth, elevation)
    assert np.linalg.norm(flat[0] - flat[1]) <= np.linalg.norm(figure.points[0]) + 1e-12


def test_places_are_read_or_refused() -> None:
    assert place_from("1:2:-3:+x", 5) == Place(5, 1, 2, -3, "+x")
    for text in ("1:2", "1:2:x", "1:2:3:up", "nan:0:0", "1:2:3:+x:4"):
        with pytest.raises(UserError, match="is no place"):
            place_from(text, 0)


def test_frames_of_several_lengths_tell_the_same() -> None:
    of = tapped(0)
    between = FrfSettings(None, answers=(1, 2), low=15.0, high=300.0)
    t = by_length(default_method(of).having(between=between), of)
    frames = [frame for frame, _ in t.modes]
    assert len(frames) >= 3 and frames == sorted(frames)
    with pytest.raises(UserError, match="without a force"):
        by_length(default_method(of).having(between=replace(between, reference=0)), of)
    for _, modes in t.modes:
        for one, f in zip(modes.modes, (40.0, 95.0, 180.0), strict=True):
            assert one.frequency == pytest.approx(f, abs=max(5 * one.frequency_std, 0.02))
            assert one.damping == pytest.approx(0.01, rel=0.05)
