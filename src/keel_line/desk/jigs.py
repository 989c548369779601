"""The shelf: the folder of jigs."""

from __future__ import annotations

import logging
import re
from datetime import UTC, datetime
from pathlib import Path

from keel_line.errors import KeelLineError, OutputError
from keel_line.model.form import KnownForm
from keel_line.send.safely import write_safely
from keel_line.tidy.jig_parts import JigPart, list_parts, rename, say_heading, take_out
from keel_line.tidy.jigs import MOST_BYTES, Jig, decode_jig, encode_jig

__all__ = [
    "EARLIER",
    "Jig",
    "JigError",
    "JigPart",
    "Shelf",
    "list_parts",
    "read_jig",
    "rename",
    "say_heading",
    "take_out",
]
"""With what the window needs of jigs."""

log = logging.getLogger(__name__)

ENDING = ".jig"
EARLIER = "Earlier"
_MOST_JIGS, _MOST_EARLIER = 500, 200
_NUMBERS = tuple(f" {k}" for k in range(2, 1000))


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

    def known_forms(self) -> list[KnownForm]:
        """Return the columns of all jigs' forms, as far as they are known; they help to read."""
        return [jig.known for jig in self.jigs() if jig.known is not None]

    def keep(self, jig: Jig) -> Path:
        """Write a jig as a file; one of the same name goes to the folder ``Earlier``.

        Raises
        ------
        OutputError
            When it cannot be written.
        """
        if self._folder is None:
            raise OutputError("The jig was not kept: there is no folder for jigs.")
        _make_folder(self._folder)
        path = self.path_of(jig.name) or _free_path(self._folder, jig.name)
        self._put_by(path, copy=True)
        write_safely(path, lambda part: part.write_bytes(encode_jig(jig)))
        return path

    def change(self, name: str, jig: Jig | None) -> None:
        """Replace the jig with this name by another; by None, remove it.

        What was there goes to the folder ``Earlier``.

        Raises
        ------
        OutputError
            When that cannot be written, or another jig has the new name.
        """
        if jig is not None and jig.name != name and self.path_of(jig.name) is not None:
            raise OutputError(f"There is a jig “{jig.name}” already. Choose another name.")
        path = self.path_of(name)
        if jig is not None:
            self.keep(jig)
        if path is not None and (jig is None or jig.name != name):
            self._put_by(path)

    @property
    def folder(self) -> Path | None:
        """Where the jigs lie."""
        return self._folder

    def path_of(self, name: str) -> Path | None:
        """Return the file of the jig with this name; None if there is none."""
        self.jigs()
        return next(
            (p for p, (_, jig) in self._known.items() if jig.name == name and p.exists()), None
        )

    def _put_by(self, path: Path, *, copy: bool = False) -> None:
        """Move a jig's file to the folder ``Earlier``, or copy it there; the oldest go."""
        if not path.exists():
            return
        folder = path.parent / EARLIER
        _make_folder(folder)
        target = folder / f"{path.stem} {datetime.now(UTC):%Y-%m-%d %H.%M.%S.%f}{ENDING}"
        try:
            data = path.read_bytes()
            write_safely(target, lambda part: part.write_bytes(data))
            if not copy:
                path.unlink()
            for old in sorted(folder.glob(f"*{ENDING}"), key=_when)[:-_MOST_EARLIER]:
                old.unlink()
        except OSError as error:
            raise OutputError(f"{path.name} cannot be changed: {error.strerror}.") from error


def _free_path(folder: Path, name: str) -> Path:
    """Return a new file for a jig with this name."""
    plain = " ".join(re.sub(r"[^\w .,&()-]+", " ", name).split())[:100] or "Jig"
    paths = (folder / f"{plain}{more}{ENDING}" for more in ("", *_NUMBERS))
    return next(p for p in paths if not p.exists())


def _when(path: Path) -> int:
    return path.stat().st_mtime_ns


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise OutputError(f"{folder} cannot be made: {error.strerror}.") from error


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
