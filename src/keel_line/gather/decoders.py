"""Turns any exception of a decoder into one sentence; limits of page size."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from keel_line.errors import InputError

LEAST_SIDE_PX = 16
MOST_ASPECT = 40
"""Longer side over the shorter: what is beyond is a strip, not a page."""

MOST_PIXELS = 150_000_000
"""Largest page that is taken: A0 at 300 dpi in grey. What is larger takes too much memory."""

MOST_SAMPLES = 220_000_000
"""Most pixels times colours: A3 at 600 dpi in colour."""


@contextmanager
def reported_as(words: str) -> Iterator[None]:
    """Report any exception of a decoder as an input error in these words.

    Raises
    ------
    InputError
        For any exception but a lack of memory.
    MemoryError
        For that.
    """
    try:
        yield
    except (InputError, MemoryError):
        raise
    except Exception as error:
        raise InputError(words) from error
