"""Which peaks are found, the floor they are held against, and the names they are given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.find.floor import noise_floor
from tonecomb.core.method.document import DroppedComb, PeakNote, note_at
from tonecomb.core.method.machine import Known, Machine, named
from tonecomb.core.method.method import Method
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import Knowledge, knowledge, measured_comb, same
from tonecomb.core.results.search import run

FS, COUNT = 1000.0, 40_000
TONES = ((50.3, 2.0), (120.7, 0.5), (123.9, 0.05), (300.2, 0.02), (410.9, 1.0))
METHOD = Method.of(frame=2000, peaks=PeakSearch(above_db=120.0))


def signal(tones: tuple[tuple[float, float], ...] = TONES, noise: float = 0.02) -> np.ndarray:
    t = np.arange(COUNT) / FS
    x = noise * np.random.default_rng(4).standard_normal(COUNT)
    return x + sum(a * np.cos(2 * np.pi * f * t + k) for k, (f, a) in enumerate(tones))


def found(search: PeakSearch) -> list[float]:
    analysis = run(METHOD.having(peaks=search), recording(signal(), fs=FS))
    return [round(peak.tone.frequency, 1) for peak in analysis.peaks or ()]


@pytest.mark.parametrize(
    ("change", "kept"),
    [
        ({}, [50.3, 120.7, 123.9, 300.2, 410.9]),
        ({"above_db": 20.0}, [50.3, 120.7, 410.9]),
        ({"least": 0.1}, [50.3, 120.7, 410.9]),
        ({"above_floor_db": 40.0}, [50.3, 120.7, 410.9]),
        ({"low": 100.0, "high": 310.0}, [120.7, 123.9, 300.2]),
        ({"spacing": 10.0}, [50.3, 120.7, 300.2, 410.9]),
        ({"most": 2}, [50.3, 410.9]),
        ({"most": 1, "low": 110.0, "high": 200.0}, [120.7]),
        ({"prominence_db": 60.0}, [50.3, 410.9]),
        ({"above_db": 0.0}, [50.3]),
    ],
)
def test_what_counts_as_a_peak(change: dict[str, float], kept: list[float]) -> None:
    assert found(replace(PeakSearch(above_db=120.0), **change)) == kept


def test_a_peak_that_is_pointed_at_counts_whatever_it_is() -> None:
    made = recording(signal(), fs=FS)
    search = PeakSearch(above_db=20.0, by_hand=(300.0, 200.0, 50.4))
    analysis = run(METHOD.having(peaks=search), made)
    by_hand = {round(p.tone.frequency): p.by_hand for p in analysis.peaks or ()}
    assert by_hand[300] and not by_hand[50] and not by_hand[411]
    (noise,) = [p for p in analysis.peaks or () if 195 < p.tone.frequency < 205]
    assert noise.by_hand and noise.above_floor_db < 12


@pytest.mark.parametrize("window", ["rectangular", "hann", "hamming", "blackman-harris"])
def test_neither_side_lobes_nor_images_are_peaks(window: str) -> None:
    """One strong tone low down, where its image is near, at 100 dB over the noise."""
    for frequency in (1.37, 3.83, 47.26, 498.6):
        made = recording(signal(((frequency, 1.0),), noise=1e-5), fs=FS)
        method = METHOD.having(peaks=PeakSearch(above_db=150.0), window=window)
        # Noise may pass for a peak in one record of fifty: nothing above it may.
        strong = [p.tone for p in run(method, made).peaks or () if p.tone.amplitude > 3e-6]
        assert [round(tone.frequency, 2) for tone in strong] == [frequency]


@given(st.lists(st.floats(5, 490), max_size=12), st.integers(0, 50))
def test_the_floor_is_the_noises_whatever_tones_stand_in_it(places: list[float], seed: int) -> None:
    t = np.arange(20_000) / FS
    noise = 0.1 * np.random.default_rng(seed).standard_normal(len(t))
    tones = sum((np.cos(2 * np.pi * f * t) for f in places), np.zeros(len(t)))
    method = Method.of(frame=1000)
    spectra = [run(method, recording(x, fs=FS)).spectrum for x in (noise, noise + tones)]
    alone, among = (noise_floor(spectrum) for spectrum in spectra)
    density = alone / spectra[0].enbw_hz
    assert np.median(density) == pytest.approx(2 * 0.1**2 / FS, rel=0.08)
    # In the middle of the axis, where windows of 41 bins do not hang over the ends.
    inner = slice(30, -30)
    ratio = 10 * np.log10(among[inner] / alone[inner])
    crowd = max((sum(abs(f - g) < 25 for g in places) for f in places), default=0)
    assert np.abs(ratio).max() < (2.0 if crowd < 4 else 8.0)


def test_the_floor_follows_a_slope() -> None:
    """Noise that falls by 12 dB an octave is followed within 1.5 dB where it is smooth."""
    rng = np.random.default_rng(0)
    white = np.fft.rfft(rng.standard_normal(200_000))
    f = np.fft.rfftfreq(200_000, 1 / FS)
    x = np.fft.irfft(white / (1 + (f / 40) ** 2))
    analysis = run(Method.of(frame=4000), recording(x, fs=FS))
    spectrum, floor = analysis.spectrum, analysis.floor
    assert floor is not None
    inside = (spectrum.frequency > 20) & (spectrum.frequency < 400)
    density = 2 / FS / (1 + (spectrum.frequency / 40) ** 2) ** 2
    off = 10 * np.log10(floor[inside] / spectrum.enbw_hz / density[inside])
    assert np.abs(off).max() < 1.5
    assert analysis.peaks == ()


@pytest.fixture(scope="module")
def analysed() -> Analysis:
    return run(METHOD, recording(signal(), fs=FS))


KNOWN = (
    Known("hum", 50.0, tolerance=1.0),
    Known("mesh", 5.0, of_shaft=True, tolerance=1.0),
    Known("other mesh", 5.05, of_shaft=True, tolerance=2.0),
    Known("far", 300.0, tolerance=0.01),
)


@pytest.mark.parametrize(
    ("frequency", "shaft", "play", "name"),
    [
        (50.3, None, 0.0, "hum"),
        (50.6, None, 0.0, ""),
        (50.6, None, 0.2, "hum"),
        (120.7, None, 0.0, ""),
        (120.7, 24.14, 0.0, "mesh"),
        (121.7, 24.14, 0.0, "other mesh"),
        (300.2, None, 0.0, ""),
        (300.02, None, 0.0, "far"),
    ],
)
def test_the_nearest_known_frequency_within_its_tolerance(
    frequency: float, shaft: float | None, play: float, name: str
) -> None:
    assert named(KNOWN, shaft, frequency, play) == name


@pytest.mark.parametrize(
    "wrong", [Known("", 50.0), Known("x", 0.0), Known("x", 50.0, tolerance=0.0), Known("x", -1.0)]
)
def test_what_is_no_known_frequency_is_told(wrong: Known) -> None:
    with pytest.raises(UserError):
        wrong.check()


def test_the_users_name_goes_before_the_machines(analysed: Analysis) -> None:
    peaks = {round(p.tone.frequency): p for p in analysed.peaks or ()}
    said = Knowledge((PeakNote(50.31, aside="known hum"),), (), KNOWN, 24.14)
    note = said.of(peaks[50], analysed)
    assert note is not None and (note.name, note.aside) == ("hum", "known hum")
    assert note.words == "hum, set aside: known hum"
    said = replace(said, notes=(PeakNote(50.3, name="mine"), PeakNote(120.7, marked=True)))
    assert said.of(peaks[50], analysed).name == "mine"  # type: ignore[union-attr]
    mesh = said.of(peaks[121], analysed)
    assert mesh is not None and mesh.name == "mesh" and mesh.marked
    assert said.of(peaks[411], analysed) is None
    assert said.order(120.7) == pytest.approx(5.0) and Knowledge().order(1.0) is None
    assert note_at(said.notes, 52.0, 1.0) is None
    assert note_at(said.notes, 51.0, 1.0) is said.notes[0]


def test_combs_of_the_user_and_those_that_are_found(ref_of: Callable[..., object]) -> None:
    """A family that the user has is not told twice; letters that are taken are not given again."""
    tones = tuple((24.3 * n, 1.0 / n) for n in (1, 2, 3, 4, 5))
    tones += tuple((31.7 * n, 1.0 / n) for n in (1, 2, 3, 4, 5, 6))
    analysis = run(METHOD, recording(signal(tones), fs=FS))
    assert len(analysis.combs) == 2
    mine = DroppedComb("A", 24.301, last=6)
    families = Knowledge(combs=(mine,)).families(analysis)
    assert [one.name for one in families] == ["A", "B"]
    assert families[0].spacing == 24.301 and families[1].spacing == pytest.approx(31.7, abs=1e-3)
    assert [t.found for t in families[0].teeth] == [True] * 5 + [False]
    assert same(mine, families[0]) and not same(mine, families[1])
    assert not same(DroppedComb("S", 24.3, carrier=413.1), families[0])
    bare = measured_comb(mine, None)
    assert not bare.lines and bare.teeth[2].expected == pytest.approx(72.903)
    # The shaft is typed, or it is the comb that the machine names.
    tied = ref_of(combs=(mine,), machine=Machine(comb="A"))
    assert knowledge(tied).shaft == 24.301  # type: ignore[arg-type]
    typed = ref_of(combs=(mine,), machine=Machine(shaft=12.0, comb="A"))
    assert knowledge(typed).shaft == 12.0  # type: ignore[arg-type]
    assert knowledge(None) == Knowledge()


@pytest.fixture
def ref_of() -> Callable[..., object]:
    from tonecomb.core.method.document import Fingerprint, RecordingRef

    def make(**said: object) -> RecordingRef:
        return RecordingRef("r", "r", "r.wav", Fingerprint(1, "x"), METHOD, **said)  # type: ignore[arg-type]

    return make


@pytest.mark.parametrize("window", ["hann", "flat-top", "blackman-harris", "rectangular"])
def test_in_one_frame_a_line_is_a_line(window: str) -> None:
    """No tone that stands is doubted, whatever stands beside it."""
    chance, n, fs = np.random.default_rng(5), 4096, 1000.0
    t, doubted, seen = np.arange(n) / fs, 0, 0
    for case in range(30):
        f, level = chance.uniform(20, 470), 0.01 * 10 ** chance.uniform(0.3, 4)
        x = level * np.cos(2 * np.pi * f * t + chance.uniform(0, 6)) + 0.01 * chance.normal(size=n)
        x += level / 3 * (case % 2) * np.cos(2 * np.pi * (f + 20 * fs / n) * t)
        peaks = run(Method.of(frame=n, window=window), recording(x, fs=fs)).peaks or ()
        near = [peak.tone for peak in peaks if abs(peak.tone.frequency - f) < 0.3]
        seen, doubted = seen + len(near), doubted + sum(not tone.steady for tone in near)
    assert seen >= 25
    assert doubted <= 1


@pytest.mark.parametrize("bins", [0.5, 2.0, 8.0])
def test_in_one_frame_what_moves_is_no_line(bins: float) -> None:
    """A chirp's frequency is told no finer than it moves; its phase not at all."""
    n, fs = 4096, 1000.0
    t = np.arange(n) / fs
    swept = bins * fs / n
    x = np.cos(2 * np.pi * (200 * t + swept / (2 * t[-1]) * (t - t[-1] / 2) ** 2))
    x += 0.003 * np.random.default_rng(6).normal(size=n)
    tone = max(run(Method.of(frame=n), recording(x, fs=fs)).peaks or (), key=lambda p: p.level).tone
    assert not tone.steady and np.isnan(tone.phase_deg)
    assert swept / 30 < tone.frequency_std < swept / 2
    assert abs(tone.frequency - 200) < 2 * tone.frequency_std
