"""What decoders may raise over a damaged file, told in one sentence; the largest page taken."""

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
def told_as(words: str) -> Iterator[None]:
    """Tell whatever a decoder trips over in a damaged file in these words.

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
