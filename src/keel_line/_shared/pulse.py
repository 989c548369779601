"""Sign of life: long work says now and then that it goes on, whoever listens."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_listener: ContextVar[Callable[[], None] | None] = ContextVar("pulse", default=None)


def pulse() -> None:
    """Tell whoever listens that the work at hand goes on."""
    listener = _listener.get()
    if listener is not None:
        listener()


@contextmanager
def listening(listener: Callable[[], None]) -> Iterator[None]:
    """Have ``listener`` called at each pulse of the work in this context."""
    token = _listener.set(listener)
    try:
        yield
    finally:
        _listener.reset(token)
