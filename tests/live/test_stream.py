"""Packets, descriptions, and putting what came in its place: loss, order, wraps, strangers."""

from __future__ import annotations

import os
import socket
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.resampling import Filled
from tonecomb.demo.node import AT_ONCE_S, FULL_SCALE, Node, Ropeway
from tonecomb.live import rtp, sdp
from tonecomb.live.network import NetworkSource
from tonecomb.live.opening import open_source
from tonecomb.live.placing import Placing
from tonecomb.live.played import PlayedSource
from tonecomb.live.source import Block, Counts

RATE = 1000.0


@given(
    st.integers(0, 127), st.integers(0, 65535), st.integers(0, 2**32 - 1), st.binary(max_size=99)
)
def test_packets_come_back_whole(kind: int, sequence: int, stamp: int, payload: bytes) -> None:
    packet = rtp.Packet(kind, sequence, stamp, 7, payload)
    assert rtp.parse(rtp.built(packet)) == packet


@given(st.binary(max_size=200))
def test_anything_else_is_no_packet_or_one(data: bytes) -> None:
    found = rtp.parse(data)
    assert found is None or len(found.payload) <= len(data) - 12


def test_extensions_sources_and_padding_are_stepped_over() -> None:
    """As RFC 3550 draws them in 5.1 and 5.3.1."""
    head = bytes([0x80 | 0x20 | 0x10 | 2, 97, 0, 5, 0, 0, 0, 9, 0, 0, 0, 7])
    packet = rtp.parse(head + bytes(8) + bytes([0, 0, 0, 1]) + bytes(4) + b"abcdef" + bytes([0, 2]))
    assert packet == rtp.Packet(97, 5, 9, 7, b"abcdef")
    assert rtp.parse(head + bytes(8) + bytes([0, 0, 9, 9])) is None
    assert rtp.parse(head[:1] + b"\x61") is None and rtp.parse(b"\x40" + head[1:]) is None


@pytest.mark.parametrize(("encoding", "step"), [("L16", 2**-15), ("L24", 2**-23)])
def test_samples_are_whole_steps_of_full_scale(encoding: str, step: float) -> None:
    x = np.random.default_rng(1).uniform(-1, 1, (58, 8))
    found = rtp.decoded(rtp.encoded(x, encoding), encoding, 8)
    assert found is not None and found.shape == x.shape
    assert np.abs(found - x).max() <= 0.5 * step * 1.001 + 1e-7
    assert rtp.encoded(np.array([[1.0, -1.0]]), "L16") == b"\x7f\xff\x80\x00"
    assert rtp.encoded(np.array([[-(2.0**-23)]]), "L24") == b"\xff\xff\xff"
    assert rtp.decoded(b"\x80\x00\x00\x7f\xff\xff", "L24", 2) == pytest.approx(np.array([[-1, 1]]))
    assert rtp.decoded(b"abc", "L16", 1) is None and rtp.decoded(b"", "L24", 1) is None


