"""From what a recorder wrote to what a sensor felt."""

from __future__ import annotations

from dataclasses import replace

from tonecomb.core.base.units import PLAIN, conversion, unit
from tonecomb.core.record.recording import Channel, Recording
from tonecomb.core.record.resampling import Affine
from tonecomb.core.record.sensors import ChannelGiven, said_of


def calibrated(recording: Recording, said: tuple[ChannelGiven, ...]) -> Recording:
    """The recording with its channels calibrated, converted and named as said; nothing is read.

    Raises :class:`UserError` where a unit cannot be converted into the other.
    """
    channels, factors, offsets = [], [], []
    for channel in recording.channels:
        factor, offset, shown = 1.0, 0.0, channel
        if (given := said_of(said, channel.name)) is not None:
            shown, factor, offset = _applied(channel, given)
        channels.append(shown)
        factors.append(factor)
        offsets.append(offset)
    if all(f == 1 for f in factors) and not any(offsets):
        return replace(recording, channels=tuple(channels))
    samples = Affine(recording.samples, tuple(factors), tuple(offsets))
    return replace(recording, channels=tuple(channels), samples=samples)


def _applied(channel: Channel, given: ChannelGiven) -> tuple[Channel, float, float]:
    """The channel as it is shown; its samples are multiplied and added to."""
    factor, offset = 1.0, 0.0
    symbol = channel.unit if given.unit is None else unit(given.unit).symbol
    if (c := given.calibration) is not None:
        c.check()
        # A reading in V and a sensitivity in mV; counts and FS are taken as they stand.
        plain = symbol in PLAIN or c.raw in PLAIN
        raw = 1.0 if plain else conversion(symbol, c.raw)
        factor = raw / (c.gain * c.sensitivity)
        offset = -c.offset / c.sensitivity
        symbol = unit(c.unit).symbol
    if given.shown_in is not None:
        size = conversion(symbol, given.shown_in)
        factor, offset, symbol = factor * size, offset * size, unit(given.shown_in).symbol
    return Channel(given.name or channel.name, symbol), factor, offset
