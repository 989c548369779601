"""The errors shown to the clerk, and the expected miss."""

from __future__ import annotations

from dataclasses import dataclass


class KeelLineError(Exception):
    """An error from outside the program, in one sentence with advice."""


class InputError(KeelLineError):
    """A file or page that cannot be used as it is."""


class OutputError(KeelLineError):
    """A target that cannot be written."""


class StoppedError(KeelLineError):
    """The clerk stopped what was under way."""


class DocketError(KeelLineError):
    """A docket that cannot be opened or saved."""


@dataclass(frozen=True)
class Failed:
    """An expected outcome without a result ("no skew found"); false in a condition."""

    reason: str

    def __bool__(self) -> bool:
        """Be false, so that ``result or default`` reads as it should."""
        return False
