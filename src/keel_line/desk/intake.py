"""Adds files in a worker (reads, counts and copies them), and finds a source's bytes again."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from keel_line.docket.sources import copy_source, read_source_bytes
from keel_line.errors import InputError, KeelLineError
from keel_line.gather.sources import count_pages, find_scans, hash_bytes, read_file


@dataclass(frozen=True)
class FileSource:
    """A source that is not copied: its file, and the SHA-256 of its bytes."""

    path: Path
    sha256: str

    def read(self) -> bytes:
        """Return its bytes.

        Raises
        ------
        InputError
            When the file is gone, or is not what it was.
        """
        data = read_file(self.path)
        if hash_bytes(data) != self.sha256:
            raise InputError(f"{self.path.name} changed while it was read. Add it again.")
        return data


@dataclass(frozen=True)
class DocketSource:
    """A source whose bytes a docket keeps."""

    docket: Path
    source_id: int
    name: str
    sha256: str

    def read(self) -> bytes:
        """Return its bytes.

        Raises
        ------
        InputError
            When they are not what came in.
        """
        data = read_source_bytes(self.docket, self.source_id)
        if hash_bytes(data) != self.sha256:
            raise InputError(
                f"The docket's copy of {self.name} is damaged. Add the file again from its folder."
            )
        return data


@lru_cache(maxsize=1)  # pages of one source follow one another
def read_stored(source: FileSource | DocketSource) -> bytes:
    """Return a source's bytes, cached for its next page."""
    return source.read()


@dataclass(frozen=True)
class Taken:
    """The outcome of adding a file: its pages, or ``trouble`` in plain words.

    ``known`` says that the docket has the same bytes already.
    """

    path: Path
    sha256: str = ""
    pages: int = 0
    trouble: str = ""
    known: bool = False


def find_files(path: Path) -> list[Path] | Taken:
    """Return a file itself, or the scans in a folder; trouble where it holds none."""
    try:
        return find_scans(path) if path.is_dir() else [path]
    except KeelLineError as error:
        return Taken(path, trouble=str(error))


def take_in(path: Path, docket: Path | None) -> Taken:
    """Read a file, count its pages, and copy it into a docket that is a file."""
    try:
        data = read_file(path)
        sha256 = hash_bytes(data)
        pages = count_pages(data, path.name)
        if docket is None:
            return Taken(path, sha256, pages)
        copied = copy_source(docket, path.name, data, sha256, pages)
        return Taken(path, sha256, pages, known=not copied)
    except KeelLineError as error:
        return Taken(path, trouble=str(error))
    except MemoryError:
        return Taken(path, trouble=f"{path.name} is too large to add. Split it into smaller files.")
