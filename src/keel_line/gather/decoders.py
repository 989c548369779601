"""What decoders may raise over a damaged file, told in one sentence; the largest page taken."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from keel_line.errors import InputError

LEAST_SIDE_PX = 16
MOST_PIXELS = 200_000_000
"""Largest page that is taken: about A0 at 360 dpi in grey."""

MOST_SAMPLES = 300_000_000
"""Most pixels times colours: about A1 at 360 dpi in colour."""


@contextmanager
def told_as(words: str) -> Iterator[None]:
    """Tell whatever a decoder trips over in a damaged file in these words.

    Raises
    ------
    InputError
        For any exception but a lack of memory.
    """
    try:
        yield
    except (InputError, MemoryError):
        raise
    except Exception as error:
        raise InputError(words) from error
