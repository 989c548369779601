"""The shelf: the folder of jigs."""

from __future__ import annotations

import logging
import re
from pathlib import Path

from keel_line.errors import KeelLineError, OutputError
from keel_line.send.safely import write_safely
from keel_line.tidy.jigs import MOST_BYTES, Jig, decode_jig, encode_jig

log = logging.getLogger(__name__)

ENDING = ".jig"
_MOST_JIGS = 500


class JigError(KeelLineError):
    """A file is no jig."""


class Shelf:
    """Jigs in a folder, each a file.

    ``folder`` None keeps none.
    """

    def __init__(self, folder: Path | None) -> None:
        self._folder = folder
        self._known: dict[Path, tuple[int, Jig]] = {}

    def jigs(self) -> list[Jig]:
        """Return all jigs by name; a file that is none is passed over and logged."""
        if self._folder is None or not self._folder.is_dir():
            return []
        found = []
        for path in sorted(self._folder.glob(f"*{ENDING}"))[:_MOST_JIGS]:
            try:
                changed = path.stat().st_mtime_ns
                known = self._known.get(path)
                if known is None or known[0] != changed:
                    known = self._known[path] = changed, read_jig(path)
                found.append(known[1])
            except (OSError, JigError):
                log.exception("the jig %s", path)
        return found

    def keep(self, jig: Jig) -> Path:
        """Write a jig as a file; one of the same name is replaced.

        Raises
        ------
        OutputError
            When it cannot be written.
        """
        if self._folder is None:
            raise OutputError("The jig was not kept: there is no folder for jigs.")
        try:
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise OutputError(f"{self._folder} cannot be made: {error.strerror}.") from error
        plain = " ".join(re.sub(r"[^\w .,&()-]+", " ", jig.name).split())[:100] or "Jig"
        path = self._folder / f"{plain}{ENDING}"
        write_safely(path, lambda part: part.write_bytes(encode_jig(jig)))
        return path


def read_jig(path: Path) -> Jig:
    """Read a jig from its file.

    Raises
    ------
    JigError
        When it cannot be read or is none.
    """
    try:
        with path.open("rb") as file:
            return decode_jig(file.read(MOST_BYTES + 1))
    except OSError as error:
        raise JigError(f"{path.name} cannot be read: {error.strerror}.") from error
    except ValueError as error:
        raise JigError(f"{path.name} is no jig, or is damaged. Keep it again.") from error
