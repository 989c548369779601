"""A page of a source, as it came and squared."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import Rule

Point: TypeAlias = tuple[float, float]
PageKind = Literal["text", "scan", "fax", "photo"]


@dataclass(frozen=True)
class Resolution:
    """Dots per inch across and down; they differ on faxes.

    ``estimated`` is true where the file said nothing usable.
    """

    x_dpi: float
    y_dpi: float
    estimated: bool = False


UNKNOWN = "\N{REPLACEMENT CHARACTER}"
"""Stands in a page's own text for a character that the file does not name."""


@dataclass(frozen=True, eq=False)
class PageText:
    """A page's own characters and drawn lines, in px of the page as it came.

    Attributes
    ----------
    chars
        Its visible characters, spaces left out, in the file's order.
    boxes
        x0, y0, x1, y1 of each, shape (n, 4): as wide as its ink, as high as a capital over the
        baseline; around the ink of turned ones.
    spaced
        Whether the file has white space before each, shape (n,).
    rules
        Straight lines across and down.
    turned
        Which run up the page or down, shape (n,); empty where none does.
    """

    chars: str
    boxes: NDArray[np.float64]
    spaced: NDArray[np.bool_]
    rules: tuple[Rule, ...]
    turned: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, bool))

    @property
    def is_turned(self) -> NDArray[np.bool_]:
        """Whether each character runs up or down the page, shape (n,)."""
        return self.turned if len(self.turned) else np.zeros(len(self.boxes), bool)


@dataclass(frozen=True, eq=False)
class Page:
    """A page as it came: grey pixels, shape (rows, cols), uint8, 0 is black.

    ``number`` counts from 1 within its source; ``text`` is what it carries as real text.
    """

    pixels: NDArray[np.uint8]
    resolution: Resolution
    source_name: str
    number: int
    kind: PageKind
    text: PageText | None = None


Corners: TypeAlias = tuple[Point, ...]
"""A sheet's four corners in px of the page as it came, the top left first, then clockwise; none
where the whole picture is the sheet."""

REMOVED: Box = (0.0, 0.0, 0.0, 0.0)
"""The part that no page is."""

Outlook = Literal["good", "fair", "poor"]


@dataclass(frozen=True)
class SquareChoice:
    """The clerk's settings for squaring a page; None for what the program decides.

    Attributes
    ----------
    turns
        Quarter turns clockwise, 0 to 3.
    angle_deg
        Lean that is taken out, positive where the page as it came leaned clockwise; -20 to 20.
    corners
        The sheet's corners; an empty tuple takes the whole picture as the sheet.
    even_light
        Whether the page is shown and read with its light evened out.
    no_specks
        Whether specks are painted out.
    as_bent
        Whether a page that is bent is left so.
    no_colour
        Whether lines printed in a colour are dropped when colours become grey.
    no_back
        Whether faint marks that shine through from the back of the sheet are painted out.
    as_picture
        Whether the ink is read on a page that carries real text.
    part
        The part of the picture (x0, y0, x1, y1 in px as it came) that is this page, where two pages
        lie in one picture; None where all of it is. ``REMOVED`` takes the page out of the docket.
    """

    turns: int | None = None
    angle_deg: float | None = None
    corners: Corners | None = None
    even_light: bool = False
    no_specks: bool = False
    as_bent: bool = False
    no_colour: bool = False
    no_back: bool = False
    as_picture: bool = False
    part: Box | None = None


@dataclass(frozen=True)
class Verdict:
    """A page's expected legibility, judged before it is read.

    ``reasons`` say in plain words what is wrong and what would help; none on a good page.
    ``text_px`` is the height of its capitals, 0 where there is no text.
    """

    outlook: Outlook = "good"
    reasons: tuple[str, ...] = ()
    text_px: float = 0.0


@dataclass(frozen=True, eq=False)
class SquaredPage:
    """A page laid straight in true proportions.

    Attributes
    ----------
    pixels
        Grey, shape (rows, cols), uint8.
    dpi
        Resolution, the same across and down.
    transform
        From the page as it came.
    angle_deg
        Skew that was taken out: positive where the page as it came leaned clockwise.
    turns
        Quarter turns clockwise that were made, 0 to 3.
    corners
        Corners of the sheet that was cut out and laid flat; empty where the whole picture is it.
    unsure
        Why the page may not lie right, empty where it does.
    verdict
        How well it is likely to read.
    straight_px
        How far lines still keep from straight after a bend was taken out, in px of the squared
        page; None where the page was not bent.
    parted_at
        Column (px of the page as it came) at which two pages in one picture part; None where there
        is one.
    """

    pixels: NDArray[np.uint8]
    dpi: float
    transform: Transform
    angle_deg: float
    turns: int = 0
    corners: Corners = ()
    unsure: str = ""
    verdict: Verdict = field(default_factory=Verdict)
    straight_px: float | None = None
    parted_at: float | None = None
