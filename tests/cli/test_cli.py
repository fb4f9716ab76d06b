"""The command line, run as a process: what it prints, its exit codes, and what it imports."""

from __future__ import annotations

import io
import json
import os
import signal
import subprocess
import sys
import time
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.support import write_csv

from tonecomb.cli.main import entry
from tonecomb.core.estimate.averages import InStep
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method.document import Document, RecordingRef
from tonecomb.core.method.given import Given, Import
from tonecomb.core.method.method import Method, Preset
from tonecomb.core.record.sensors import Calibration, ChannelGiven
from tonecomb.core.steps.combine import Sum
from tonecomb.core.steps.keep import Keep
from tonecomb.demo import ropeway
from tonecomb.formats import files
from tonecomb.formats.session import presets, session


@dataclass
class Done:
    """What a call left behind."""

    returncode: int
    stdout: str
    stderr: str


def call(*arguments: object) -> Done:
    """Run the command in this process, without a display."""
    out, err = io.StringIO(), io.StringIO()
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(err):
        for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
            patch.delenv(name, raising=False)
        with pytest.raises(SystemExit) as left:
            entry([str(one) for one in arguments])
    code = left.value.code
    return Done(code if isinstance(code, int) else 0, out.getvalue(), err.getvalue())


def run_alone(*arguments: object, prelude: str = "") -> subprocess.CompletedProcess[str]:
    """The same in a process of its own."""
    code = f"{prelude}\nimport sys; from tonecomb.cli.main import entry; entry(sys.argv[1:])"
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")}
    return subprocess.run(
        [sys.executable, "-W", "error", "-c", code, *map(str, arguments)],
        capture_output=True,
        text=True,
        env=environment,
        timeout=120,
        check=False,
    )


# Fails the moment anything asks for Qt.
NO_QT = """
import sys
class Refuse:
    def find_spec(self, name, *_):
        if name.split('.')[0] in ('PyQt6', 'pyqtgraph'):
            raise AssertionError(name)
sys.meta_path.insert(0, Refuse())
"""


def test_describe(demo: Path) -> None:
    done = run_alone("describe", demo / "station-log.csv", "--json", prelude=NO_QT)
    assert (done.returncode, done.stderr) == (0, "")
    told = json.loads(done.stdout)
    assert (told["sample_rate_hz"], told["sample_rate_source"]) == (200.0, "time column")
    assert (told["samples"], told["duration_s"]) == (23_828, 119.14)
    assert [problem["code"] for problem in told["problems"]] == ["gaps", "nan", "nan"]
    first = told["channels"][0]
    assert (first["name"], first["unit"]) == ("Deck vertical", "m/s²")
    assert first["mean"] == pytest.approx(9.81, abs=1e-3)
    assert first["min"] < 9.81 < first["max"]
    text = call("describe", demo / "station-log.csv").stdout
    assert "200 Hz" in text
    assert "23828 samples" in text


def test_where_the_time_stands_is_guessed_aloud_or_told(tmp_path: Path) -> None:
    rows = (f"{i},{np.sin(i):.4f},{4 * i}\n" for i in range(100))
    (tmp_path / "a.csv").write_text("no,acc,tick\n" + "".join(rows))
    text = call("analyse", tmp_path / "a.csv").stdout
    assert "a: ‘no’ counts the rows: left out." in text
    assert "rises evenly; taken as milliseconds, for 250 Hz is likely" in text
    for options, rate in (
        (("--time-unit", "us"), 250_000.0),
        (("--time-column", "tick", "--time-unit", "s"), 0.25),
        (("--time-column", "3"), 250.0),
        (("--time-column", "none", "--rate", "99"), 99.0),
    ):
        told = json.loads(call("describe", tmp_path / "a.csv", *options, "--json").stdout)
        assert told["sample_rate_hz"] == pytest.approx(rate)
        assert [channel["name"] for channel in told["channels"]] == ["acc"]
    for options, words in (
        (("--time-column", "when"), "no column ‘when’; choose from: 1 no, 2 acc, 3 tick"),
        (("--time-unit", "kg"), "‘kg’ is no unit of time"),
        (("--time-column", "none", "--time-unit", "s"), "has no time column"),
    ):
        done = call("describe", tmp_path / "a.csv", *options)
        assert (done.returncode, words in done.stderr) == (2, True), done.stderr


