"""Whether what is said of a record is true: every sentence of In short and the cautions is read,
and held against what was put into records of many kinds (:mod:`statement_kinds`).

A record counts as untrue with one untrue sentence, and as lacking with one that is due and is not
there. Run ``python -m benchmarks.statements [trials] [words of kinds]``.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from benchmarks.statement_kinds import KINDS, Range, Record
from benchmarks.truth import made_recording
from tonecomb.core.method.method import default_method
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.in_short import in_short

ALWAYS = {
    "left",
    *("alias-risk", "low-averages", "list-cut", "offset", "frames-level", "near-zero"),
    *("near-limit", "below-cut", "padding", "scalloping", "one-frame", "overlap-gap"),
    *("short-stretch", "uncalibrated"),
}
"""Cautions that say how a record is analysed: true by what they measure."""
SIGMAS, OF_SHARE, ABOUT = 4.0, 0.05, 0.005
_VALUE = r"([\d.]+)(?:\((\d+)\))?"


@dataclass(frozen=True)
class Said:
    """What was said of a record: sentences, codes of cautions, and the analysis."""

    sentences: tuple[str, ...]
    codes: tuple[str, ...]
    analysis: Analysis


def said_of(record: Record) -> Said:
    """All that the program says of a record as it opens."""
    recording = made_recording(record.samples, record.fs)
    analysis = run(default_method(recording), recording)
    found = cautions(analysis, recording)
    sentences = [one.text for one in in_short(analysis, found)]
    sentences += [one.text for one in found if one.text not in sentences]
    return Said(tuple(sentences), tuple(one.code for one in found), analysis)


def _read(value: str, digits: str | None) -> tuple[float, float]:
    """A figure and its standard deviation, as 12.34(5) says it."""
    places = len(value.partition(".")[2])
    return float(value), float(digits or 1) * 10.0**-places


def _within(value: float, std: float, ranges: tuple[Range, ...], more: float = 0.0) -> bool:
    reach = SIGMAS * std + more
    return any(low - reach <= value <= high + reach for low, high in ranges)


def _tone(record: Record, said: Said, match: re.Match[str]) -> bool:
    value, std = _read(match[1], match[2])
    return _within(value, std, record.tones)


def _range(record: Record, said: Said, match: re.Match[str]) -> bool:
    """Whether what moves does so where a tone is."""
    low, high = float(match[1]), float(match[2])
    hz = said.analysis.spectrum.frame_hz
    return any(a - hz <= low and high <= b + hz for a, b in record.tones)


def _noise_band(record: Record, said: Said, match: re.Match[str]) -> bool:
    """Whether nine tenths of what frames can hold lie in a band, by one transform of all."""
    squares = np.abs(np.fft.rfft(record.samples - record.samples.mean())) ** 2
    f = np.fft.rfftfreq(len(record.samples), 1 / record.fs)
    held = f > said.analysis.spectrum.frame_hz
    inside = (f >= float(match[1])) & (f <= float(match[2]))
    return 0.8 < float(squares[held & inside].sum() / squares[held].sum()) < 0.97


def _left(record: Record, said: Said, match: re.Match[str]) -> bool:
    """Whether there is something within a band, of which nothing else is said."""
    low, high = float(match[1]), float(match[2])
    hz = said.analysis.spectrum.frame_hz
    modes = tuple((f * (1 - 20 * d), f * (1 + 20 * d)) for f, d in record.modes)
    every = (*record.tones, *record.broad, *modes)
    return any(a - 8 * hz < high and low < b + 8 * hz for a, b in every) or bool(record.hits)


def _comb(record: Record, said: Said, match: re.Match[str]) -> bool:
    value, std = _read(match[1], match[2])
    return _within(value, std, record.families)


def _mode(record: Record, said: Said, match: re.Match[str]) -> bool:
    f, f_std = _read(match[1], match[2])
    damping, std = _read(match[3], match[4])
    return any(
        abs(f - at) < max(SIGMAS * f_std, 0.5 * ratio * at)
        and abs(damping - 100 * ratio) < max(SIGMAS * std, 0.15 * 100 * ratio)
        for at, ratio in record.modes
    )


def _broad(record: Record, said: Said, match: re.Match[str]) -> bool:
    hz = said.analysis.spectrum.frame_hz
    places = [float(one) for one in re.findall(r"[\d.]+", match[1])]
    return all(_within(one, 2 * hz / SIGMAS, (*record.broad, *record.tones)) for one in places)


def _rate(record: Record, rates: tuple[float, ...], match: re.Match[str]) -> bool:
    value, std = _read(match[1], match[2])
    return any(abs(value - rate) < max(SIGMAS * std, 0.01 * rate) for rate in rates)


def _shares(record: Record, said: Said, match: re.Match[str]) -> bool:
    """Whether the parts add up to 100 %, and as much is tonal as was put in."""
    parts = re.findall(r"(under |over |)(\d+) % ([a-z ]+)", match.string)
    shares = [(0.0 if limit == "under " else float(share), of) for limit, share, of in parts]
    if not 97.0 <= sum(share for share, _ in shares) <= 101.5:
        return False
    tonal = sum(share for share, of in shares if "famil" in of or "tone" in of) / 100
    # What frames hardly weigh may be of either.
    unsaid = sum(share for share, of in shares if " end" in of or "frames" in of) / 100
    off = OF_SHARE + 0.02
    return record.tonal is None or tonal - off < record.tonal < tonal + unsaid + off


def _no_tones(record: Record, said: Said, match: re.Match[str]) -> bool:
    """Whether there are no tones. What runs or comes and goes is one, too."""
    if record.tonal is None:
        return not record.tones or "no tones" in record.may or "that run" in match.string
    return record.tonal < OF_SHARE


CLAIMS: tuple[tuple[str, Callable[[Record, Said, re.Match[str]], bool]], ...] = (
    (r"no tones, no families", _no_tones),
    (r"(?:under |over )?\d+ % in (?:families|single tones|a resonance)", _shares),
    (r"one tone (?:runs|at a time)", lambda r, s, m: "one tone" in r.may),
    (rf"^(?:Family \w|The shaft|[\d.]+ Hz mains): {_VALUE} Hz(?!,? with sidebands)", _comb),
    (rf"^Family \w: {_VALUE} Hz(?= with sidebands)", _tone),
    (rf"sidebands ± {_VALUE} Hz", _comb),
    (rf"^(?:Single tone|One tone): {_VALUE} Hz", _tone),
    (r"(?:^The tone .* moves by .*\(|^Single tone.* moves from )([\d.]+) to ([\d.]+) Hz", _range),
    (rf"^Resonance: {_VALUE} Hz, damping {_VALUE} %", _mode),
    (r"^Broad peaks? .*about (.*) Hz", _broad),
    (r"noise, 90 % of it from ([\d.]+) to ([\d.]+) Hz", _noise_band),
    (r"power, from ([\d.]+) to ([\d.]+) Hz.*nothing that was found", _left),
    (rf"^Hits repeat {_VALUE} times", lambda r, s, m: _rate(r, r.hits, m)),
    (rf"swells {_VALUE} times", lambda r, s, m: _rate(r, r.swells, m)),
    (r"breathe together", lambda r, s, m: "breathes" in r.may),
    (r"\bnan\b|\binf\b|\de[+-]\d|by 0\.0 dB|~ 0 dB", lambda r, s, m: False),
)
"""What sentences claim, by their words, and whether it is so."""


def untrue(record: Record, said: Said) -> list[str]:
    """The sentences that the record contradicts."""
    wrong = [
        text
        for text in said.sentences
        for pattern, true in CLAIMS
        if (match := re.search(pattern, text)) and not true(record, said, match)
    ]
    hits = {"hits"} if record.hits else set()
    swells = {"swells"} if record.swells else set()
    allowed = ALWAYS | set(record.may) | hits | swells
    return wrong + [f"caution {code}" for code in said.codes if code not in allowed]


def lacking(record: Record, said: Said) -> list[str]:
    """The words that are due and not there."""
    text = "\n".join(said.sentences)
    values = np.array([float(one) for one in re.findall(r"\d+\.?\d*", text)] or [np.nan])
    return [
        f"{due:.5g} Hz" if isinstance(due, float) else due
        for due in record.due
        if not (
            re.search(due, text)
            if isinstance(due, str)
            else np.any(np.abs(values / due - 1) < ABOUT)
        )
    ]


def trials(name: str, count: int) -> Iterator[tuple[Record, Said]]:
    """Records of a kind and what was said of them."""
    for seed in range(count):
        rng = np.random.default_rng([seed, *name.encode()])
        record = KINDS[name](rng)
        yield record, said_of(record)


def main(count: int = 3, words: tuple[str, ...] = ()) -> None:
    total = bad = poor = 0
    print("| record | untrue | due, not said | what |\n|:--|--:|--:|:--|")
    for name in KINDS:
        if words and not any(word in name for word in words):
            continue
        what: list[str] = []
        false = lacks = 0
        for record, said in trials(name, count):
            wrong, not_there = untrue(record, said), lacking(record, said)
            false += bool(wrong)
            lacks += bool(not_there)
            what += [one for one in (*wrong, *(f"not said: {one}" for one in not_there))]
        total, bad, poor = total + count, bad + false, poor + lacks
        if false or lacks:
            listed = " · ".join(sorted(set(what)))
            print(f"| {name} | {false} | {lacks} | {listed} |", flush=True)
    print(
        f"\nOf {total} records {bad} have an untrue sentence ({100 * bad / total:.1f} %),", end=" "
    )
    print(f"{poor} lack one that is due ({100 * poor / total:.1f} %).")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3, tuple(sys.argv[2:]))
