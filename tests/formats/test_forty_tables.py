"""Tables made in forty ways: their time and rate are found or asked for, and never analysed."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from tests.support import read_all

from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.formats.registry import understand

N = 700
DATA = np.round(np.random.default_rng(8).normal(size=(2, N)), 4)
START = datetime(2026, 3, 4, 8, 0, 0)


def table(*columns: object, head: str = "", between: str = ",") -> str:
    """Columns as text, numbers in the format of their pair, over the measured one."""
    cells = [[form % value for value in values] for form, values in columns]  # type: ignore
    cells.append([f"{value:.4f}" for value in DATA[0]])
    return head + "".join(between.join(row) + "\n" for row in zip(*cells, strict=True))


def counted(rate: float, unit: float = 1.0, start: float = 0.0) -> np.ndarray:
    return (start + np.arange(N) / rate) / unit


def whole(rate: float, unit: float, start: float = 0.0) -> tuple[str, np.ndarray]:
    return "%d", np.floor(counted(rate, unit, start) + 1e-6)


INDEX = ("%d", np.arange(N))
ONES = ("%d", np.arange(1, N + 1))
SECONDS = ("%.4f", counted(250.0))
EPOCH = 1_772_611_200.0
DAY = [(START + timedelta(seconds=i // 250)) for i in range(N)]

# how: (text, rate in Hz or None where it is asked for)
MADE: dict[str, tuple[str, float | None]] = {
    "s, no header": (table(SECONDS), 250.0),
    "s from 1, no header": (table(("%.4f", counted(250.0, start=1.0))), 250.0),
    "whole ms, no header": (table(whole(250.0, 1e-3)), 250.0),
    "whole ms from 1, no header": (table(whole(250.0, 1e-3, 0.001)), 250.0),
    "whole µs, no header": (table(whole(250.0, 1e-6)), 250.0),
    "whole ns, no header": (table(whole(51_200.0, 1e-9)), 51_200.0),
    "rounded ms, no header": (table(whole(300.0, 1e-3)), 300.0),
    "ms rounded to what repeats, no header": (table(whole(3000.0, 1e-3)), 3000.0),
    "s rounded to ms, no header": (table(("%.3f", counted(1500.0))), 1500.0),
    "s rounded to 0.1 ms, no header": (table(("%.4f", counted(2048.0))), 2048.0),
    "whole ms at 1 kHz, or a count": (table(whole(1000.0, 1e-3)), None),
    "index and s, no header": (table(INDEX, SECONDS), 250.0),
    "index from 1 and ms, no header": (table(ONES, whole(250.0, 1e-3)), 250.0),
    "index alone, no header": (table(INDEX), None),
    "no, ms, acc": (table(ONES, whole(250.0, 1e-3), head="no,ms,acc\n"), 250.0),
    "n, t, acc": (table(INDEX, SECONDS, head="n,t,acc\n"), 250.0),
    "empty name and time": (table(INDEX, SECONDS, head=",time,acc\n"), 250.0),
    "s, acc": (table(SECONDS, head="s,acc\n"), 250.0),
    "ns, acc": (table(whole(250.0, 1e-9), head="ns,acc\n"), 250.0),
    "ts_ms, acc": (table(whole(250.0, 1e-3), head="ts_ms,acc\n"), 250.0),
    "t_us, acc": (table(whole(250.0, 1e-6), head="t_us,acc\n"), 250.0),
    "time without unit, in ms": (table(whole(250.0, 1e-3), head="time,acc\n"), 250.0),
    "time without unit, in µs": (table(whole(2500.0, 1e-6), head="time,acc\n"), 2500.0),
    "a name that says nothing": (table(SECONDS, head="X,acc\n"), 250.0),
    "seconds of the epoch": (table(("%.4f", EPOCH + counted(250.0)), head="ts,acc\n"), 250.0),
    "ms of the epoch": (table(whole(250.0, 1e-3, EPOCH), head="timestamp,acc\n"), 250.0),
    "ns of the epoch": (table(whole(250.0, 1e-9, EPOCH), head="timestamp,acc\n"), 250.0),
    "whole seconds that repeat": (table(whole(250.0, 1.0), head="time [s],acc\n"), 250.0),
    "clock in whole seconds": (
        table(("%s", [d.strftime("%H:%M:%S") for d in DAY]), head="clock,acc\n"),
        250.0,
    ),
    "date and time in two": (
        table(
            ("%s", ["4.3.2026"] * N),
            ("%s", [d.strftime("%H:%M:%S") for d in DAY]),
            head="date,clock,acc\n",
        ),
        250.0,
    ),
    "ISO stamps": (
        table(
            (
                "%s",
                [
                    (START + timedelta(milliseconds=4 * i)).isoformat(timespec="milliseconds")
                    for i in range(N)
                ],
            ),
            head="when,acc\n",
        ),
        250.0,
    ),
    "# fs = 250": (table(head="# fs = 250\nacc\n"), 250.0),
    "dt=0.004": (table(head="dt=0.004\nacc\n"), 250.0),
    "dt [ms]: 4": (table(head="dt [ms]: 4\nacc\n"), 250.0),
    "rate in kHz before the figure": (table(head="Sampling rate [kHz]: 12.8\nacc\n"), 12_800.0),
    "rate and index": (table(INDEX, head="# fs: 512 Hz\nn,acc\n"), 512.0),
    "rate tells the unit": (table(whole(0.5, 1e-3), head="# fs = 0.5 Hz\ntime,acc\n"), 0.5),
    "sensitivity above, no header": (table(SECONDS, head="Sensitivity: 100 mV/g\n"), 250.0),
    "header again": (
        table(SECONDS, head="t [s],acc\n").replace("\n1.0000,", "\nt [s],acc\n1.0000,"),
        250.0,
    ),
    "empty last column": (
        table(("%.4f", counted(250.0)), head="t [s],acc,\n")
        .replace("\n", ",\n")
        .replace("acc,,", "acc,"),
        250.0,
    ),
    "semicolons and commas": (
        table(whole(250.0, 1e-3), between=";", head="").replace(".", ","),
        250.0,
    ),
    "spaces": (table(INDEX, SECONDS, between="   "), 250.0),
    "jittered s, no header": (
        table(("%.5f", counted(250.0) + 2e-4 * np.sin(np.arange(N) ** 2))),
        250.0,
    ),
    "gap in whole ms, no header": (
        table(("%d", 4 * np.arange(N) + 5000 * (np.arange(N) > 400))),
        250.0,
    ),
}


@pytest.mark.parametrize("how", MADE)
def test_time_and_rate_are_found_or_asked_for(tmp_path: Path, how: str) -> None:
    text, rate = MADE[how]
    (tmp_path / "a.csv").write_text(text)
    understood = understand(tmp_path / "a.csv")
    recording = understood.recording
    assert recording.sample_rate == (None if rate is None else pytest.approx(rate, rel=2e-3))
    assert len(recording.channels) == 1, [c.name for c in recording.channels]
    np.testing.assert_allclose(read_all(recording), DATA[0], atol=1e-9)
    if ("header" in how and "[s]" not in text) or "without unit" in how or "nothing" in how:
        assert understood.guesses, "nobody said so: it is told"


def test_values_are_never_taken_for_time(tmp_path: Path) -> None:
    """What rises unevenly, or is of a unit, is data."""
    drift = np.cumsum(np.abs(DATA[1])) + 5
    level = np.linspace(0, 1, N)
    for head, values in (("", drift), ("temp [V],acc\n", level), ("", np.sin(counted(250.0)))):
        (tmp_path / "a.csv").write_text(table(("%.6f", values), head=head))
        recording = understand(tmp_path / "a.csv").recording
        assert (len(recording.channels), recording.sample_rate) == (2, None)


def test_a_sensitivity_is_applied_to_volts(tmp_path: Path) -> None:
    volts = "# Sensitivity: 100 mV/g\nt [s],acc [V],note\n"
    (tmp_path / "a.csv").write_text(table(SECONDS, ("%.4f", DATA[1]), head=volts))
    understood = understand(tmp_path / "a.csv")
    assert [c.unit for c in understood.recording.channels] == ["g", "a.u."]
    np.testing.assert_allclose(read_all(understood.recording), DATA[1] * 10, atol=1e-9)
    assert "V is turned into g by the header's sensitivity, 100 mV/g." in understood.guesses
    (tmp_path / "b.csv").write_text(table(SECONDS, head="# Sensitivity: 100 mV/g\nt [s],acc\n"))
    understood = understand(tmp_path / "b.csv")
    np.testing.assert_allclose(read_all(understood.recording), DATA[0])
    assert any("not applied" in guess for guess in understood.guesses)


def test_coarse_stamps_keep_their_gaps(tmp_path: Path) -> None:
    """50 samples to a second, one of which lacks: it is told, and cut or filled where asked."""
    stamps = np.floor(counted(50.0)) + (np.arange(N) >= 500) * 3
    (tmp_path / "a.csv").write_text(table(("%d", stamps), head="time [s],acc\n"))
    choices: dict[str, Callable[[int], bool]] = {
        "nominal": lambda n: n == N,
        "cut": lambda n: n == 500,
        "resample": lambda n: n == N + 150,
    }
    for choice, fits in choices.items():
        given = Given(how=Import(time_base=choice))  # type: ignore[arg-type]
        recording = understand(tmp_path / "a.csv", given).recording
        assert recording.sample_rate == 50.0
        assert fits(recording.length), (choice, recording.length)
        told = " ".join(problem.text for problem in recording.problems)
        assert "each for 50 samples" in told and "a gap of 3 s after line 501" in told


def test_a_wrong_guess_is_put_right(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text(table(whole(250.0, 1e-3)))
    said = (ColumnGiven(role="time", unit="µs"), ColumnGiven())
    given = Given(how=Import(columns=said))
    assert understand(tmp_path / "a.csv", given).recording.sample_rate == pytest.approx(250_000.0)