def test_describe_tells_missing_samples_and_unknown_rates(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("x,y\n1,2\n,3\n4,5\n")
    told = json.loads(call("describe", tmp_path / "a.csv", "--json").stdout)
    assert (told["sample_rate_hz"], told["sample_rate_source"]) == (None, "unknown")
    assert [problem["code"] for problem in told["problems"]] == ["nan"]
    assert "x has 1 missing sample" in told["problems"][0]["text"]
    (tmp_path / "b.csv").write_text("t,state,x\n0,OK,1\n1,OK,2\n2,OK,4\n")
    text = call("describe", tmp_path / "b.csv").stdout
    assert "‘state’ holds words: left out." in text
    assert "its header gives no unit; taken as milliseconds, for 1000 Hz is likely" in text


def test_analyse(demo: Path) -> None:
    done = run_alone(
        "analyse",
        demo / "drive-steady.h5",
        "--json",
        "--channel",
        "Gearbox DE",
        "--channel",
        1,
        "--stretch",
        "12:32",
        "--window",
        "blackman-harris",
        "--frame",
        65536,
        "--overlap",
        66,
        "--level",
        "peak",
        "--range",
        "300:500",
        "--peaks-above",
        40,
        "--detrend",
        "line",
        prelude=NO_QT,
    )
    assert (done.returncode, done.stderr) == (0, "")
    told = json.loads(done.stdout)
    assert told["recording"]["name"] == "drive-steady"
    gearbox, motor = told["analyses"]
    assert (gearbox["channel"], motor["channel"]) == ("Gearbox DE", "Motor DE")
    assert gearbox["method"].startswith("Gearbox DE · 12.0–32.0 s · line removed · Blackman–Harris")
    assert gearbox["method_values"]["frame"] == 65536
    resolution = gearbox["resolution"]
    assert resolution["bin_hz"] == pytest.approx(12800 / 65536)
    assert resolution["frames"] == 9
    assert 0.9 < resolution["covered_fraction"] <= 1
    assert all(300 <= peak["frequency_hz"] <= 500 for peak in gearbox["peaks"])
    mesh = max(gearbox["peaks"], key=lambda peak: peak["amplitude"])
    assert mesh["frequency_hz"] == pytest.approx(413.1, abs=1e-3)
    assert mesh["amplitude"] == pytest.approx(0.9 * np.sqrt(2), rel=2e-3)
    assert mesh["unit"] == "m/s² peak"
    assert gearbox["peaks"][0]["q"] is None, "a tone has no damping"


def test_analyse_writes_its_files(demo: Path, tmp_path: Path) -> None:
    one = run_alone("analyse", demo / "undersampled.wav", "--out", tmp_path / "one", prelude=NO_QT)
    assert one.returncode == 0, one.stderr
    names = {path.name for path in (tmp_path / "one").iterdir()}
    tables = {f"{name}.csv" for name in ("spectrum", "peaks", "combs", "resonances", "levels")}
    assert names == tables | {"spectrum.png", "report.html"}
    assert "86.9" in (tmp_path / "one" / "peaks.csv").read_text()
    several = call(
        "analyse",
        demo / "station-log.csv",
        demo / "undersampled.wav",
        "--json",
        "--missing",
        "interpolate",
        "--out",
        tmp_path / "all",
    )
    assert len(json.loads(several.stdout)) == 2
    found = sorted(str(p.relative_to(tmp_path / "all")) for p in (tmp_path / "all").rglob("*.html"))
    assert found == [
        "station-log/Deck-vertical/report.html",
        "station-log/Hut-wall/report.html",
        "undersampled/Gearbox-DE/report.html",
    ]


def test_analyse_by_a_session(demo: Path, tmp_path: Path) -> None:
    source = demo / "station-log.csv"
    method = Method.of(channel=1, frame=512, window="hamming")
    given = Given(rate=100.0, how=Import(time_base="resample", missing="interpolate"))
    ref = RecordingRef("x", "log", str(source), files.fingerprint(source), method, given)
    session.save(tmp_path / "s.tcomb", Document((ref,), "x"))
    alone = json.loads(call("analyse", "--session", tmp_path / "s.tcomb", "--json").stdout)
    assert alone["recording"]["sample_rate_hz"] == 100.0
    assert "Hut wall · 0.0–240.0 s · mean removed · Hamming, 512" in alone["analyses"][0]["method"]
    other = call(
        "analyse",
        source,
        "--session",
        tmp_path / "s.tcomb",
        "--frame",
        256,
        "--json",
        "--missing",
        "interpolate",
    )
    told = json.loads(other.stdout)["analyses"]
    assert [a["method_values"]["frame"] for a in told] == [256]


def test_a_session_brings_its_steps_and_calibrations(tmp_path: Path) -> None:
    """A kept part, a derived channel and a calibration, with and without what the call says."""
    t = np.arange(8000) / 1000
    x = np.where(t < 4, 1.0, 3.0) * np.sin(2 * np.pi * 50 * t)
    file = tmp_path / "a.wav"
    soundfile.write(file, np.stack([x, x], axis=1) / 8, 1000, subtype="FLOAT")
    sensor = Calibration("g", 1 / 8, "FS")
    given = Given(channels=tuple(ChannelGiven(f"channel {i}", calibration=sensor) for i in (1, 2)))
    method = Method.of(steps=(Keep(5.0, 8.0), Sum((0, 1), "both")), frame=1024)
    ref = RecordingRef("x", "a", str(file), files.fingerprint(file), method, given)
    session.save(tmp_path / "s.tcomb", Document((ref,), "x"))
    for more in ((), ("--missing", "interpolate")):
        told = json.loads(
            call("analyse", "--session", tmp_path / "s.tcomb", "--json", *more).stdout
        )
        (one,) = told["analyses"]
        assert "kept 5–8 s" in one["method"] and one["unit"] == "g"
        assert one["peaks"][0]["amplitude"] == pytest.approx(3 / 2**0.5, rel=1e-3)
    both = json.loads(
        call("analyse", "--session", tmp_path / "s.tcomb", "--json", "--channel", "both").stdout
    )
    assert both["analyses"][0]["channel"] == "both"


def test_demo_data(demo: Path, tmp_path: Path) -> None:
    """Without a window, and the same every time."""
    done = run_alone("demo-data", tmp_path / "new" / "place", prelude=NO_QT)
    assert done.returncode == 0
    written = [Path(line) for line in done.stdout.split("\n") if line]
    assert {path.name for path in written} == {"truth.json", *ropeway.FILES}
    for path in written:
        assert path.read_bytes() == (demo / path.name).read_bytes()


def test_averages_bands_and_cautions(demo: Path) -> None:
    """The JSON's bands and cautions, of a single frame and in thirds of an octave."""
    done = run_alone(
        "analyse",
        demo / "drive-steady.h5",
        "--json",
        "--channel",
        2,
        "--band",
        "400:430",
        "--average",
        "single",
        "--at",
        30,
        "--octaves",
        3,
        prelude=NO_QT,
    )
    assert (done.returncode, done.stderr) == (0, "")
    (told,) = json.loads(done.stdout)["analyses"]
    assert "single frame at 30.0 s" in told["method"]
    assert told["resolution"]["frames"] == 1
    bands = told["bands"]
    assert (bands[0]["low_hz"], bands[0]["high_hz"]) == (400, 430)
    assert bands[0]["rms"] == pytest.approx(0.9, rel=0.01)
    thirds = [band for band in bands[1:] if band["low_hz"] < 413.1 < band["high_hz"]]
    assert [round(band["low_hz"], 2) for band in thirds] == [354.81]
    assert {"one-frame", "hum"} <= {caution["code"] for caution in told["cautions"]}
    assert "padding" not in {caution["code"] for caution in told["cautions"]}
    text = call("analyse", demo / "undersampled.wav", "--overlap", 0, "--average", "median").stdout
    assert "median of" in text
    assert "overlap-gap: With 0 % overlap" in text
    refused = call("analyse", demo / "undersampled.wav", "--at", 3)
    assert "--at is the place of a single frame; add --average single" in refused.stderr
    for wrong, words in ((("--octaves", 5), "1/5 octave"), (("--window", "kaiser:99"), "β = 99")):
        refused = call("analyse", demo / "undersampled.wav", *wrong)
        assert refused.returncode == 2
        assert words in refused.stderr


def test_combs_of_the_demo(demo: Path, tmp_path: Path) -> None:
    """Motor, mains, and the mesh's sidebands, tied to the motor; and the bearing's own comb."""
    drive = ("analyse", demo / "drive-steady.h5", "--json", "--peaks-above", 45, "--channel")
    done = run_alone(*drive, 2, "--out", tmp_path / "Gearbox-DE", prelude=NO_QT)
    (gearbox,) = json.loads(done.stdout)["analyses"]
    (bullwheel,) = json.loads(call(*drive, 3).stdout)["analyses"]
    motor, mains, sides = gearbox["combs"]
    assert motor["fundamental_hz"] == pytest.approx(24.3, abs=1e-3)
    assert [tooth["number"] for tooth in motor["teeth"] if tooth["found"]] == [1, 2, 3, 4]
    rms = (0.36, 0.18, 0.07, 0.03)
    thd = 100 * np.sqrt(sum(a * a for a in rms[1:])) / rms[0]
    assert motor["thd_percent"] == pytest.approx(thd, rel=2e-3)
    assert mains["fundamental_hz"] == pytest.approx(50, abs=1e-3)
    assert sides["carrier_hz"] == pytest.approx(413.1, abs=1e-3)
    assert (sides["spacing_of"], motor["name"]) == ("A", "A")
    bearing = bullwheel["combs"][0]
    assert bearing["fundamental_hz"] == pytest.approx(88.37, rel=2e-4)
    assert "thd_percent" in bearing
    rows = (tmp_path / "Gearbox-DE" / "combs.csv").read_text().splitlines()
    assert rows[2].startswith("comb,kind,spacing [Hz],")
    assert rows[3].startswith("A,harmonics,24.")
    report = (tmp_path / "Gearbox-DE" / "report.html").read_text()
    assert "sidebands of 413.10" in report and "= comb A" in report


def test_resonances_of_a_tap(demo: Path, tmp_path: Path) -> None:
    done = run_alone(
        "analyse",
        demo / "bracket-taps.uff",
        "--channel",
        2,
        "--stretch",
        "6.9:9",
        "--average",
        "single",
        "--window",
        "rectangular",
        "--frame",
        16384,
        "--json",
        "--out",
        tmp_path,
        prelude=NO_QT,
    )
    peaks = json.loads(done.stdout)["analyses"][0]["peaks"]
    for peak, (frequency, damping) in zip(
        peaks, ((61.8, 0.012), (143.0, 0.009), (388.0, 0.015)), strict=True
    ):
        assert peak["natural_frequency_hz"] == pytest.approx(frequency, rel=5e-4)
        assert peak["damping_ratio"] == pytest.approx(damping, rel=0.02)
        assert peak["q"] == pytest.approx(1 / (2 * damping), rel=0.02)
        assert peak["half_power_measured_hz"] > peak["half_power_bandwidth_hz"]
    assert ">Resonances</h2>" in (tmp_path / "report.html").read_text()


def test_frames_displays_and_presets(demo: Path, tmp_path: Path) -> None:
    """Velocity in thirds of an octave, frames in step and left out, and a preset for all that."""
    shown = run_alone(
        "analyse",
        demo / "drive-steady.h5",
        "--channel",
        2,
        "--as",
        "velocity",
        "--low-cut",
        5,
        "--draw",
        "octave:3",
        "--out",
        tmp_path,
        "--json",
        "--strike",
        "1:2",
        "--leave-clipped",
        "--frame",
        12800,
        prelude=NO_QT,
    )
    assert (shown.returncode, shown.stderr) == (0, "")
    (told,) = json.loads(shown.stdout)["analyses"]
    assert "velocity amplitude from 5 Hz, mm/s rms, 1/3-octave bands" in told["method"]
    assert told["resolution"]["frames"] == 119 - 3
    assert told["unit"] == "mm/s"
    mesh = min(told["peaks"], key=lambda peak: abs(peak["frequency_hz"] - 413.1))
    assert mesh["amplitude"] == pytest.approx(0.9 / (2 * np.pi * 413.1) * 1e3, rel=2e-3)
    rows = (tmp_path / "spectrum.csv").read_text().split("\n")
    assert rows[2].strip() == "from [Hz],to [Hz],1/3-octave bands [mm/s rms]"
    method = Method.of(average=InStep(Sync(period=0.04)), frame=512)
    presets.save(tmp_path / "p.json", (Preset("turns", method), Preset("other", Method())))
    wav = demo / "undersampled.wav"
    done = call("analyse", wav, "--preset", tmp_path / "p.json:turns", "--json")
    (told,) = json.loads(done.stdout)["analyses"]
    assert "frames averaged in step with 0.04 s" in told["method"]
    for wrong, words in (
        (("--preset", tmp_path / "p.json"), "holds several presets; name one after a colon: other"),
        (("--period", 1), "add --average synchronous"),
        (("--average", "synchronous", "--trigger", "1"), "‘1’ is no trigger; give a channel and"),
        (("--draw", "circles"), "choose octave:3, decade:10 or total"),
        (("--as", "velocity", "--unit", "V"), "is in m/s², not in V"),
    ):
        refused = call("analyse", wav, *wrong)
        assert refused.returncode == 2
        assert words in refused.stderr


def test_convert(demo: Path, tmp_path: Path) -> None:
    """What a user does with a messy log: make it even, take a channel, hand it on."""
    target = tmp_path / "deck.h5"
    done = run_alone(
        "convert",
        demo / "station-log.csv",
        target,
        "--channel",
        "Deck vertical",
        "--time-base",
        "cut",
        "--missing",
        "interpolate",
        "--stretch",
        "2:32",
        prelude=NO_QT,
    )
    assert (done.returncode, done.stdout) == (0, f"{target}\n")
    told = json.loads(call("describe", target, "--json").stdout)
    assert (told["samples"], told["sample_rate_hz"], told["problems"]) == (6000, 200.0, [])
    assert [channel["name"] for channel in told["channels"]] == ["Deck vertical"]
    refused = call("convert", target, tmp_path / "deck.xyz")
    assert refused.returncode == 2
    assert "does not tell in which format to write; end it in one of .wav" in refused.stderr


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["describe", "nothing.wav"], "nothing.wav does not exist"),
        (["describe"], "Missing argument 'PATH'"),
        (["analyse"], "Name a recording"),
        (["demo"], "There is no display to open the bench on"),
        (["CSV"], "There is no display"),
        (["analyse", "CSV", "--window", "none"], "There is no window called ‘none’"),
        (["analyse", "CSV", "--stretch", "5"], "not two numbers with a colon"),
        (["analyse", "CSV", "--stretch", "5:1"], "does not rise"),
        (["analyse", "CSV", "--stretch", "0:99"], "is outside a: it lasts from 0 to 2 s"),
        (["analyse", "CSV", "--frame", "100000"], "longer than the stretch"),
        (["analyse", "CSV", "--channel", "left"], "no channel ‘left’; choose from: 1 x"),
        (["analyse", "CSV", "--rate", "0"], "sample rate of 0 Hz"),
        (["analyse", "CSV", "--rate", "-5"], "sample rate of -5 Hz"),
        (["analyse", "CSV", "--unit", "wobbles"], "‘wobbles’ is not known"),
        (["analyse", "CSV", "--out", "FILE/in"], "could not be made"),
        (["analyse", "CSV", "--session", "CSV"], "not a session of Tone Comb"),
        (["analyse", "NORATE"], "sample rate of norate is unknown"),
        (["analyse", "CSV", "--nonsense"], "No such option"),
    ],
)
def test_unusable_calls(tmp_path: Path, arguments: list[str], sentence: str) -> None:
    """Exit code 2, one sentence on standard error, nothing on standard output."""
    (tmp_path / "norate.csv").write_text("x\n" + "1\n2\n" * 50)
    names = {
        "CSV": write_csv(tmp_path / "a.csv"),
        "NORATE": tmp_path / "norate.csv",
        "FILE/in": tmp_path / "norate.csv" / "in",
    }
    words = [names.get(argument, argument) for argument in arguments]
    done = call(*words, *(["--json"] if words[0] in ("describe", "analyse") else []))
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.startswith("tone-comb: ")
    assert done.stderr.count("\n") == 1
    assert sentence in done.stderr


