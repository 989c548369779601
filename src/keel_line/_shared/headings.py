"""Compares the columns and headings of two tables, to tell whether they are of one form."""

from __future__ import annotations

from collections.abc import Sequence

from keel_line._shared.texts import are_alike, differ_in

_SHARE = 0.9  # of a heading's texts
_WIDE = 0.06  # of the table's width: how far boundaries may lie apart


def share_lines(xs: Sequence[float]) -> tuple[float, ...]:
    """Return where lines lie as shares of the whole width: 0 for the first, 1 for the last."""
    wide = max(xs[-1] - xs[0], 1e-9)
    return tuple(round((x - xs[0]) / wide, 4) for x in xs)


def find_moved(own: Sequence[float], its: Sequence[float]) -> list[int]:
    """Return which column boundaries lie too far apart in two tables (shares of the width)."""
    return [k for k, (a, b) in enumerate(zip(own, its, strict=True)) if abs(a - b) > _WIDE]


def compare_headings(
    own: Sequence[Sequence[str]], its: Sequence[Sequence[str]]
) -> list[tuple[str, str]]:
    """Return pairs of texts that differ between two headings; none where enough are alike."""
    flat = [t for row in own for t in row], [t for row in its for t in row]
    most = max(map(len, flat))
    a, b = ([*texts, *[""] * (most - len(texts))] for texts in flat)
    pairs = list(zip(a, b, strict=True))
    wrong = [pair for pair in pairs if not _are_alike(*pair)]
    return wrong if len(wrong) > (1 - _SHARE) * len(pairs) else []


def _are_alike(a: str, b: str) -> bool:
    own, its = ("".join(c for c in t.casefold() if c.isalnum()) for t in (a, b))
    return differ_in(own, its) is not None or are_alike(own, its)
