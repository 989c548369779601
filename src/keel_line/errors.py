"""The few kinds of trouble that a clerk may be told about, and the expected miss."""

from __future__ import annotations

from dataclasses import dataclass


class KeelLineError(Exception):
    """Trouble of the world's making, told in one sentence with what to do next."""


class InputError(KeelLineError):
    """A file or page that cannot be used as it is."""


class OutputError(KeelLineError):
    """A target that cannot be written."""


class DocketError(KeelLineError):
    """A docket that cannot be opened or saved."""


@dataclass(frozen=True)
class Failed:
    """An expected outcome without a result ("no skew found"); false in a condition."""

    reason: str

    def __bool__(self) -> bool:
        """Be false, so that ``result or default`` reads as it should."""
        return False
