"""Captions for tables that have none: a label and words of the same manual."""

from __future__ import annotations

import html
import re
from dataclasses import replace

import numpy as np

from training.manuals.looks import choose
from training.manuals.markup import Manual

_SHARE, _BARE, _BOLD = 0.45, 0.12, 0.4
_LABELS = ("Table", "Table", "Table", "Table", "TABLE", "Tab.", "Exhibit", "List")
_ENDS = (":", ":", ".", ".", "", " –", ".—")
_SENTENCE = re.compile(r"(?<=[.!?:])\s+")
_LEAST, _MOST, _SHORT = 8, 220, 60


def give_captions(manual: Manual, rng: np.random.Generator) -> None:
    """Give a manual's tables captions, in four of nine manuals; those of its own stay."""
    phrases = find_phrases(manual)
    if not phrases or rng.random() > _SHARE:
        return
    label, end = choose(rng, *_LABELS), choose(rng, *_ENDS)
    first = choose(rng, "", "", f"{int(rng.integers(1, 14))}.", f"{choose(rng, *'ABC')}-")
    bold, bare = rng.random() < _BOLD, rng.random() < _BARE
    short = rng.random() < 0.5
    number = int(rng.integers(1, 12))
    for k, part in enumerate(manual.parts):
        if part.table is None or part.table.above:
            continue
        fitting = [p for p in phrases if len(p) <= _SHORT] if short else phrases
        said = str(choose(rng, *(fitting or phrases)))
        told = "" if bare else f"{label} {first}{number}{end}"
        number += 1
        text = manual.add("caption", f"{told} {said}".strip())
        shown = f"<b>{told}</b> " if bold and told else f"{told} "
        markup = f'<caption><span k="{text}">{shown}{html.escape(said)}</span></caption>'
        manual.parts[k] = replace(
            part, size=part.size + len(said), table=replace(part.table, above=markup)
        )


def find_phrases(manual: Manual) -> list[str]:
    """Return sentences of a manual that may stand above a table."""
    sentences = {
        " ".join(sentence.split())
        for role, text in manual.texts
        if role == "text"
        for sentence in _SENTENCE.split(text)
    }
    return sorted(s.rstrip(":") for s in sentences if _LEAST <= len(s) <= _MOST)
