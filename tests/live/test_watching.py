"""Triggers and alarms on samples that come in blocks of any size, with holes."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Channel
from tonecomb.live.source import Block
from tonecomb.live.watching import Alarm, AlarmWatch, Event, Trigger, TriggerWatch, Watch

RATE = 1000.0
CHANNELS = (Channel("Motor DE", "m/s²"), Channel("Bullwheel", "m/s²"))


def blocks(x: np.ndarray, sizes: Sequence[int]) -> Iterator[Block]:
    """``x`` in both channels (its negative in the second), in blocks of these sizes over and
    over; what is nan was lost."""
    at, turn = 0, 0
    while at < len(x):
        part = x[at : at + sizes[turn % len(sizes)]]
        both = np.stack([part, -part], axis=1).astype(np.float32)
        yield Block(at, len(part), None if np.isnan(part).all() else both)
        at, turn = at + len(part), turn + 1


def events(watch: Watch, x: np.ndarray, sizes: Sequence[int]) -> list[Event]:
    return [event for block in blocks(x, sizes) for event in watch.take(block)]


@settings(deadline=None, max_examples=60)
@given(
    seed=st.integers(0, 999),
    sizes=st.lists(st.integers(1, 700), min_size=1, max_size=4),
    slope=st.sampled_from(["rising", "falling", "beyond"]),
    channel=st.sampled_from([0, 1]),
    level=st.floats(0.3, 2.0),
    length=st.floats(0.02, 0.3),
)
def test_a_crossing_is_found_whatever_the_blocks(
    seed: int, sizes: list[int], slope: str, channel: int, level: float, length: float
) -> None:
    random = np.random.default_rng(seed)
    x = np.cumsum(random.standard_normal(5000)) * 0.1
    x -= np.convolve(x, np.ones(200) / 200, "same")
    for first in random.integers(0, 4900, 3):
        x[first : first + int(random.integers(1, 80))] = np.nan
    x = x.astype(np.float32).astype(np.float64)
    trigger = Trigger(channel, level, slope, before=0.01, length=length)  # type: ignore[arg-type]
    found = events(TriggerWatch(trigger, RATE), x, sizes)
    # The same, sample by sample.
    seen = x if channel == 0 else -x
    y = {"rising": seen, "falling": -seen, "beyond": np.abs(seen)}[slope]
    limit = -level if slope == "falling" else level
    armed, free, wanted = False, 0, []
    for i, value in enumerate(y):
        if math.isnan(value):
            armed = False
        elif value < limit - 0.1 * level:
            armed = True
        elif value >= limit and armed:
            armed = False
            if i >= free:
                wanted.append(i)
                free = i - 10 + round(length * RATE)
    assert [event.at for event in found] == wanted
    assert [event.number for event in found] == list(range(1, len(wanted) + 1))
    for event in found:
        assert event.first == max(0, event.at - 10) and event.value == pytest.approx(seen[event.at])
        assert event.end == event.at - 10 + round(length * RATE)
        assert Event.of_line(event.line()) == event


def test_by_time() -> None:
    trigger = Trigger(every=2.0, before=0.0, length=0.5)
    found = events(TriggerWatch(trigger, RATE), np.zeros(7000), [333])
    assert [event.at for event in found] == [0, 2000, 4000, 6000]


@pytest.mark.parametrize("sizes", [[37], [5000], [128, 999]])
def test_a_band_over_its_level_is_told_from_when_to_when(sizes: list[int]) -> None:
    random = np.random.default_rng(0)
    t = np.arange(60_000) / RATE
    x = 0.1 * random.standard_normal(len(t))
    x[20_000:40_000] += np.sqrt(2) * np.sin(2 * np.pi * 123.0 * t[20_000:40_000])
    alarm = Alarm(0, 100.0, 150.0, 0.5, frame=512)
    found = events(AlarmWatch(alarm, RATE), x, sizes)
    assert {event.number for event in found} == {1}, "one alarm, not one a look"
    last, span = found[-1], 512 * 17 / 2 / RATE
    assert not last.running and all(event.running for event in found[:-1])
    assert last.first / RATE == pytest.approx(20.0, abs=span)
    assert last.end / RATE == pytest.approx(40.0, abs=span)
    assert last.value == pytest.approx(1.0, rel=0.02) and last.over == pytest.approx(2.0, rel=0.02)
    assert last.hz == pytest.approx(123.0, abs=RATE / 512)


def test_a_curve_with_a_margin_holds_noise_and_tells_a_tone() -> None:
    random = np.random.default_rng(1)
    t = np.arange(120_000) / RATE
    x = random.standard_normal(len(t))
    # The mean square per bin of white noise of variance 1: 2·ENBW/fs, Hann 1.5 bins.
    frequency = np.arange(257) * RATE / 512
    squares = np.full(257, 2 * 1.5 / 512)
    curve = (tuple(frequency.tolist()), tuple(squares.tolist()))
    alarm = Alarm(0, 5.0, 480.0, curve=curve, margin=6.0, frame=512)
    assert events(AlarmWatch(alarm, RATE), x, [640]) == [], "noise within its margin"
    x[60_000:90_000] += 0.5 * np.sin(2 * np.pi * 333.0 * t[60_000:90_000])
    last = events(AlarmWatch(alarm, RATE), x, [640])[-1]
    assert last.hz == pytest.approx(333.0, abs=RATE / 512)
    assert last.over == pytest.approx(
        np.sqrt((0.125 + squares[0]) / (squares[0] * 10**0.6)), rel=0.1
    )


def test_a_hole_ends_an_alarm_and_is_not_looked_into() -> None:
    x = np.sqrt(2) * np.sin(2 * np.pi * 123.0 * np.arange(40_000) / RATE)
    x[20_000:20_010] = np.nan
    found = events(AlarmWatch(Alarm(0, 100.0, 150.0, 0.5, frame=512), RATE), x, [100])
    assert {event.number for event in found} == {1, 2}
    for event in found:
        assert event.end <= 20_000 or event.first >= 20_010


@pytest.mark.parametrize(
    "wrong, told",
    [
        (Trigger(channel=2, level=1.0), "no channel 3"),
        (Trigger(level=1.0, before=2.0, length=1.0), "cannot be"),
        (Trigger(level=-1.0, slope="beyond"), "beyond"),
        (Alarm(low=10.0, high=10.0), "no band"),
        (Alarm(low=600.0, high=700.0), "no band"),
        (Alarm(level=0.0), "cannot be"),
    ],
)
def test_what_makes_no_sense_is_told(wrong: Trigger | Alarm, told: str) -> None:
    with pytest.raises(UserError, match=told):
        wrong.check(CHANNELS) if isinstance(wrong, Trigger) else wrong.check(CHANNELS, RATE)


def test_there_is_an_end_to_events(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tonecomb.live.watching.MOST_EVENTS", 3)
    watch = TriggerWatch(replace(Trigger(), every=0.1, before=0.0, length=0.05), RATE)
    assert len(events(watch, np.zeros(1000), [100])) == 3 and watch.numbers.unlisted == 7