def test_interrupting_stops_with_130(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "long.wav", np.zeros(30_000_000, np.float32), 48_000)
    started = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "analyse",
            tmp_path / "long.wav",
            "--frame",
            "4096",
            "--overlap",
            "98",
        ],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        # A test run in the background ignores the interrupt, and its children inherit that.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    time.sleep(3)
    started.send_signal(signal.SIGINT)
    out, err = started.communicate(timeout=30)
    assert (started.returncode, out, err.strip()) == (130, "", "Stopped.")


def test_a_machine_peaks_by_hand_and_fits(demo: Path, tmp_path: Path) -> None:
    table = tmp_path / "drive.csv"
    table.write_text("name,times shaft\ngear mesh,17\n")
    call_for = (
        "analyse",
        demo / "drive-steady.h5",
        "--channel",
        "1",
        "--json",
        "--shaft",
        "24.3",
        "--frame",
        "8192",
        "--peak",
        "777",
    )
    done = call(*call_for, "--machine", table)
    assert done.returncode == 0, done.stderr
    values = json.loads(done.stdout)["analyses"][0]
    (mesh,) = (peak for peak in values["peaks"] if peak.get("name") == "gear mesh")
    assert mesh["order"] == pytest.approx(17, abs=1e-3)
    (asked,) = (peak["frequency_hz"] for peak in values["peaks"] if peak.get("by_hand"))
    assert abs(asked - 777) < 6
    sway = call(
        "analyse",
        demo / "tower-sway.parquet",
        "--channel",
        "1",
        "--json",
        "--fit",
        "0.2:0.6:2",
        "--fit",
        "30:31",
    )
    told = json.loads(sway.stdout)["analyses"][0]
    modes = [round(one["natural_frequency_hz"], 2) for one in told["resonances"]]
    assert modes == [0.31, 0.47]
    assert "30–31 Hz" in next(c["text"] for c in told["cautions"] if c["code"] == "unfitted")
    for wrong, word in (
        (("--machine", tmp_path / "none.csv"), "none.csv"),
        (("--shaft", "-1"), "above 0"),
        (("--fit", "5"), "no range to fit"),
        (("--fit", "9:5"), "No mode can be fitted from 9 to 5 Hz"),
    ):
        refused = call(*call_for, *wrong)
        assert refused.returncode == 2 and word in refused.stderr and not refused.stdout


