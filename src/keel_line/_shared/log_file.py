"""The log file: what went wrong, when and where in the program; never what a page says."""

from __future__ import annotations

import logging
import os
import traceback
from copy import copy
from io import FileIO, TextIOWrapper
from pathlib import Path
from types import TracebackType

import platformdirs
from typing_extensions import override

MOST_BYTES, KEPT = 1_000_000, 3
_LINE = "%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"


def log_path() -> Path:
    """Return where the log file is, in the user's state folder."""
    return platformdirs.user_state_path("keel-line", appauthor=False) / "keel-line.log"


def open_log(*, begin: bool = True) -> Path | None:
    """Send warnings and errors to the log file; return its path, None where it cannot be written.

    With ``begin`` a log of more than 1 MB is put aside first, and three such are kept. Processes
    that write to it as well leave that to the first.
    """
    path = log_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if begin and path.exists() and path.stat().st_size > MOST_BYTES:
            for number in range(KEPT, 0, -1):
                older = path if number == 1 else path.with_suffix(f".log.{number - 1}")
                if older.exists():
                    older.replace(path.with_suffix(f".log.{number}"))
        handler = _OwnersFile(path, encoding="utf-8", errors="backslashreplace", delay=True)
    except OSError:
        return None  # a program that cannot log works all the same
    handler.setLevel(logging.WARNING)
    handler.setFormatter(_PlacesOnly(_LINE))
    logging.getLogger().addHandler(handler)
    return path


class _OwnersFile(logging.FileHandler):
    """A log file that only its owner can read; the first message creates it."""

    @override
    def _open(self) -> TextIOWrapper:
        file = os.open(self.baseFilename, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
        return TextIOWrapper(FileIO(file, "a"), encoding=self.encoding, errors=self.errors)

    @override
    def handleError(self, record: logging.LogRecord) -> None:
        """Say nothing: a full disk must not stop what is being done."""


class _PlacesOnly(logging.Formatter):
    """Tells of an error its kind and where it was; its words may repeat what a page says."""

    @override
    def format(self, record: logging.LogRecord) -> str:
        own = copy(record)
        own.exc_text = None  # another handler may have left the whole of it there
        return super().format(own)

    @override
    def formatException(
        self,
        ei: tuple[type[BaseException], BaseException, TracebackType | None]
        | tuple[None, None, None],
    ) -> str:
        error = ei[1]
        causes = []
        while error is not None:
            places = "".join(traceback.format_tb(error.__traceback__))
            causes.append(f"{places}{type(error).__name__}")
            error = error.__cause__ or error.__context__
        return "\n".join(causes)
