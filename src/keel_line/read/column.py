"""How a column's cells are written: a reading in a form that its column does not know is doubted.

The form of a text is what is left when each run of figures and each run of letters is taken as
one: "1,284.50" and "96.20" differ, "9 May" and "21 Sept" do not.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

_FIGURES = re.compile(r"\d+")
_LETTERS = re.compile(r"[^\W\d_]+")
_UNKNOWN = 0.5
_FORMS = 20


def form_of(text: str) -> str:
    """Return a text's form: runs of letters as "a", runs of figures as "9", the rest as it is."""
    return _FIGURES.sub("9", _LETTERS.sub("a", text.replace("\n", " ")))


@dataclass(frozen=True)
class ColumnForms:
    """How much of a column has each form, each cell weighed by how sure its reading is."""

    weights: Mapping[str, float]

    def log_share(self, text: str, own: str, own_weight: float) -> float:
        """Return how usual a text's form is among the column's other cells.

        Parameters
        ----------
        text
            Text that is asked about.
        own, own_weight
            The cell's own reading and the weight with which it went into the column.

        Returns
        -------
        float
            Log of the form's share over the share of any form in an empty column: 0 where nothing
            is known, below 0 where the column is written otherwise. Forms that the column does not
            know share a little of the whole, so that none is impossible.
        """
        form = form_of(text)
        known = self.weights.get(form, 0.0) - (own_weight if form == form_of(own) else 0.0)
        rest = sum(self.weights.values()) - own_weight
        share = (max(known, 0.0) + _UNKNOWN) / (max(rest, 0.0) + _UNKNOWN * _FORMS)
        return math.log(share * _FORMS)


def gather_forms(readings: Iterable[tuple[str, float]]) -> ColumnForms:
    """Gather the forms of a column from its cells' texts and how sure each is (0 to 1)."""
    weights: dict[str, float] = {}
    for text, weight in readings:
        form = form_of(text)
        weights[form] = weights.get(form, 0.0) + weight
    return ColumnForms(weights)
