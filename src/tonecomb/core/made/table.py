"""Every kind of part that there is. To add one: its module, and a line here."""

from __future__ import annotations

from tonecomb.core.made.hits import Hits
from tonecomb.core.made.noise import Noise
from tonecomb.core.made.part import Part
from tonecomb.core.made.tones import Sweep, Teeth, Tone
from tonecomb.core.made.waves import Pulses, Square, Triangle

PARTS: list[type[Part]] = [Tone, Teeth, Sweep, Square, Triangle, Pulses, Hits, Noise]
