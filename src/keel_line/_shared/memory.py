"""Memory: when it runs out, and keeping the interpreter's search for cycles out of the way.

Cells and readings are trees without cycles; a hundred thousand of them make each search take about
a second, and loading them starts many.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def no_collection() -> Iterator[None]:
    """Put the search for cycles off while a great many objects are made."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def set_aside() -> None:
    """Leave everything that lives now out of later searches for cycles.

    What is not used any more still goes at once, by its count of references.
    """
    gc.freeze()


def is_lack_of_memory(error: BaseException) -> bool:
    """Tell whether an exception says that memory ran out; each library has one of its own."""
    if isinstance(error, MemoryError):
        return True
    words = str(error).lower()
    return any(w in words for w in ("bad_alloc", "insufficient memory", "failed to allocate"))
