"""Many recordings by one plan: tables, limits, what cannot be used, and going on."""

from __future__ import annotations

import csv
import json
import math
import os
import signal
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow.parquet as pq
import pytest
import soundfile
from tests.cli.test_cli import Done, call
from tests.support import recording

from tonecomb.batches import one as one_module
from tonecomb.batches import overview
from tonecomb.batches.one import BatchJob, ChannelOutcome, Outcome, kept
from tonecomb.batches.plan import load
from tonecomb.batches.run import run
from tonecomb.batches.sources import recordings_in
from tonecomb.batches.tables import write as write_tables
from tonecomb.batches.trends import drawn, trends
from tonecomb.core.base.errors import Cancelled
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.formats.registry import write_recording

FS = 2000
PLAN = {
    "format": "tone-comb plan",
    "version": 1,
    "rules": [
        {"name": "spare*", "method": {"frames": {"frame": 512}}},
        {"rate": [1000, 5000], "method": {"frames": {"frame": 4096}}},
    ],
    "limits": [
        {
            "name": "overall",
            "kind": "overall",
            "zones": [{"name": "A", "to": 0.1}, {"name": "B", "to": 0.3}],
            "accept": "A",
        }
    ],
}


def level(i: int) -> float:
    return 0.1 * (1 + i)


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Six recordings, each twice as loud as the first times its number; one that is none."""
    folder, t = tmp_path_factory.mktemp("plant"), np.arange(8000) / FS
    for i in range(4):
        x = level(i) * np.cos(2 * np.pi * (100.3 + 10 * i) * t)
        x += 1e-3 * np.random.default_rng(i).normal(size=len(t))
        soundfile.write(folder / f"pump {i}.wav", x, FS, subtype="FLOAT")
    soundfile.write(folder / "spare.wav", x, FS, subtype="FLOAT")
    (folder / "broken.wav").write_bytes(b"RIFF and no more")
    (folder / "notes.doc").write_text("not a recording")
    return folder


@pytest.fixture
def plan(tmp_path: Path) -> Path:
    path = tmp_path / "plan.json"
    path.write_text(json.dumps(PLAN))
    return path


def tables(out: Path) -> dict[str, list[dict[str, str]]]:
    found = {}
    for file in out.glob("*.csv"):
        lines = file.read_text().splitlines()
        assert lines[0].startswith("# Tone Comb")
        found[file.stem] = list(csv.DictReader(lines[1:]))
    return found


def batch(*arguments: object) -> Done:
    return call("batch", *arguments)


def test_tables_limits_and_a_file_that_is_none(files: Path, plan: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done = batch(plan, files, "--out", out, "--no-reports", "--json")
    assert done.returncode == 1
    assert "broken.wav" in done.stderr and "Traceback" not in done.stderr
    told = json.loads(done.stdout)
    assert told["recordings"] == 6 and len(told["failed"]) == 1
    assert sorted(Path(one["file"]).stem for one in told["exceeded"]) == [
        "pump 1",
        "pump 2",
        "pump 3",
        "spare",
    ]
    found = tables(out)
    assert set(found) == {"recordings", *one_module.TABLES}
    by_name = {row["recording"]: row for row in found["tones"]}
    for i in range(4):
        row = by_name[f"pump {i}"]
        assert float(row["frequency_hz"]) == pytest.approx(100.3 + 10 * i, abs=1e-3)
        assert float(row["amplitude"]) == pytest.approx(level(i) / 2**0.5, rel=1e-3)
    methods = {row["recording"]: row["method"] for row in found["recordings"]}
    assert "512 samples" in methods["spare"] and "4096 samples" in methods["pump 2"]
    zones = {row["recording"]: row["zone"] for row in found["limits"]}
    assert [zones[f"pump {i}"] for i in range(4)] == ["A", "B", "B", "B"]
    for name, rows in found.items():
        table = pq.read_table(out / f"{name}.parquet")
        assert table.num_rows == len(rows)
    tones = pq.read_table(out / "tones.parquet")
    assert str(tones.schema.field("frequency_hz").type) == "double"
    page = (out / "overview.html").read_text()
    assert page.index("spare") < page.index("pump 0"), "the worst first"
    assert "Could not be used" in page and "broken.wav" in page


def test_it_goes_on_where_it_was_stopped(files: Path, plan: Path, tmp_path: Path) -> None:
    paths = [files / f"pump {i}.wav" for i in range(4)]
    seen: list[str] = []

    def stopping(outcome: Outcome) -> None:
        seen.append(outcome.name)
        if len(seen) == 2:
            raise Cancelled

    wanted, out = load(plan), tmp_path / "out"
    with pytest.raises(Cancelled):
        run(wanted, paths, out, reports=False, told=stopping)
    again: list[str] = []
    done = run(wanted, paths, out, reports=False, told=lambda one: again.append(one.name))
    assert done.kept == 2 and again == ["pump 2", "pump 3"]
    assert recordings_in([files, tmp_path]) == recordings_in([files]), "nor what it wrote itself"
    whole = run(wanted, paths, tmp_path / "other", reports=False)
    assert [one.channels for one in whole.outcomes] == [one.channels for one in done.outcomes]
    # Another plan, and a file that changed, are done anew; nothing else is.
    x, _ = soundfile.read(paths[0])
    soundfile.write(tmp_path / "pump 0.wav", 2 * x, FS, subtype="FLOAT")
    moved = [tmp_path / "pump 0.wav", *paths[1:]]
    assert run(wanted, moved, out, reports=False).kept == 3
    assert run(load(_other(plan)), paths, out, reports=False).kept == 0
    assert replace(wanted, said=Knowledge(shaft=24.3)).digest != wanted.digest
    assert kept(BatchJob(paths[0], wanted, tmp_path / "nowhere")) is None


def _other(plan: Path) -> Path:
    other = plan.with_name("other.json")
    other.write_text(plan.read_text().replace("4096", "2048"))
    return other


def test_a_worker_that_is_killed_changes_nothing(files: Path, plan: Path, tmp_path: Path) -> None:
    paths = [files / f"pump {i}.wav" for i in range(4)]
    killed: list[int] = []

    def kill_one(_: Outcome) -> None:
        if not killed:
            import multiprocessing

            victim = multiprocessing.active_children()[0]
            killed.append(victim.pid or 0)
            os.kill(killed[0], signal.SIGKILL)

    wanted = load(plan)
    done = run(wanted, paths, tmp_path / "out", workers=2, reports=False, told=kill_one)
    assert killed and not done.failed
    alone = run(wanted, paths, tmp_path / "alone", reports=False)
    assert [one.channels for one in done.outcomes] == [one.channels for one in alone.outcomes]


def test_reports_and_the_method_of_a_report(files: Path, tmp_path: Path) -> None:
    """A report is a plan: its method for every recording."""
    source, out = files / "pump 0.wav", tmp_path / "out"
    call("analyse", source, "--frame", "1024", "--out", tmp_path / "first")
    done = batch(tmp_path / "first" / "report.html", source, files / "pump 1.wav", "--out", out)
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("2 recordings; 0 could not be used"), "nothing of limits"
    pages = sorted(out.rglob("reports/*/*.html"))
    assert len(pages) == 2 and "1024 samples" in pages[0].read_text()
    assert call("check", pages[1]).returncode == 0
    again = batch(tmp_path / "first" / "report.html", files / "pump 1.wav", "--out", out)
    assert "1 of them earlier" in again.stdout


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"limits": [{"name": "x", "kind": "overall", "zones": []}]}, "no zones"),
        ({"rules": [{"nam": "x"}]}, "nam"),
        ({"rules": [{"rate": [1e400, 2]}]}, "plan"),
        ({"version": 2}, "version 2"),
        ({"more": 1}, "more"),
        ({"limits": "all of them"}, "plan"),
    ],
)
def test_what_is_no_plan_is_told(change: dict[str, object], word: str, tmp_path: Path) -> None:
    path = tmp_path / "plan.json"
    path.write_text(json.dumps(PLAN | change))
    done = batch(path, tmp_path, "--out", tmp_path / "out")
    assert done.returncode == 2 and word in done.stderr and done.stderr.count("\n") == 1


def test_a_point_s_level_over_time_is_drawn_where_it_is_known() -> None:
    def taken(day: int, rms: float, point: str = "winch", start: str = "") -> Outcome:
        when = start or f"2026-11-{day:02d}T08:00:00"
        told = ChannelOutcome("DE", "mm/s", "", rms)
        return Outcome(
            f"/plant/{point}_{day}.wav", f"{point}_{day}", "", start=when, channels=(told,)
        )

    made = [taken(day, day / 10) for day in (5, 1, 3)]
    made += [taken(day, 1.0, "fan") for day in (1, 2, 3)]
    made += [taken(day, 1.0, "pump") for day in (1, 2)]  # too few
    made += [taken(day, 1.0, "undated", "some day") for day in range(1, 5)]
    made += [taken(1, 1.0, "twice", "2026-11-01") for _ in range(4)]  # one day is no trend
    found = trends(made)
    assert [one.point for one in found] == ["plant · winch · DE", "plant · fan · DE"]
    assert found[0].rms == (0.1, 0.3, 0.5) and found[0].growth == pytest.approx(5.0)
    picture = drawn(found)
    assert picture.startswith("<svg") and drawn([]) == ""


@pytest.mark.parametrize("name", ["tones.csv", "levels.parquet", "overview.html"])
def test_files_of_others_stay(files: Path, plan: Path, tmp_path: Path, name: str) -> None:
    out = tmp_path / "out"
    out.mkdir()
    (out / name).write_text("mine, and not for you")
    done = batch(plan, files / "pump 0.wav", "--out", out, "--no-reports")
    assert done.returncode == 2 and name in done.stderr
    assert (out / name).read_text() == "mine, and not for you"
    (out / name).unlink()
    for _ in range(2):  # what it wrote itself may go
        assert batch(plan, files / "pump 0.wav", "--out", out, "--no-reports").returncode == 0


PLACES = [
    (),
    ("channels",),
    ("channels", 0, "rows"),
    ("channels", 0, "rms"),
    ("duration",),
    ("channels", 0, "rows", "tones"),
    ("channels", 0, "exceeded"),
    ("channels", 0, "rows", "tones", 0),
]


@pytest.mark.parametrize("where", PLACES)
@pytest.mark.parametrize("wrong", [[], {}, "x", 7, True, [[]], "[" * 20_000])
def test_an_outcome_that_somebody_was_at_is_made_anew(
    files: Path, plan: Path, tmp_path: Path, where: tuple[str | int, ...], wrong: object
) -> None:
    """Or holds what it may: the tables and the overview are made of it."""
    job = BatchJob(files / "pump 1.wav", load(plan), tmp_path, reports=False)
    if not (tmp_path / "done").exists():
        (tmp_path / "done").mkdir()
    one_module.work(job)
    body: Any = json.loads(job.done.read_text())
    if where:
        inside = body
        for step in where[:-1]:
            inside = inside[step]
        inside[where[-1]] = wrong
    job.done.write_text(wrong if isinstance(wrong, str) and not where else json.dumps(body))
    found = kept(job)
    if found is not None:
        write_tables(tmp_path, [found])
        overview.write(tmp_path, [found], job.plan)


def test_a_limit_that_judges_nothing_is_said_and_ends_with_1(files: Path, tmp_path: Path) -> None:
    """Tones from 8 to 9 kHz in records at 2 kHz, beside a limit that all are within."""
    plan, out = tmp_path / "plan.json", tmp_path / "out"
    zones = [{"name": "good", "to": 10.0}]
    plan.write_text(
        json.dumps(
            {
                "format": "tone-comb plan",
                "version": 1,
                "rules": [{}],
                "limits": [
                    {"name": "overall", "kind": "overall", "zones": zones},
                    {"name": "mesh", "kind": "tone", "low": 8000, "high": 9000, "zones": zones},
                ],
            }
        )
    )
    good = [files / f"pump {i}.wav" for i in range(2)]
    done = batch(plan, *good, "--out", out, "--no-reports")
    assert done.returncode == 1
    assert "2 recordings; 0 exceed a limit, 2 have one that is not judged, 0 could" in done.stdout
    assert "mesh: not judged, it reaches to 9000 Hz" in done.stdout
    assert "this limit judged nothing" in done.stdout
    found = tables(out)
    assert [row["zone"] for row in found["recordings"]] == ["good", "good"]
    assert all("sure up to 800 Hz" in row["not_judged"] for row in found["recordings"])
    assert [bool(row["why_not"]) for row in found["limits"]] == [False, True] * 2
    assert "mesh: not judged" in (out / "overview.html").read_text()
    told = json.loads(batch(plan, *good, "--out", out, "--no-reports", "--json").stdout)
    assert told["judged_nothing"] == ["mesh"] and len(told["not_judged"]) == 2


def test_the_example_of_the_guide_judges_what_it_says(tmp_path: Path) -> None:
    page = (Path(__file__).parents[2] / "docs" / "batch.md").read_text()
    plan, out = tmp_path / "plan.json", tmp_path / "out"
    plan.write_text(page.split("```json")[1].split("```")[0])
    t = np.arange(5 * 12_800) / 12_800
    x = 0.5 * np.cos(2 * np.pi * 50 * t) + 0.4 * np.cos(2 * np.pi * 412 * t)
    x += 1e-3 * np.random.default_rng(0).standard_normal(len(t))
    write_recording(tmp_path / "gear.h5", recording(x, fs=12_800.0, unit="m/s²"))
    done = batch(plan, tmp_path / "gear.h5", "--out", out, "--no-reports")
    limits = {row["limit"]: row for row in tables(out)["limits"]}
    names = ("velocity 10–1000 Hz rms", "displacement 10–1000 Hz p–p")
    assert set(limits) == {*names, "mesh", "mask"}
    assert not any(row["why_not"] for row in limits.values()), limits
    speeds = (0.5 / (100 * np.pi), 0.4 / (824 * np.pi))  # m/s, peak
    velocity, ways = limits[names[0]], limits[names[1]]
    rms = 1e3 * math.hypot(*speeds) / math.sqrt(2)
    assert float(velocity["value"]) == pytest.approx(rms, rel=1e-3)
    assert velocity["unit"] == "mm/s" and velocity["zone"] == "A"
    travel = 2e6 * (speeds[0] / (100 * np.pi) + speeds[1] / (824 * np.pi))  # they beat
    assert float(ways["value"]) == pytest.approx(travel, rel=5e-3) and ways["zone"] == "A"
    levels = {row["quantity"]: float(row["value"]) for row in tables(out)["levels"]}
    assert levels["velocity"] == pytest.approx(float(velocity["value"]))
    assert done.returncode == (1 if any(r["exceeded"] == "yes" for r in limits.values()) else 0)
