"""Memory: errors that mean it ran out, and pauses of the garbage collector.

Cells and readings are trees without cycles; a hundred thousand of them make each search take about
a second, and loading them starts many.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def collection_paused() -> Iterator[None]:
    """Pause the garbage collector while a great many objects are made."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def freeze_objects() -> None:
    """Exclude all objects that exist now from later garbage collections.

    What is not used any more still goes at once, by its count of references.
    """
    gc.freeze()


def is_lack_of_memory(error: BaseException) -> bool:
    """Return whether an exception means that memory ran out; each library has its own."""
    if isinstance(error, MemoryError):
        return True
    words = str(error).lower()
    return any(w in words for w in ("bad_alloc", "insufficient memory", "failed to allocate"))