def test_tracks_and_slices(demo: Path, tmp_path: Path) -> None:
    call_for = (
        "analyse",
        demo / "run-up.flac",
        "--channel",
        "1",
        "--frame",
        "4096",
        "--range",
        "0:600",
        "--band",
        "10:1000",
        "--track",
        "4:31:1,2,17",
        "--track",
        "80:500",
        "--slices",
        "3",
    )
    turning = ("--run-up", "4.5:30:1,2,17", "--speed-from", "Motor DE")
    done = call(*call_for, "--json", "--out", tmp_path / "out" / "Motor-DE")
    assert done.returncode == 0, done.stderr
    (values,) = json.loads(done.stdout)["analyses"]
    of_bracket = ("analyse", demo / "run-up.flac", "--channel", "2", "--frame", "4096", *turning)
    done = call(*of_bracket, "--json")
    (bracket,) = json.loads(done.stdout)["analyses"]
    told = bracket["run_up"]
    assert [round(one["natural_frequency_hz"], 0) for one in told["resonances"]] == [62, 143]
    assert [one["order"] for one in told["orders"]] == [1, 2, 17]
    assert len(told["orders"][0]["amplitude"]) == len(told["speed_hz"]) == len(told["time_s"])
    assert "speed from a comb of Motor DE in 4.5–30 Hz" in told["method"]
    for name in ("spectrum", "spectrogram", "waterfall", "trend"):
        png = (tmp_path / "out" / "Motor-DE" / f"{name}.png").read_bytes()
        assert png.startswith(b"\x89PNG")
    motor, mesh = values["trend"]["tracks"]
    assert motor["teeth"] == [1, 2, 17] and "teeth" not in mesh
    speed = [5 + 24 * time / 90 for time in values["trend"]["time_s"]]
    assert motor["frequency_hz"] == pytest.approx(speed, rel=2e-3)
    assert mesh["frequency_hz"] == pytest.approx([17 * f for f in speed], abs=1.0)
    assert [len(one["levels"]) for one in values["slices"]] == [1, 1, 1]
    rows = (tmp_path / "out" / "Motor-DE" / "trend.csv").read_text().splitlines()
    assert rows[2].startswith("time [s],rms [m/s²],crest factor,kurtosis,10–1000 Hz [m/s² rms]")
    assert len(rows) == 3 + len(speed)
    assert (tmp_path / "out" / "Motor-DE" / "slices.csv").read_text().count("\n") == 3 + 2049
    page = (tmp_path / "out" / "Motor-DE" / "report.html").read_text()
    assert "Changes in time" in page and "comb 4–31 Hz: 5.08" in page
    short = (
        "analyse",
        demo / "run-up.flac",
        "--channel",
        "1",
        "--frame",
        "2048",
        "--slices",
        "3",
        "--stretch",
        "80:84",
        "--track",
        "350:480",
    )
    text = call(*short).stdout
    assert "slice 82.0000 s" in text and "there in 100 % of 24 frames" in text
    for wrong, word in (
        (("--track", "7"), "no range to follow"),
        (("--slice-at", "3"), "exclude each other"),
        (("--run-up", "5:30"), "names no orders"),
        (("--run-up", "5:30:1", "--tacho", "2:0.5"), "exclude each other"),
        (("--orders", "1"), "add --tacho"),
        (("--tacho", "Tower bracket:9:2"), "passes its level 0 times"),
    ):
        refused = call(*short, *wrong)
        assert refused.returncode == 2 and word in refused.stderr


