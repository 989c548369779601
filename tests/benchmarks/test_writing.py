from __future__ import annotations

import pytest

from benchmarks.writing import BLANK, KINDS, name_kind

FIGURES, WORDS, BOTH, RARE, _ = KINDS


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("1,204.50", FIGURES),
        ("-17", FIGURES),
        ("£ 3½", FIGURES),
        ("03/11/1921 14:05", FIGURES),
        ("Öland", WORDS),
        ("St Caret's & Co. (L)", WORDS),
        ("Boole\npersonnifié", WORDS),
        ("12 March 1908", BOTH),
        ("74-G-945", BOTH),
        ("#89", BOTH),
        ("12 kg", BOTH),
        ("†7*", RARE),
        ("“Quay”", RARE),
        ("–", RARE),
        ("", BLANK),
        (" \n", BLANK),
    ],
)
def test_kinds_of_what_is_written(text: str, kind: str) -> None:
    assert name_kind(text) == kind
