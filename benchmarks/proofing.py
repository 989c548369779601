"""What proofing takes: key presses of a clerk, and how soon keys show over thousands of rows."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import dataclass

BIG_PAGES = 100


@dataclass(frozen=True)
class ProofScore:
    """What proofing takes.

    ``presses`` are those beyond the characters that have to be typed, of a clerk who answers
    ``doubts`` on fax pages truthfully; ``keys`` gives (median, worst) milliseconds of each kind of
    key over a docket of ``rows`` rows, with all that is painted for it.
    """

    presses: int
    doubts: int
    rows: int
    keys: dict[str, tuple[float, float]]


def measure_proofing() -> ProofScore:
    """Measure in a process of its own, without a display."""
    run = subprocess.run(
        [sys.executable, "-m", "benchmarks.clerk"],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )
    said = json.loads(run.stdout.strip().splitlines()[-1])
    said["keys"] = {name: tuple(spent) for name, spent in said["keys"].items()}
    return ProofScore(**said)
