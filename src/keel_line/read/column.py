"""The forms of a column: a reading in a form that its column lacks is doubted."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from keel_line._shared.forms import form_of

_UNKNOWN = 0.5
_FORMS = 20


@dataclass(frozen=True)
class ColumnForms:
    """Shares of each form in a column, weighted by how sure each cell is."""

    weights: Mapping[str, float]

    def log_share(self, text: str, own: str, own_weight: float) -> float:
        """Return the log of the share of a text's form among the column's other cells.

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


def gather_forms(
    readings: Iterable[tuple[str, float]], known: Mapping[str, float] | None = None
) -> ColumnForms:
    """Count the forms of a column from its cells' texts and how sure each is (0 to 1).

    ``known`` are forms that earlier pages had in it, with how often.
    """
    weights = dict(known or {})
    for text, weight in readings:
        form = form_of(text)
        weights[form] = weights.get(form, 0.0) + weight
    return ColumnForms(weights)
