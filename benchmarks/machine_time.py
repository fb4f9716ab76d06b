"""How machines whose speed breathes are read: warps, families, modes, false ones, and controls.

``python -m benchmarks.machine_time [SEEDS]`` prints one row a kind.
"""

from __future__ import annotations

import sys
import time

import numpy as np

import tonecomb
from benchmarks.accuracy import recording
from benchmarks.breathing import CONTROLS, LAWS, Machine, control, machine
from tonecomb.core.results.analysis import Analysis

_KINDS = tuple((kind, rms) for kind in LAWS[:4] for rms in (1e-4, 6e-4, 3e-3, 1e-2))


def read(samples: np.ndarray, fs: float) -> tuple[Analysis, float]:
    """The analysis, and the processor's seconds for it."""
    start = time.process_time()
    analysis = tonecomb.analyse(recording(samples, fs)).analysis
    return analysis, time.process_time() - start


def judged(made: Machine, a: Analysis) -> dict[str, float]:
    """Of one machine: what was read rightly, what was not."""
    families = [one for one in a.combs if one.carrier is None]
    wanted = [made.shaft, made.shaft * made.hits]
    near = [any(abs(one.spacing / f - 1) < 3e-4 for one in families) for f in wanted]
    false = sum(
        not any(abs(one.spacing / f - round(one.spacing / f)) < 1e-3 for f in wanted)
        for one in families
    )
    modes = sum(
        any(
            abs(one.frequency / f - 1) < 0.02 and abs(one.damping / z - 1) < 0.4
            for one in a.resonances
        )
        for f, z in made.modes
    )
    ghosts = sum(
        not any(abs(one.frequency / f - 1) < 0.04 for f, _ in made.modes) for one in a.resonances
    )
    held = [
        abs(one.frequency - f) < 1.96 * one.frequency_std
        for f, _ in made.modes
        for one in a.resonances
        if abs(one.frequency / f - 1) < 0.02
    ]
    error = np.nan
    if a.machine is not None:
        at = np.arange(0, len(made.samples), 64) / made.fs
        inside = (at > 1) & (at < at[-1] - 1)
        off = a.machine.warp.swing(at) - made.swing[::64]
        error = float(np.std(off[inside]) / np.std(made.swing))
    return {
        "warp": a.machine is not None and error < 0.5,
        "error": error,
        "shaft": near[0],
        "hits": near[1],
        "false families": false,
        "modes": modes / len(made.modes),
        "false modes": ghosts,
        "mode intervals": float(np.mean(held)) if held else np.nan,
    }


def main(seeds: int = 6) -> None:
    """Print the table."""
    for kind, rms in _KINDS:
        rows, seconds = [], 0.0
        for seed in range(seeds):
            made = machine(kind, rms, seed)
            a, took = read(made.samples, made.fs)
            rows.append(judged(made, a))
            seconds += took
        means = {key: np.nanmean([row[key] for row in rows]) for key in rows[0]}
        told = ", ".join(f"{key} {value:.3g}" for key, value in means.items())
        print(f"{kind:>7} {rms:7.0e}: {told}, {seconds / seeds:.1f} s", flush=True)
    for kind in CONTROLS:
        claims = [read(control(kind, seed), 6000.0)[0].machine is not None for seed in range(seeds)]
        print(f"{kind}: {sum(claims)} of {seeds} claimed", flush=True)


if __name__ == "__main__":
    main(*(int(one) for one in sys.argv[1:]))