def test_a_description_comes_back_whole_and_others_are_read() -> None:
    session = sdp.Session("drive", "127.0.0.1", 5010, 97, "L24", 51200, 8, "channels: a [50 m/s²]")
    assert sdp.parsed(session.text(), "x") == session
    plain = (
        "v=0\no=- 1 1 IN IP4 10.0.0.9\ns=Cam\nc=IN IP4 239.1.2.3/64\nt=0 0\n"
        "m=video 9 RTP/AVP 96\na=rtpmap:96 H264/90000\nm=audio 5004 RTP/AVP 96 11\n"
        "a=rtpmap:96 opus/48000/2\na=recvonly\n"
    )
    found = sdp.parsed(plain.replace("m=video 9 RTP/AVP 96\na=rtpmap:96 H264/90000\n", ""), "x")
    assert (found.encoding, found.rate, found.channels, found.payload_type) == ("L16", 44100, 1, 11)
    assert (found.address, found.name) == ("239.1.2.3", "Cam")


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "does not begin with v=0"),
        ("v=0\ns=x\n", "describes no audio"),
        ("v=0\nm=audio 5004 RTP/AVP 96\na=rtpmap:96 opus/48000/2\n", "neither L16 nor L24"),
        ("v=0\nm=audio x RTP/AVP 96\n", "is no medium"),
        ("v=0\nc=IN IP4 here\n", "is no address"),
        ("v=0\nm=audio 5004 TCP/RTP/AVP 11\n", "comes by TCP/RTP/AVP"),
        ("v=0\nm=audio 5004 RTP/AVP 97\na=rtpmap:97 L24/48000/64\n", "64 channels at 48000"),
    ],
)
def test_what_cannot_be_listened_to_is_said(text: str, why: str, tmp_path: Path) -> None:
    (tmp_path / "x.sdp").write_text(text)
    with pytest.raises(UserError, match=why):
        sdp.load(tmp_path / "x.sdp")


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("rtp://here:5004", "no address of a stream"),
        ("none.wav", "none.wav is no source"),
        ("none.sdp", "does not exist"),
        ("rtp://127.0.0.1:5004/L24/48000/99", "99 channels"),
    ],
)
def test_what_is_no_source_is_said(text: str, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        open_source(text)


def test_a_description_that_is_no_file_is_not_waited_for(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.sdp")
    (tmp_path / "zero.sdp").symlink_to("/dev/zero")
    (tmp_path / "long.sdp").write_text("v=0\n" * 100_000)
    wrong = {"pipe": "is a pipe", "zero": "is a device", "long": "it is too long"}
    for name, why in wrong.items():
        with pytest.raises(UserError, match=why):
            sdp.load(tmp_path / f"{name}.sdp")


@pytest.mark.parametrize("size", ["1e999", "0", "-5", "nan"])
def test_a_full_scale_that_is_none_leaves_the_channel_uncalibrated(size: str) -> None:
    said = sdp.Session(channels=1, says=f"channels: a [{size} m/s²]")
    source = NetworkSource.of(replace(said, port=0))
    assert source.sizes == (1.0,) and source.described.channels[0].unit == "FS"
    source.close()


def test_a_group_is_joined() -> None:
    group = "239.255.77.9"
    source = NetworkSource.of(sdp.Session(address=group, port=0, rate=1000))
    sender = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sender.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_LOOP, 1)
    stop = threading.Event()
    try:
        try:
            for i in range(3):
                packet = rtp.Packet(97, i, 100 * i, 7, rtp.encoded(np.zeros((100, 1)), "L24"))
                sender.sendto(rtp.built(packet), (group, source.port))
        except OSError:
            pytest.skip("this machine has no way to a group")
        came = next(source.blocks(stop.is_set))
        assert came.length == 100
    finally:
        stop.set()
        sender.close()
        source.close()


def joined(blocks: list[Block]) -> np.ndarray:
    """All samples of one channel, lost ones as nan; blocks must follow one another."""
    at, parts = 0, []
    for block in blocks:
        assert block.first == at and block.length > 0
        at = block.end
        lost = np.full(block.length, np.nan, np.float32)
        parts.append(lost if block.frames is None else block.frames[:, 0])
    return np.concatenate(parts) if parts else np.empty(0)


@given(
    st.lists(
        st.sampled_from(["sent", "sent", "sent", "lost", "twice", "swapped"]),
        min_size=2,
        max_size=60,
    ),
    st.integers(0, 65535),
    st.integers(0, 2**32 - 1),
    st.integers(1, 9),
)
def test_everything_is_in_its_place(fates: list[str], sequence: int, stamp: int, size: int) -> None:
    fates = ["sent", *fates, "sent"]
    x = np.arange(len(fates) * size, dtype=np.float32)
    order: list[int] = []
    for i, fate in enumerate(fates):
        if fate == "swapped" and order and i > 1:
            order.insert(len(order) - 1, i)
        elif fate != "lost":
            order += [i] * (2 if fate == "twice" else 1)
    counts = Counts()
    placing, blocks = Placing(RATE, counts), list[Block]()
    for k, i in enumerate(order):
        frames = x[i * size : (i + 1) * size].reshape(-1, 1)
        now = 0.0001 * k
        assert placing.take((sequence + i) % 2**16, (stamp + i * size) % 2**32, frames, now)
        blocks += placing.ready(now)
    blocks += placing.ready(1.0, all_of_it=True)
    wanted = x.copy()
    lost = [i for i, fate in enumerate(fates) if fate == "lost"]
    for i in lost:
        wanted[i * size : (i + 1) * size] = np.nan
    assert np.array_equal(joined(blocks), wanted, equal_nan=True)
    assert counts.lost == len(lost) and counts.lost_samples == len(lost) * size
    assert counts.twice == fates.count("twice")


def test_a_hole_is_waited_for_and_no_longer_than_memory_allows() -> None:
    placing = Placing(RATE, Counts())
    one = np.ones((10, 1), np.float32)
    placing.take(0, 0, one, 0.0)
    assert [block.length for block in placing.ready(0.0)] == [10]
    placing.take(2, 20, one, 0.01)
    assert placing.ready(0.05) == [], "it may still come"
    told = placing.ready(0.2)
    assert [(block.first, block.frames is None) for block in told] == [(10, True), (20, False)]
    placing.take(1, 10, one, 0.3)
    assert placing.ready(0.3) == [] and placing.counts.late == 1, "too late"
    for k in range(1000):
        placing.take(10 + k, 100 + 10 * k, one, 0.4)
        if placing.ready(0.4):
            break
    assert k <= 210, "two seconds of samples are the most that waits"
    assert not placing.take(5000, 90_000_000, one, 0.5), "that is another stream"


@pytest.fixture
def listening() -> Iterator[tuple[NetworkSource, list[Block], threading.Event]]:
    """A source on a free port, and what it tells in its thread."""
    session = sdp.Session("t", "127.0.0.1", 0, 97, "L24", 8000, 1)
    source = NetworkSource.of(session)
    blocks, stop = list[Block](), threading.Event()

    def listen() -> None:
        blocks.extend(source.blocks(stop.is_set))

    thread = threading.Thread(target=listen)
    thread.start()
    yield source, blocks, stop
    stop.set()
    thread.join(5)
    source.close()


def send(port: int, *packets: bytes) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as out:
        for packet in packets:
            out.sendto(packet, ("127.0.0.1", port))
    time.sleep(0.05)


def packet(number: int, *, source: int = 1, kind: int = 97, payload: bytes | None = None) -> bytes:
    body = rtp.encoded(np.full((80, 1), 0.25), "L24") if payload is None else payload
    return rtp.built(rtp.Packet(kind, number, number * 80, source, body))


def test_strangers_are_counted_and_dropped(
    listening: tuple[NetworkSource, list[Block], threading.Event],
) -> None:
    source, blocks, stop = listening
    send(source.port, packet(0), packet(1))
    send(source.port, packet(900, source=2), packet(2, kind=96), b"hello", packet(2, payload=b"xy"))
    send(source.port, packet(2))
    stop.set()
    time.sleep(0.1)
    assert len(joined(blocks)) == 240 and np.isfinite(joined(blocks)).all()
    counts = source.counts
    assert (counts.taken, counts.foreign, counts.malformed) == (3, 2, 2)
    assert "2 of others dropped, 2 malformed" in counts.words()
    assert source.granted > 0


def test_a_source_that_goes_away_is_joined_again(
    listening: tuple[NetworkSource, list[Block], threading.Event],
) -> None:
    source, blocks, stop = listening
    send(source.port, packet(0), packet(1))
    time.sleep(1.2)
    send(source.port, packet(500, source=9), packet(501, source=9))
    stop.set()
    time.sleep(0.1)
    x = joined(blocks)
    assert source.counts.joined == 1
    hole = int(np.isnan(x).sum())
    assert 1.0 < hole / 8000 < 2.0, "as long as it was away"
    assert np.isfinite(x[:160]).all() and np.isfinite(x[-160:]).all()


def test_a_busy_port_is_said() -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind(("127.0.0.1", 0))
        session = sdp.Session("busy", "127.0.0.1", taken.getsockname()[1])
        with pytest.raises(UserError, match=r"busy cannot be listened to at 127\.0\.0\.1, port"):
            NetworkSource.of(session)


def test_what_the_node_sends_arrives_sample_for_sample() -> None:
    """With packets lost and swapped, across the wraps of both counters."""
    listener = NetworkSource.of(
        sdp.Session("n", "127.0.0.1", 0, 97, "L24", 12800, 3, Node(Ropeway()).session.says)
    )
    node = Node(
        Ropeway(),
        port=listener.port,
        loss=3.0,
        swap=5.0,
        first_sequence=65_500,
        first_stamp=2**32 - 9_000,
    )
    stop, blocks = threading.Event(), list[Block]()
    thread = threading.Thread(target=lambda: blocks.extend(listener.blocks(stop.is_set)))
    thread.start()
    count = [0]

    def enough() -> bool:
        count[0] += 1
        return count[0] > 150

    node.run(enough)
    time.sleep(0.3)
    stop.set()
    thread.join(5)
    listener.close()
    size, again = node.frames, Ropeway()
    many = max(1, round(AT_ONCE_S * again.rate / size))  # packets are made so many at once
    sent = np.concatenate([again.make(many * size) for _ in range(150 // many + 1)])[: 150 * size]
    sent = np.rint(sent / FULL_SCALE * 2**23) / 2**23 * FULL_SCALE
    first = next(i for i in range(150) if i not in node.dropped)
    for i in node.dropped:
        sent[i * size : (i + 1) * size] = np.nan
    got = [np.full((b.length, 3), np.nan) if b.frames is None else b.frames for b in blocks]
    x = np.concatenate(got)
    assert 2 <= len([i for i in node.dropped if i > first]) == listener.counts.lost
    wanted = sent[first * size : first * size + len(x)]
    assert x == pytest.approx(wanted, abs=1e-5, nan_ok=True)
    assert listener.described.channels[1].name == "Gearbox DE"
    assert listener.described.channels[1].unit == "m/s²"


def test_the_nodes_speed_goes_where_it_is_turned() -> None:
    ropeway = Ropeway(speed=24.3)
    ropeway.make(12800)
    ropeway.speed = 26.3
    ropeway.make(3 * 12800)
    before = ropeway.turns
    ropeway.make(12800)
    assert ropeway.turns - before == pytest.approx(26.3, abs=1e-9)
    whole = Ropeway(bearing=True).make(12800)[:, 2]
    assert whole.std() > 1.5 * Ropeway().make(12800)[:, 2].std()
    assert [c.name for c in Ropeway(channels=5).described][3:] == ["Motor DE 2", "Gearbox DE 2"]


def test_a_file_is_played_in_time() -> None:
    x = np.arange(3000.0)
    x[1200:1240] = np.nan
    plain = recording(x, 2 * x, fs=RATE)
    source = PlayedSource.of(replace(plain, samples=Filled(plain.samples, 3000)), 10.0)
    started = time.monotonic()
    blocks = list(source.blocks(lambda: False))
    assert 0.25 < time.monotonic() - started < 1.5
    assert np.array_equal(joined(blocks), x.astype(np.float32), equal_nan=True)
    assert source.counts.lost_samples == 40, "which the recording itself bridges"
    assert source.described.rate == RATE and len(source.described.channels) == 2
    assert list(PlayedSource.of(recording(x, fs=RATE)).blocks(lambda: True)) == []
