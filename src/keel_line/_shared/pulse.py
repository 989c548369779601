"""Signs of life: long work reports now and then that it is still running."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_listener: ContextVar[Callable[[], None] | None] = ContextVar("pulse", default=None)


def pulse() -> None:
    """Report that the work at hand is still running."""
    listener = _listener.get()
    if listener is not None:
        listener()


@contextmanager
def listening(listener: Callable[[], None]) -> Iterator[None]:
    """Call ``listener`` at each pulse of the work in this context."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)
