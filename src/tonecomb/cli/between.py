"""The command line's options for what is between channels: taps, transfer functions, modes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from tonecomb.cli.common import channel_of
from tonecomb.core.base.errors import UserError
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.sketch import WAYS, Sketch, place_from
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.signal import Signal

BETWEEN_OPTIONS = (
    click.option(
        "--taps",
        is_flag=True,
        help="Find taps: with --reference, the hammer's channel, transfer functions from them; "
        "without, what rings after each.",
    ),
    click.option(
        "--reference",
        metavar="CHANNEL",
        help="Transfer functions of the other channels (or those of --channel) over this one.",
    ),
    click.option(
        "--place",
        "places",
        multiple=True,
        metavar="CHANNEL:X:Y:Z[:DIR]",
        help="Where a channel sits (m) and which way it looks (+x to -z): for files of the "
        "transfer function, and for reciprocity. Repeatable.",
    ),
    click.option(
        "--against",
        type=click.Path(path_type=Path),
        metavar="FILE",
        help="Hold the modes against those of this recording by the same method: MAC, and "
        "reciprocity where places say that force and answer changed.",
    ),
    click.option(
        "--against-place",
        "against_places",
        multiple=True,
        metavar="CHANNEL:X:Y:Z[:DIR]",
        help="The same as --place, for the recording of --against.",
    ),
    click.option(
        "--response",
        "estimator",
        type=click.Choice(["h1", "h2", "hv"]),
        help="Estimator of the transfer function: h1.",
    ),
    click.option(
        "--form",
        type=click.Choice(["receptance", "mobility", "accelerance"]),
        help="Show the transfer function as this.",
    ),
    click.option(
        "--exponential",
        type=float,
        metavar="S",
        help="Time constant of an exponential over taps; its damping is taken off the modes.",
    ),
    click.option("--set-aside", metavar="N,N", help="Taps that do not count."),
    click.option("--take", metavar="N,N", help="Taps that count whatever is wrong with them."),
    click.option(
        "--modes",
        metavar="LOW:HIGH[:ORDER]",
        help="Fit modes between these frequencies in Hz, with models up to an order: 40.",
    ),
)
"""Options that :func:`between_of` and :func:`sketch_of` understand."""


def between_of(signal: Signal, settings: dict[str, Any]) -> FrfSettings | None:
    """The transfer function that the call asks for."""
    taps, reference = settings["taps"], settings["reference"]
    if not taps and reference is None:
        for name in ("estimator", "form", "exponential", "set_aside", "take", "modes"):
            if settings[name] is not None:
                raise UserError(
                    f"--{name.replace('_', '-').replace('estimator', 'response')} is of a transfer "
                    "function",
                    remedy="add --reference, --taps, or both",
                )
        return None
    number = None
    if reference is not None:
        number = channel_of(signal.name, signal.channels, reference)
    low, high, order = 0.0, 0.0, 40
    if (text := settings["modes"]) is not None:
        parts = text.split(":")
        try:
            low, high = float(parts[0]), float(parts[1])
            order = int(parts[2]) if len(parts) > 2 else order
            if len(parts) > 3:
                raise ValueError
        except (ValueError, IndexError) as error:
            raise UserError(
                f"‘{text}’ is no range for modes", remedy="give it like 20:600, or 20:600:30"
            ) from error
    chosen = {name: settings[name] for name in ("estimator", "form") if settings[name]}
    return FrfSettings(
        number,
        settings["answers"],
        taps,
        decay=settings["exponential"] or 0.0,
        aside=_whole("--set-aside", settings["set_aside"]),
        taken=_whole("--take", settings["take"]),
        low=low,
        high=high,
        order=order,
        **chosen,
    )


def sketch_of(signal: Recording | Signal, places: tuple[str, ...]) -> Sketch:
    """Where channels sit, as the call says: ``CHANNEL:X:Y:Z[:DIR]``."""
    found = []
    for text in places:
        # A channel's name may hold colons; what follows it never does.
        parts = text.rsplit(":", 4) if text.rsplit(":", 1)[-1] in WAYS else text.rsplit(":", 3)
        number = channel_of(signal.name, signal.channels, parts[0])
        found.append(place_from(":".join(parts[1:]), number))
    return Sketch(tuple(found))


def _whole(option: str, text: str | None) -> tuple[int, ...]:
    try:
        return () if text is None else tuple(int(one) for one in text.split(","))
    except ValueError as error:
        raise UserError(f"{option} takes numbers of taps", remedy="like 5,9") from error
