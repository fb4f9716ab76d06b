"""Descriptions of made recordings as JSON, and what is said of those that are broken."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.synthesis.hits import Hits, RungMode
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.starters import STARTERS
from tonecomb.core.synthesis.table import PARTS
from tonecomb.core.synthesis.tones import Tone
from tonecomb.formats import made_json

PLAIN = {
    "format": made_json.FORMAT,
    "version": 1,
    "sampling": {"rate": 1000, "duration": 2.5},
    "parts": [
        {"part": "tone", "frequency": 61.8, "amplitude": 2, "level": "rms"},
        {"part": "hits", "modes": [{"frequency": 143, "damping": 1.5}]},
    ],
}


def written(tmp_path: Path, body: Any) -> Path:
    file = tmp_path / "hum.json"
    file.write_text(body if isinstance(body, str) else json.dumps(body))
    return file


def test_a_short_description_is_enough(tmp_path: Path) -> None:
    made = made_json.load(written(tmp_path, PLAIN))
    assert made == Made(
        "hum",
        parts=(Tone(61.8, 2.0, "rms"), Hits(rung=(RungMode(143.0, 1.5),))),
        sampling=Sampling(1000.0, 2500),
    )
    recording = tonecomb.open(tmp_path / "hum.json")
    assert np.array_equal(read_all(recording), read_all(made.recording("a")))
    assert tonecomb.analyse(recording).values()["truth"][0]["put_in_hz"] == 61.8


finite = st.floats(1e-3, 1e3)


@given(st.lists(st.sampled_from(PARTS), max_size=6), finite, st.integers(0, 24), st.integers(0, 9))
def test_every_description_comes_back_whole(
    kinds: list[Any], value: float, bits: int, seed: int
) -> None:
    parts = tuple(kind(am=value / 20, start=0.1) for kind in kinds)
    sampling = Sampling(256.0, 256, bits, 5.0, jitter=value / 1e3)
    made = Made("one", "g", parts, sampling, seed, "two\nlines")
    assert made_json.read(json.loads(json.dumps(made_json.written(made)))) == made


def test_starters_and_files(tmp_path: Path) -> None:
    for one in STARTERS:
        made_json.save(tmp_path / "a.json", one.made)
        assert made_json.load(tmp_path / "a.json") == one.made


def changed(**changes: Any) -> dict[str, Any]:
    return {**PLAIN, **changes}


@pytest.mark.parametrize(
    ("body", "sentence"),
    [
        ("{", "hum.json is not a description of Tone Comb"),
        (changed(version=9), "is a description of version 9"),
        (changed(parts=[{"part": "drum"}]), "'drum' is no part, which is one of tone, comb"),
        (changed(parts=[{"part": "tone", "pitch": 3}]), "a part ‘tone’ has no pitch"),
        (changed(parts=[{"part": "tone", "frequency": "3"}]), "'3' is no frequency"),
        (changed(parts=[{"part": "tone", "level": "loud"}]), "no level, which is one of rms, peak"),
        (changed(parts=[{"part": "tone", "frequency": 0}]), "frequency of 0 Hz; give one above 0"),
        (changed(parts=[{"part": "sweep", "first": -5}]), "The sweep has a first of -5 Hz"),
        (changed(parts=[{"part": "tone"}] * 65), "has 65 parts; leave it at 64 or fewer"),
        (changed(parts=[{"part": "hits", "modes": [{"frequency": 3}]}]), "no mode with a freq"),
        (changed(sampling={"rate": 0}), "A rate of 0 Hz cannot be sampled at"),
        (changed(sampling={"rate": 100, "duration": 0.001}), "has no sample"),
        (changed(sampling={"rate": 1e6, "duration": 1e9}), "more than 1099511627776 samples"),
        (changed(sampling={"samples": 9, "duration": 1}), "both samples and a duration"),
        (changed(sampling={"duration": "long"}), "'long' is no duration"),
        (changed(unit="furlongs per"), "hum.json"),
        (changed(seed=1.5), "1.5 is no seed"),
        (changed(parts=3), "its parts are no list"),
        (changed(colour=1), "has no colour"),
        (json.dumps(PLAIN).replace("61.8", "NaN"), "is not a description"),
    ],
)
def test_what_is_broken_is_said_in_a_sentence(tmp_path: Path, body: Any, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        made_json.load(written(tmp_path, body))


def test_noise_alone_has_words_in_the_readings() -> None:
    analysed = tonecomb.analyse(
        Made("n", parts=(Noise(amount=0.2),), sampling=Sampling(1000.0, 20_000)).recording("a")
    )
    found = re.search(r"made: white noise of 0\.2 rms, read ([\d.]+)", analysed.text())
    assert found and float(found[1]) == pytest.approx(0.2, rel=0.05)
