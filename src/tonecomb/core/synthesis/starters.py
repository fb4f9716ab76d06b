"""Made recordings to begin with: each shows one thing, and says what to try."""

from __future__ import annotations

from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.synthesis.hits import Hits, RungMode
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.tones import Sweep, Tone


@dataclass(frozen=True)
class Starter:
    """``key`` on the command line, ``title`` in menus."""

    key: str
    title: str
    made: Made


PLAIN = Made(
    "made signal",
    parts=(Tone(61.8, 2.0),),
    sampling=Sampling(256.0, 256),
    hint="A tone of 61.8 Hz, sampled for one second. Click a word to change it, or turn the wheel "
    "over it.\nLower the rate below 123.6 Hz and see where the tone goes.",
)
"""What a new one begins with."""

STARTERS: tuple[Starter, ...] = (
    Starter(
        "two-tones",
        "Two tones closer than a bin",
        Made(
            "two motors",
            parts=(Tone(24.3, 1.0), Tone(24.6, 0.8, phase=60.0), Noise(amount=0.01)),
            sampling=Sampling(256.0, 512),
            hint="Two drive motors turn at 24.3 and 24.6 Hz. In 2 s they are one line, with a "
            "frequency that is neither.\nRaise the number of samples to 4096 and the frame with "
            "it: "
            "then there are two.",
        ),
    ),
    Starter(
        "above-nyquist",
        "A tone above Nyquist",
        Made(
            "gear mesh, too slow",
            parts=(Tone(24.3, 0.5), Tone(413.1, 1.0, phase=30.0), Noise(amount=0.01)),
            sampling=Sampling(500.0, 5000, 16, 5.0),
            hint="The gear mesh at 413.1 Hz is sampled at 500 Hz, with nothing before the "
            "converter: "
            "it shows at 86.9 Hz.\nRaise the rate past 826.2 Hz, or put a low-pass at 200 Hz "
            "before "
            "it.",
        ),
    ),
    Starter(
        "sweep",
        "A sweep",
        Made(
            "motor run-up",
            parts=(Sweep(5.0, 29.0, "linear", 1.0), Noise(amount=0.02)),
            sampling=Sampling(256.0, 5120),
            hint="The motor runs up from 5 to 29 Hz in 20 s: the averaged spectrum is a "
            "plateau, and "
            "no peak of it is true.\nPress 4 for the spectrogram, or choose another law of the "
            "sweep.",
        ),
    ),
    Starter(
        "hits",
        "Hits on a resonance",
        Made(
            "bracket, struck",
            parts=(
                Hits(0.5, 2.0, (RungMode(61.8, 1.5, 2.0), RungMode(143.0, 1.0, 1.0))),
                Noise(amount=0.01),
            ),
            sampling=Sampling(1024.0, 20480),
            hint="Every two seconds the tower bracket is struck, and rings at 61.8 and 143 Hz "
            "until it "
            "fades.\nLower a damping to 0.1 % and see which frame can still tell it.",
        ),
    ),
    Starter(
        "gear",
        "A gear with sidebands",
        Made(
            "worn gear",
            parts=(Tone(413.1, 0.9, am=30.0, am_rate=24.3), Tone(24.3, 0.3), Noise(amount=0.02)),
            sampling=Sampling(2048.0, 20480, 16, 5.0),
            hint="A mesh at 413.1 Hz swings by 30 % with each turn of the shaft, 24.3 times a "
            "second: "
            "two sidebands.\nLet its frequency swing too, by 0.5 %: the two become unequal.",
        ),
    ),
)


def starter(key: str) -> Made:
    """The starter with this key; :class:`UserError` where there is none."""
    found = next((one.made for one in STARTERS if one.key == key), None)
    if found is None:
        known = ", ".join(one.key for one in STARTERS)
        raise UserError(f"There is no starter ‘{key}’", remedy=f"choose from {known}")
    return found
