"""``tone-comb node``: the simulated sensor node."""

from __future__ import annotations

import select
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from tonecomb.cli.common import Seconds, say
from tonecomb.core.base.errors import UserError
from tonecomb.formats import atomic

if TYPE_CHECKING:
    from tonecomb.demo.node import Ropeway

_KEYS = "+ faster, - slower, b bearing, q quit"


@click.command()
@click.option("--speed", type=float, metavar="HZ", help="The motor's turns a second: 24.3.")
@click.option(
    "--rate",
    type=click.IntRange(100, 200_000),
    default=12800,
    metavar="HZ",
    help="Samples a second: 12800.",
)
@click.option("--channels", type=click.IntRange(1, 32), default=3, help="How many: 3.")
@click.option("--encoding", type=click.Choice(["L16", "L24"]), default="L24", help="Of samples.")
@click.option("--address", default="127.0.0.1", metavar="IP", help="Where it sends: this machine.")
@click.option("--port", type=click.IntRange(1, 65535), default=5004, help="5004.")
@click.option(
    "--loss",
    type=click.FloatRange(0, 90),
    default=0.0,
    metavar="PERCENT",
    help="Packets that get lost.",
)
@click.option(
    "--reorder",
    type=click.FloatRange(0, 90),
    default=0.0,
    metavar="PERCENT",
    help="Packets that change places with the next.",
)
@click.option("--bearing", is_flag=True, help="A sheave's bearing is broken.")
@click.option(
    "--sdp",
    "file",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write the stream's description there.",
)
@click.option(
    "--keys", is_flag=True, help="Take keys from a pipe too: + faster, - slower, b bearing."
)
@click.option("--duration", type=Seconds(), help="Stop by itself.")
def node(
    speed: float | None,
    rate: int,
    channels: int,
    encoding: str,
    address: str,
    port: int,
    loss: float,
    reorder: float,
    bearing: bool,
    file: Path | None,
    keys: bool,
    duration: float | None,
) -> None:
    """Send the ropeway's drive as a network stream (RTP), until it is stopped. Its description is
    printed, to be saved as a .sdp file."""
    import ipaddress

    from tonecomb.demo.node import SPEEDS, Node, Ropeway

    try:
        address = str(ipaddress.ip_address(address))
    except ValueError as error:
        raise UserError(f"{address} is no address", remedy="give one like 127.0.0.1") from error
    ropeway = Ropeway(float(rate), channels, bearing=bearing)
    if speed is not None:
        if not SPEEDS[0] <= speed <= SPEEDS[1]:
            raise UserError(
                f"The motor cannot turn {speed:g} times a second",
                remedy=f"give {SPEEDS[0]:g} to {SPEEDS[1]:g}",
            )
        ropeway.speed = speed
        ropeway.__post_init__()
    made = Node(ropeway, address, port, encoding, loss, reorder)
    text = made.session.text()
    if file is not None:
        atomic.write_text(file, text)
    say(text.replace("\r\n", "\n"), nl=False)
    sys.stdout.flush()
    quit_ = threading.Event()
    end = None if duration is None else time.monotonic() + duration
    if keys and not sys.stdin.isatty():
        threading.Thread(target=_pipe, args=(ropeway, quit_), daemon=True).start()
    if sys.stdin.isatty():
        say(_KEYS, err=True)
        threading.Thread(target=_listen, args=(ropeway, quit_), daemon=True).start()
    made.run(lambda: quit_.is_set() or (end is not None and time.monotonic() > end))


def _pipe(ropeway: Ropeway, quit_: threading.Event) -> None:
    """Keys that another program sends. Where it is gone, killed perhaps, the node goes too: it
    would send on for ever."""
    while not quit_.is_set() and (key := sys.stdin.read(1)):
        _press(ropeway, key, quit_)
    quit_.set()


def _press(ropeway: Ropeway, key: str, quit_: threading.Event) -> str:
    """What a key does, and says."""
    from tonecomb.demo.node import SPEEDS

    if key in ("+", "-"):
        there = ropeway.speed + (1 if key == "+" else -1)
        ropeway.speed = min(max(there, SPEEDS[0]), SPEEDS[1])
        return f"{ropeway.speed:.1f} Hz"
    if key == "b":
        ropeway.bearing = not ropeway.bearing
        return f"bearing {'broken' if ropeway.bearing else 'whole'}"
    if key == "q":
        quit_.set()
    return ""


def _listen(ropeway: Ropeway, quit_: threading.Event) -> None:
    """Keys change what is sent."""
    import termios
    import tty

    before = termios.tcgetattr(sys.stdin)
    tty.setcbreak(sys.stdin)
    try:
        while not quit_.is_set():
            if not select.select([sys.stdin], [], [], 0.2)[0]:
                continue
            if said := _press(ropeway, sys.stdin.read(1), quit_):
                say(said, err=True)
    finally:
        termios.tcsetattr(sys.stdin, termios.TCSADRAIN, before)
