"""Sources: the files that pages come from, kept unchanged."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from pathlib import Path

from keel_line.errors import InputError
from keel_line.gather.pdf import count_pdf_pages, load_pdf_page
from keel_line.gather.pictures import count_picture_pages, load_picture_page
from keel_line.model.page import Page

PICTURE_ENDINGS = (
    ".png",
    ".jpg",
    ".jpeg",
    ".tif",
    ".tiff",
    ".webp",
    ".bmp",
    ".pbm",
    ".pgm",
    ".ppm",
    ".pnm",
)
ENDINGS = (*PICTURE_ENDINGS, ".pdf")


@dataclass(frozen=True)
class Source:
    """A file's name, its bytes and their SHA-256, and how many pages it has."""

    name: str
    data: bytes
    sha256: str
    pages: int


def find_scans(folder: Path) -> list[Path]:
    """Return the pictures and PDFs in a folder and its subfolders, in order of their numbers.

    Figures count as numbers: page 2 stands before page 10.

    Raises
    ------
    InputError
        When it holds none.
    """
    found = [p for p in folder.rglob("*") if p.suffix.lower() in ENDINGS and p.is_file()]
    if not found:
        raise InputError(f"The folder {folder.name} holds no pictures or PDFs.")
    return sorted(found, key=lambda p: _in_order(str(p.relative_to(folder))))


def _in_order(name: str) -> list[tuple[int, str]]:
    parts = re.split(r"(\d+)", name.casefold())
    return [(int(part), "") if part.isdecimal() else (0, part) for part in parts]


def read_file(path: Path) -> bytes:
    """Return a file's bytes.

    Raises
    ------
    InputError
        When it is missing, a folder, or unreadable.
    """
    if path.is_dir():
        raise InputError(f"{path.name} is a folder. Choose the files in it.")
    if path.exists() and not path.is_file():
        raise InputError(f"{path.name} is not a file. Choose a picture or PDF.")
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise InputError(f"{path} does not exist. Check its name.") from error
    except OSError as error:
        raise InputError(f"{path.name} cannot be read: {error.strerror}.") from error


def hash_bytes(data: bytes) -> str:
    """Return the SHA-256 that identifies a source."""
    return hashlib.sha256(data).hexdigest()


def count_pages(data: bytes, name: str) -> int:
    """Count the pages of a source's bytes.

    Raises
    ------
    InputError
        When they are no picture or PDF that can be read.
    """
    return (count_pdf_pages if _is_pdf(data) else count_picture_pages)(data, name)


def make_source(name: str, data: bytes) -> Source:
    """Make a source from bytes."""
    return Source(name, data, hash_bytes(data), count_pages(data, name))


def load_page(data: bytes, name: str, number: int, *, no_colour: bool = False) -> Page:
    """Load page ``number`` (from 1) of a source's bytes; ``no_colour`` drops coloured lines."""
    load = load_pdf_page if _is_pdf(data) else load_picture_page
    return load(data, name, number, no_colour=no_colour)


def _is_pdf(data: bytes) -> bool:
    return b"%PDF-" in data[:1024]