def test_compare_tells_what_changed(tmp_path: Path) -> None:
    t, chance = np.arange(40_000) / 2000, np.random.default_rng(4)
    for name, level in (("a", 0.1), ("b", 0.2)):
        x = level * np.cos(2 * np.pi * 333.3 * t) + 0.01 * chance.normal(size=len(t))
        soundfile.write(tmp_path / f"{name}.wav", x, 2000, subtype="FLOAT")
    text = call("compare", tmp_path / "a.wav", tmp_path / "b.wav").stdout
    assert "since a · channel 1" in text
    assert "333.3" in text and "Hz: grew by 6.0" in text
    assert "noise" not in text
    told = json.loads(call("compare", tmp_path / "a.wav", tmp_path / "b.wav", "--json").stdout)
    (tone,) = [one for one in told[0]["changes"]["told"] if one["kind"] == "tone"]
    assert tone["change_db"] == pytest.approx(6.02, abs=0.05)
    same = call("compare", tmp_path / "a.wav", tmp_path / "a.wav").stdout
    assert "Nothing changed beyond what both leave open; 1 tone was there both times." in same
    out = tmp_path / "out"
    done = call("compare", tmp_path / "a.wav", tmp_path / "b.wav", "--out", out)
    assert done.returncode == 0
    assert "came" not in (out / "changes.csv").read_text()
    assert "grew by 6.0" in (out / "report.html").read_text()
    assert "does not exist" in call("compare", tmp_path / "a.wav", tmp_path / "c.wav").stderr
