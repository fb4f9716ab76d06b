"""What is kept between files: how shapes were read, and the user's sensors."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from tests.support import write_csv

from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.record.sensors import Sensor
from tonecomb.formats import remembered, sensor_library
from tonecomb.formats.registry import understand

GIVEN = Given(
    rate=50.0,
    unit="g",
    how=Import((ColumnGiven("time", "t", "ms"), ColumnGiven()), ";", ",", "cut", "interpolate", 2),
)


def test_what_was_said_comes_back_whole(tmp_path: Path) -> None:
    file = tmp_path / "new" / "imports.json"
    assert remembered.recall(file, "a") is None
    remembered.remember(file, "a", GIVEN)
    remembered.remember(file, "b", Given())
    assert remembered.recall(file, "a") == GIVEN
    assert remembered.recall(file, "b") == Given()


def test_only_so_many_shapes_are_kept(tmp_path: Path) -> None:
    file = tmp_path / "imports.json"
    for i in range(205):
        remembered.remember(file, str(i), Given(rate=float(i + 1)))
        remembered.remember(file, "used", GIVEN)  # what is used again stays
    assert remembered.recall(file, "3") is None
    assert remembered.recall(file, "204") == Given(rate=205.0)
    assert remembered.recall(file, "used") == GIVEN


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[1]",
        '{"a": 3}',
        '{"a": {"how": {"time_base": "guess"}}}',
        '{"a": {"rate": [1]}}',
        '{"a": {"extra": 1}}',
    ],
)
def test_what_makes_no_sense_is_forgotten(tmp_path: Path, text: str) -> None:
    file = tmp_path / "imports.json"
    file.write_text(text)
    assert remembered.recall(file, "a") is None
    assert sensor_library.load(file) == ()
    remembered.remember(file, "b", GIVEN)
    assert remembered.recall(file, "b") == GIVEN


def test_a_shape_is_the_logger_not_the_day(tmp_path: Path) -> None:
    one = understand(write_csv(tmp_path / "a.csv", rows=50))
    longer = understand(write_csv(tmp_path / "b.csv", rows=99, step=2.0))
    other = understand(write_csv(tmp_path / "c.csv", header="time [ms];x [m/s²]"))
    keys = [remembered.shape(found.contents) for found in (one, longer, other)]
    assert keys[0] == keys[1] != keys[2]


def test_the_users_sensors(tmp_path: Path) -> None:
    file = tmp_path / "sensors.json"
    hammer = Sensor("Hammer 3", 2.25, "mV", "N")
    sensor_library.keep(file, hammer)
    sensor_library.keep(file, Sensor("accel 12", 100.0, "mV", "g", 5.0))
    assert [sensor.name for sensor in sensor_library.load(file)] == ["accel 12", "Hammer 3"]
    sensor_library.keep(file, Sensor("Hammer 3", 2.3, "mV", "N"))
    assert sensor_library.load(file)[1].sensitivity == 2.3
    sensor_library.forget(file, "accel 12")
    assert [sensor.name for sensor in sensor_library.load(file)] == ["Hammer 3"]
    assert json.loads(file.read_text())[0]["unit"] == "N"
