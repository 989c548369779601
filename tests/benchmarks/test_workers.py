"""Workers of the benchmarks."""

from __future__ import annotations

from benchmarks.workers import open_workers

_KEPT: list[str] = []


def count_kept() -> int:
    """Return how much this process keeps."""
    return len(_KEPT)


def test_workers_start_anew_with_nothing_of_their_parent() -> None:
    _KEPT.append("a lock that some thread holds")
    assert count_kept() == 1
    with open_workers(1) as pool:
        assert pool.submit(count_kept).result(timeout=60) == 0
