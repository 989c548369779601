"""Worker processes for benchmarks and training."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context


def open_workers(count: int | None = None) -> ProcessPoolExecutor:
    """Open a pool of ``count`` processes, by default one a core.

    They start anew: after a fork the threads of libraries are missing, and some work never ends.
    """
    return ProcessPoolExecutor(count or os.cpu_count(), mp_context=get_context("spawn"))
