"""What is known of a form before its next page is read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class KnownColumn:
    """What a column of a form has said.

    Attributes
    ----------
    cells
        How many of its cells were counted.
    values
        Texts that it says more than once, with how often.
    forms
        How its cells are written (``9 a`` for ``4 May``), with how often.
    """

    cells: int = 0
    values: Mapping[str, int] = field(default_factory=dict)
    forms: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class KnownForm:
    """A form, and what its columns have said.

    Attributes
    ----------
    heading
        The texts of its heading rows, from left to right.
    lines
        Where its columns begin and end, from 0 at the table's left to 1 at its right.
    columns
        What each column has said.
    """

    heading: tuple[tuple[str, ...], ...]
    lines: tuple[float, ...]
    columns: tuple[KnownColumn, ...]
