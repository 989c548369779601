"""Workers of the benchmarks."""

from __future__ import annotations

import numpy as np

from benchmarks.workers import open_workers
from keel_line.read.network import Network


def read_white(wide: int) -> int:
    """Read white paper of a width in px; return how many lines came out."""
    return len(Network(threads=2).run([np.full((48, wide), 255, np.uint8)]))


def test_workers_read_also_where_their_parent_has_read_before() -> None:
    assert read_white(64) == 1
    with open_workers(1) as pool:
        assert pool.submit(read_white, 128).result(timeout=60) == 1
