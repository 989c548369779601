"""The pages of a TIFF file, found by its own chain of directories.

A picture library walks the chain again for each page, which takes minutes in a file of thousands.
TIFF 6.0, section 2; BigTIFF has offsets and counts of eight bytes.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

_MOST_PAGES = 100_000


@dataclass(frozen=True)
class _Layout:
    """Where a kind of TIFF keeps its first offset, and how it writes counts and offsets."""

    first_at: int
    count: str
    entry: int
    offset: str


_LAYOUTS = {
    b"II*\0": _Layout(4, "<H", 12, "<I"),
    b"MM\0*": _Layout(4, ">H", 12, ">I"),
    b"II+\0": _Layout(8, "<Q", 20, "<Q"),
    b"MM\0+": _Layout(8, ">Q", 20, ">Q"),
}


def find_tiff_pages(data: bytes) -> list[int]:
    """Return the offset (bytes) of each page's directory; empty if the data are no TIFF.

    A damaged chain ends where it can no longer be followed.
    """
    layout = _LAYOUTS.get(data[:4])
    if layout is None:
        return []
    found: dict[int, None] = {}  # in order; a chain that comes back to itself ends
    at = _number(data, layout.first_at, layout.offset)
    while at and at not in found and len(found) < _MOST_PAGES:
        entries = _number(data, at, layout.count)
        if not entries:
            break
        found[at] = None
        at = _number(
            data, at + struct.calcsize(layout.count) + entries * layout.entry, layout.offset
        )
    return list(found)


def begin_at_page(data: bytes, offset: int) -> bytes:
    """Return a TIFF's bytes with the page at ``offset`` first."""
    layout = _LAYOUTS[data[:4]]
    end = layout.first_at + struct.calcsize(layout.offset)
    return data[: layout.first_at] + struct.pack(layout.offset, offset) + data[end:]


def _number(data: bytes, at: int, kind: str) -> int:
    """Return the number at a place; 0 where the data end before it."""
    if at + struct.calcsize(kind) > len(data):
        return 0
    (value,) = struct.unpack_from(kind, data, at)
    return int(value)
