"""Every kind of part that there is. To add one: its module, and a line here."""

from __future__ import annotations

from tonecomb.core.synthesis.hits import Hits
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.part import Part
from tonecomb.core.synthesis.tones import Sweep, Teeth, Tone
from tonecomb.core.synthesis.waves import Pulses, Square, Triangle

PARTS: list[type[Part]] = [Tone, Teeth, Sweep, Square, Triangle, Pulses, Hits, Noise]
